"""What was measured under one supply or in one air need not hold under another."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

from tickstone.core.constants import Provenance, Value

SUPPLY_SHARE = 0.10  # a sagging or another supply: analogue readings move with it
AIR_K = 10.0  # zeros and biases of cheap parts wander by their own ± within about so much
CARRIED = frozenset({"sound", "air"})  # what is carried from its own air to another by formula


def why_elsewhere(value: Value, air_c: float | None, supply_v: float | None) -> str:
    """Why a measured value is far from where it was measured, in words; empty when it is not, or nobody
    knows."""
    if value.provenance is not Provenance.MEASURED:
        return ""
    then = value.condition.get("supply_v")
    if then and supply_v is not None and abs(supply_v / then - 1.0) > SUPPLY_SHARE:
        return f"measured on {then:.1f} V, the supply gives {supply_v:.1f} V now"
    at = value.condition.get("air_c")
    if at is not None and air_c is not None and value.name not in CARRIED and abs(air_c - at) > AIR_K:
        return f"measured at {at:.0f} °C, it is {air_c:.0f} °C now"
    return ""


def as_it_is_now(
    values: Mapping[str, Value], air_c: float | None, supply_v: float | None
) -> dict[str, Value]:
    """The constants with those stale that were measured under another supply or in another air."""
    return {
        name: value if value.stale else replace(value, stale=why_elsewhere(value, air_c, supply_v))
        for name, value in values.items()
    }
