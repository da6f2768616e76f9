"""Cutting a stone, seeing what changed since, exporting one."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

from sqlalchemy.orm import Session

from tickstone.actions.constants import all_settled
from tickstone.core.stones import Change, StoneConstant, compare
from tickstone.errors import BadInput
from tickstone.firmware import constants as firmware
from tickstone.store import log, rigs


def lines_now(session: Session, stored: rigs.StoredRig) -> list[StoneConstant]:
    """Every constant of a rig as a stone cut now would hold it."""
    lines = []
    for sensor, values in all_settled(session, stored).items():
        for value in values.values():
            made = datetime.fromisoformat(value.made_at) if value.made_at else None
            lines.append(
                StoneConstant(
                    sensor,
                    value.name,
                    value.label,
                    value.value,
                    value.unit,
                    value.sd,
                    str(value.provenance),
                    value.source,
                    made,
                    dict(value.condition),
                    value.stale,
                    value.value_id,
                    value.warning,
                    value.covariances,
                )
            )
    return lines


def cut(session: Session, slug: str, why: str) -> int:
    """Freeze all constants of a rig as its next stone; returns its number."""
    stored = rigs.rig_named(session, slug)
    number = log.cut_stone(session, stored.id, stored.revision_id, why.strip(), lines_now(session, stored))
    because = f": {why.strip()}" if why.strip() else ""
    log.write_entry(
        session, stored.id, "stone", f"Stone {number} of {stored.rig.title} cut{because}", stone=number
    )
    return number


def changed_since_last(session: Session, stored: rigs.StoredRig) -> tuple[int, int]:
    """How many stones there are, and how many measured or chosen constants the last one does not hold as they
    stand."""
    last, now = log.newest_stone(session, stored.id), lines_now(session, stored)
    if last is None:
        return 0, sum(line.provenance in ("measured", "chosen") for line in now)
    changes = compare(list(last.lines), now)
    own = ("measured", "chosen")
    count = sum(c.changed and c.after is not None and c.after.provenance in own for c in changes)
    return last.number, count


@dataclass(frozen=True)
class StonesOfRig:
    """The stones of a rig, newest first; ``next`` is the number of the one to be cut, ``waiting`` how many
    settled constants the last one lacks."""

    stones: Sequence[log.StoredStone]
    next: int
    waiting: int


def all_of(session: Session, slug: str) -> StonesOfRig:
    """The stones of a rig. Raises NotFound."""
    stored = rigs.rig_named(session, slug)
    number, waiting = changed_since_last(session, stored)
    return StonesOfRig(log.stones_of(session, stored.id), number + 1, waiting)


def side_by_side(session: Session, slug: str, number: int, before: int | None) -> list[Change]:
    """A stone beside another (or beside nothing), changed lines first; stone 0 is the rig as it stands.
    Raises NotFound."""
    stored = rigs.rig_named(session, slug)
    after = lines_now(session, stored) if number == 0 else log.stone(session, stored.id, number).lines
    return compare(log.stone(session, stored.id, before).lines if before else (), after)


def export(session: Session, slug: str, number: int, form: str) -> tuple[str, str, str]:
    """A stone as a file: name, media type and text. Raises BadInput for field ``form``."""
    stored = rigs.rig_named(session, slug)
    stone = log.stone(session, stored.id, number)
    if form not in firmware.FORMS:
        raise BadInput(f"form must be one of {', '.join(firmware.FORMS)}, not {form!r}.", "form")
    header = firmware.Header(stored.rig.title, stone.number, stone.cut_at, stone.why)
    suffix, media, write = firmware.FORMS[form]
    return f"{slug}_stone_{number}{suffix}", media, write(header, stone.lines)
