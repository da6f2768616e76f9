"""Checks shared by all calculations: the message gives the rule, the value received and what to do
instead."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sized

from tickstone.core.units import without_unit
from tickstone.core.wording import significant
from tickstone.errors import BadInput

DIGITS = 6  # of a number in a sentence
ABSOLUTE_ZERO_C = -273.15


def field_words(name: str) -> tuple[str, str]:
    """A field's name as words, and the unit that ends it, with a space before it.

    >>> field_words("distance_mm"), field_words("kp"), field_words("rpm_min")
    (('distance', ' mm'), ('kp', ''), ('rpm min', ''))
    """
    label, unit = without_unit(name)
    unit = "µs" if unit == "us" else unit
    return label.replace("_", " ") or name, f" {unit}" if unit else ""


def _in_words(value: float) -> str:
    return significant(value, DIGITS) if math.isfinite(value) else str(value)


def check_finite(value: float, name: str) -> float:
    """Return ``value``, or raise BadInput when it is NaN or infinite."""
    if not math.isfinite(value):
        raise BadInput(f"{field_words(name)[0]} must be a finite number, not {value}.", name)
    return value


def check_positive(value: float, name: str) -> float:
    """Return ``value``, or raise BadInput unless it is finite and above zero."""
    if check_finite(value, name) <= 0:
        words, unit = field_words(name)
        raise BadInput(f"{words} must be above zero, not {_in_words(value)}{unit}.", name)
    return value


def check_not_negative(value: float, name: str) -> float:
    """Return ``value``, or raise BadInput unless it is finite and at least zero."""
    if check_finite(value, name) < 0:
        words, unit = field_words(name)
        raise BadInput(f"{words} must not be negative, but is {_in_words(value)}{unit}.", name)
    return value


def check_between(value: float, low: float, high: float, name: str) -> float:
    """Return ``value``, or raise BadInput unless ``low`` ≤ value ≤ ``high``."""
    if not low <= check_finite(value, name) <= high:
        words, unit = field_words(name)
        span = f"{_in_words(low)} and {_in_words(high)}{unit}"
        raise BadInput(f"{words} must lie between {span}, but is {_in_words(value)}.", name)
    return value


def check_at_least(value: float, low: float, name: str) -> float:
    """Return ``value``, or raise BadInput unless it is finite and at least ``low``."""
    if check_finite(value, name) < low:
        words, unit = field_words(name)
        raise BadInput(f"{words} must be at least {_in_words(low)}{unit}, but is {_in_words(value)}.", name)
    return value


def check_order(low: float, high: float, low_name: str, high_name: str) -> None:
    """Raise BadInput unless ``low`` < ``high``: nothing is swapped quietly."""
    if not low < high:
        (first, unit), (second, other) = field_words(low_name), field_words(high_name)
        raise BadInput(
            f"{first} ({_in_words(low)}{unit}) must be below {second} ({_in_words(high)}{other}).", low_name
        )


def check_temperature(value_c: float, name: str = "temperature_c") -> float:
    """Return a temperature in °C, or raise BadInput when it is at or below absolute zero or not finite."""
    if check_finite(value_c, name) <= ABSOLUTE_ZERO_C:
        words, _ = field_words(name)
        raise BadInput(f"{words} must be above {ABSOLUTE_ZERO_C} °C, but is {value_c:g} °C.", name)
    return value_c


def check_length(values: Sized, least: int, name: str) -> None:
    """Raise BadInput unless ``values`` holds at least ``least`` entries."""
    if len(values) < least:
        raise BadInput(f"{name} needs at least {least} entries, but has {len(values)}.", name)


def check_whole(value: float, least: int, name: str) -> int:
    """Return ``value`` as an int, or raise BadInput unless it is a whole number of at least ``least``."""
    if check_finite(value, name) != int(value) or value < least:
        words, _ = field_words(name)
        raise BadInput(f"{words} must be a whole number from {least}, not {_in_words(value)}.", name)
    return int(value)


def check_given(given: Mapping[str, object]) -> str:
    """The one name that was given a value, or raise BadInput unless exactly one was (alternatives joined by
    "or")."""
    names = [name for name, value in given.items() if value is not None]
    if len(names) != 1:
        text = "nothing" if not names else " and ".join(names)
        raise BadInput(
            f"Give exactly one of {' or '.join(given)}, not {text}.", names[1] if names else next(iter(given))
        )
    return names[0]


def check_same_length(names: Mapping[str, Sized]) -> None:
    """Raise BadInput naming the second list when lists that belong together differ in length."""
    (first, item), *others = names.items()
    for name, other in others:
        if len(other) != len(item):
            raise BadInput(
                f"{name} has {len(other)} entries, but {first} has {len(item)}: they belong together.", name
            )
