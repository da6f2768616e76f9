"""A person says what the labels on a rig's line mean; it is remembered for the rig."""

from __future__ import annotations

from sqlalchemy.orm import Session

from tickstone.core.checks import check_finite
from tickstone.core.rigs.kinds import kind
from tickstone.core.rigs.meanings import CHANNEL, IGNORED, MARK, TIME, Meaning
from tickstone.errors import BadInput
from tickstone.store import labels, rigs

LONGEST_LABEL = 120
TIME_UNITS_US = (1.0, 1000.0, 1e6)


def say(session: Session, slug: str, label: str, meaning: Meaning) -> None:
    """Settle what a label means. Raises BadInput naming the field that cannot be."""
    stored = rigs.rig_named(session, slug)
    if not 0 < len(label) <= LONGEST_LABEL:
        raise BadInput(f"label must have 1 to {LONGEST_LABEL} characters.", "label")
    if meaning.role == CHANNEL:
        sensor = stored.rig.sensor(meaning.sensor)
        names = [channel.name for channel in kind(sensor.kind).channels_of(sensor.options)]
        if meaning.channel not in names:
            raise BadInput(
                f"The {sensor.name} has no channel {meaning.channel!r}; it has {', '.join(names)}.", "channel"
            )
        if check_finite(meaning.factor, "factor") == 0:
            raise BadInput("factor must not be 0: every reading would be the same.", "factor")
        check_finite(meaning.zero, "zero")
    elif meaning.role == TIME:
        if meaning.unit_us is not None and meaning.unit_us not in TIME_UNITS_US:
            raise BadInput("unit_us must be 1 (µs), 1000 (ms) or 1000000 (s).", "unit_us")
    elif meaning.role not in (MARK, IGNORED):
        raise BadInput(f"role must be channel, time, mark or ignored, not {meaning.role!r}.", "role")
    labels.settle(session, stored.id, label, meaning)


def guess_again(session: Session, slug: str, label: str) -> None:
    """Take back what was said about a label."""
    labels.forget(session, rigs.rig_named(session, slug).id, label)
