"""Checks shared by all calculations: the message gives the rule, the value received and what to do instead."""

from __future__ import annotations

import math
from collections.abc import Sequence

from tickstone.errors import BadInput

ABSOLUTE_ZERO_C = -273.15


def check_finite(value: float, name: str) -> float:
    """Return ``value``, or raise BadInput when it is NaN or infinite."""
    if not math.isfinite(value):
        raise BadInput(f"{name} must be a finite number, not {value}.", name)
    return value


def check_positive(value: float, name: str) -> float:
    """Return ``value``, or raise BadInput unless it is finite and above zero."""
    if check_finite(value, name) <= 0:
        raise BadInput(f"{name} must be above zero, not {value:g}.", name)
    return value


def check_not_negative(value: float, name: str) -> float:
    """Return ``value``, or raise BadInput unless it is finite and at least zero."""
    if check_finite(value, name) < 0:
        raise BadInput(f"{name} must not be negative, but is {value:g}.", name)
    return value


def check_between(value: float, low: float, high: float, name: str) -> float:
    """Return ``value``, or raise BadInput unless ``low`` ≤ value ≤ ``high``."""
    if not low <= check_finite(value, name) <= high:
        raise BadInput(f"{name} must lie between {low:g} and {high:g}, but is {value:g}.", name)
    return value


def check_order(low: float, high: float, low_name: str, high_name: str) -> None:
    """Raise BadInput unless ``low`` < ``high``: nothing is swapped quietly."""
    if not low < high:
        raise BadInput(f"{low_name} ({low:g}) must be below {high_name} ({high:g}).", low_name)


def check_temperature(value_c: float, name: str = "temperature_c") -> float:
    """Return a temperature in °C, or raise BadInput when it is at or below absolute zero or not finite."""
    if check_finite(value_c, name) <= ABSOLUTE_ZERO_C:
        raise BadInput(f"{name} must be above {ABSOLUTE_ZERO_C} °C, but is {value_c:g} °C.", name)
    return value_c


def check_length(values: Sequence[object], least: int, name: str) -> None:
    """Raise BadInput unless ``values`` holds at least ``least`` entries."""
    if len(values) < least:
        raise BadInput(f"{name} needs at least {least} entries, but has {len(values)}.", name)
