"""What is chosen, live: what thresholds, guards, alarms and actions say of the readings that come just
now."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from tickstone.core.constants import Provenance, Values
from tickstone.core.decisions import votes
from tickstone.core.decisions.decision import Evidence
from tickstone.core.decisions.line import names_of
from tickstone.core.decisions.steering import ACTIONS, dark_of, seen_states, words_of
from tickstone.core.line_row import places
from tickstone.core.rigs.kinds.base import Moment
from tickstone.core.wording import fixed, listed


@dataclass(frozen=True)
class LiveWords:
    """A sentence about what is chosen; ``alone`` when it takes the place of what the sensor says by
    itself."""

    text: str
    alone: bool = False


def live_words(moment: Moment, values: Values) -> LiveWords:
    """What everything that is chosen for a sensor says of a moment; empty where nothing is.

    Parameters: moment, its last readings with the raw numbers behind the newest; values, its constants.
    """
    table = _edge(moment, values)
    if table:
        return LiveWords(table, alone=True)
    return LiveWords(
        " ".join(
            filter(
                None,
                (
                    _obstacle(moment, values),
                    _tilt(moment, values),
                    _over_speed(moment, values),
                    _steering(moment, values),
                ),
            )
        )
    )


def is_chosen(values: Values, *names: str) -> bool:
    """Whether all of these constants are a person's choice."""
    return all(name in values and values[name].provenance is Provenance.CHOSEN for name in names)


def _newest(moment: Moment) -> float | None:
    values = moment.converted.values
    return float(values[-1]) if values.size and np.isfinite(values[-1]) else None


def _edge(moment: Moment, values: Values) -> str:
    names = names_of(values) if "sensors" in values else ()
    ends = [(f"table_low_{name}", f"table_high_{name}") for name in names]
    if not ends or not all(is_chosen(values, *pair) for pair in ends):
        return ""
    counts = [float(moment.inputs[name][-1]) if name in moment.inputs else np.nan for name in names]
    if not moment.converted.values.size:
        return ""
    off = [
        place
        for place, count, (low, high) in zip(places(len(names)), counts, ends, strict=True)
        if not values[low].value <= count <= values[high].value
    ]
    return f"Off the table under {listed(off)}: stop, back, turn." if off else "On the table: go on."


def _obstacle(moment: Moment, values: Values) -> str:
    converted = moment.converted
    if not is_chosen(values, "trip", "clear") or not converted.values.size:
        return ""
    needed, of = votes.check_votes(values["votes"].value, values["votes_of"].value)
    if not converted.valid[-of:].any():
        return "No reading: not safe."
    near = votes.tripped(
        converted.values, converted.valid, values["trip"].value, values["clear"].value, needed, of
    )
    return "Too close: stop." if near[-1] else "Safe: go on."


def _tilt(moment: Moment, values: Values) -> str:
    leaning = _newest(moment)
    if not is_chosen(values, "tilt_alarm") or leaning is None or leaning < values["tilt_alarm"].value:
        return ""
    return f"Tilt alarm: {fixed(leaning, 1)}°, the alarm is at {fixed(values['tilt_alarm'].value, 1)}°."


def _over_speed(moment: Moment, values: Values) -> str:
    turning = _newest(moment)
    if not is_chosen(values, "over_rpm") or turning is None:
        return ""
    rpm = turning * 60_000.0 / values["circumference"].value if "magnets" in values else turning
    limit = values["over_rpm"].value
    return f"Over-speed: {fixed(rpm)} rpm, the alarm is at {fixed(limit)}." if rpm > limit else ""


def _steering(moment: Moment, values: Values) -> str:
    names = names_of(values) if "sensors" in values else ()
    if not any(name.startswith("act_") for name in values) or not all(
        name in moment.inputs for name in names
    ):
        return ""
    newest = {name: moment.inputs[name][-1:] for name in names}
    dark = dark_of(Evidence(0, "", np.zeros(1), newest, {}, np.zeros(1), np.ones(1, bool)), values)
    if dark is None or not dark.size:
        return ""
    (pattern,) = seen_states(dark)
    if not is_chosen(values, f"act_{pattern}"):
        return ""
    text = words_of(pattern)
    return f"{text[0].upper()}{text[1:]}: {ACTIONS[int(values[f'act_{pattern}'].value)]}."
