"""A row of line sensors: what its sensors are called, which states it can stand in, and what the marks of a
recording say of it: over ground or over the line, at which height and lamp."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from tickstone.core.constants import Values

GROUND, LINE, SWEEP = "ground", "line", "sweep"
WORDS = {
    "ground": GROUND,
    "white": GROUND,
    "pale": GROUND,
    "bare": GROUND,
    "line": LINE,
    "black": LINE,
    "tape": LINE,
    "dark": LINE,
    "sweep": SWEEP,
}
LAMPS = ("off", "on")
BROKEN = "broken"
_LAMP_SAID = {"on": 1.0, "1": 1.0, "off": 0.0, "0": 0.0}


def place_of(label: str, conditions: Mapping[str, Any] | None = None) -> tuple[str, dict[str, float]] | None:
    """Where the whole row was, and under what conditions, from a mark's words and its conditions; None when
    it is about something else.

    >>> place_of("over the line, 8 mm", {"lamp": "on"})
    ('line', {'height_mm': 8.0, 'lamp': 1.0})
    """
    first, *rest = (part.strip() for part in label.lower().split(","))
    result = WORDS.get(first.removeprefix("over ").removeprefix("the ").strip())
    if result is None:
        return None
    values: dict[str, float] = {}
    for part in rest:
        name, _, value = part.partition(" ")
        if name == "lamp":
            _put(values, "lamp", value)
        for ending, into in (("mm", "height_mm"), ("v", "supply_v")):
            if part.endswith(ending):
                _put(values, into, part.removesuffix(ending))
    return result, values | conditions_said(conditions or {})


def conditions_said(
    conditions: Mapping[str, Any], names: Sequence[str] = ("height_mm", "lamp", "supply_v")
) -> dict[str, float]:
    """The conditions of a mark as numbers, those that are any; a lamp may be on or off.

    >>> conditions_said({"lamp": "off", "height_mm": 8, "supply_v": "?"})
    {'height_mm': 8.0, 'lamp': 0.0}
    """
    values: dict[str, float] = {}
    for name in names:
        if name in conditions:
            _put(values, name, conditions[name])
    return values


def _put(values: dict[str, float], name: str, value: object) -> None:
    text = str(value).strip().lower()
    if name == "lamp":
        text = str(_LAMP_SAID.get(text.removesuffix(".0"), ""))
    try:
        values[name] = float(text)
    except ValueError:
        return


def condition(values: Mapping[str, float]) -> str:
    """Conditions in words: "8 mm, lamp on, 7.4 V"; empty when nothing is said.

    >>> condition({"lamp": 0.0})
    'lamp off'
    """
    height, lamp, supply = values.get("height_mm"), values.get("lamp"), values.get("supply_v")
    parts = ([] if height is None else [f"{height:g} mm"]) + (
        [] if lamp is None else [f"lamp {LAMPS[int(lamp)]}"]
    )
    return ", ".join([*parts, *([] if supply is None else [f"{supply:g} V"])])


def places(count: int) -> tuple[str, ...]:
    """What the sensors of a row are called, left to right."""
    named = {
        1: ("the sensor",),
        2: ("left", "right"),
        3: ("left", "centre", "right"),
        4: ("far left", "left", "right", "far right"),
        5: ("far left", "left", "centre", "right", "far right"),
    }
    return named.get(count) or tuple(f"sensor {place}" for place in range(1, count + 1))


def called(place: int, count: int) -> str:
    """What a sensor of a row is called in a sentence; ``place`` counts from 0, left to right.

    >>> called(2, 5), called(0, 1), called(6, 8)
    ('the centre sensor', 'the sensor', 'sensor 7')
    """
    name = places(count)[place]
    return name if "sensor" in name else f"the {name} sensor"


def patterns(count: int) -> tuple[str, ...]:
    """The states of a row that are told apart, left to right, 1 = over the line: none, every unbroken run of
    neighbours, and all others as one.

    >>> patterns(3)
    ('000', '100', '110', '010', '011', '001', '111', 'broken')
    """
    runs = [
        (first, last)
        for first in range(count)
        for last in range(first, count)
        if last - first < count - 1 or count == 1
    ]
    runs.sort(key=lambda run: (run[0] + run[1], run[0]))
    names = ["".join("1" if first <= i <= last else "0" for i in range(count)) for first, last in runs]
    if count > 1:
        names.append("1" * count)
    return ("0" * count, *names, *((BROKEN,) if count > 2 else ()))


def astride(count: int, pitch_mm: float, tape_mm: float, aside_mm: float = 0.0) -> bool:
    """Whether a row stands astride its line: with the vehicle's middle over the tape no sensor sees it, and
    there are sensors on both sides. ``aside_mm`` is how far the row's middle stands to the left of the
    vehicle's.

    >>> astride(2, 30.0, 19.0), astride(2, 12.0, 19.0), astride(3, 30.0, 19.0)
    (True, False, False)
    >>> astride(2, 20.0, 19.0), astride(2, 18.0, 19.0)
    (True, False)
    """
    times = [(i - (count - 1) / 2) * pitch_mm - aside_mm for i in range(count)]
    return min(times) < 0 < max(times) and all(abs(place) > tape_mm / 2 for place in times)


def black_is_high(values: Values, name: str) -> bool:
    """Whether a sensor of the row reads higher over the line than over ground, by its white and black."""
    white, black = (values.get(f"{what}_{name}", values[what]).value for what in ("white", "black"))
    return black > white
