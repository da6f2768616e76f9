"""The worked line: what one raw number means with the rig's own constants, and how sure that is."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from sqlalchemy.orm import Session

from tickstone.actions import constants
from tickstone.calculations import run
from tickstone.core.constants import Provenance, Value, Values
from tickstone.core.rigs.kinds import kind
from tickstone.core.rigs.kinds.ultrasonic_ranger import conversion_speed_m_s
from tickstone.errors import BadInput
from tickstone.store import rigs

SHARE_LABELS = {
    "temperature": "air temperature",
    "echo": "jitter of this ranger",
    "tick": "timer step",
    "calibration": "offset",
}


@dataclass(frozen=True)
class Term:
    """One term of the worked line; ``plus_minus`` is 95 %."""

    name: str
    label: str
    value: float
    unit: str
    plus_minus: float | None
    provenance: str


@dataclass(frozen=True)
class Share:
    """A cause's share of the variance, with what stands behind it."""

    label: str
    share: float


@dataclass(frozen=True)
class RuleOfThumb:
    """What a rule of thumb would have said, and the air temperature at which it is exact."""

    name: str
    distance_mm: float
    error_mm: float
    exact_at_c: float | None


@dataclass(frozen=True)
class Worked:
    """A conversion step by step. ``distance_mm`` is None with a reason when the echo is none."""

    terms: tuple[Term, ...]
    distance_mm: float | None
    plus_minus_mm: float | None
    valid: bool
    reason: str
    shares: tuple[Share, ...]
    rules: tuple[RuleOfThumb, ...]
    moves: tuple[str, ...]
    warnings: tuple[str, ...]
    speed_m_s: float


def _inputs(values: Values, air_c: float | None) -> dict[str, Any]:
    fitted = values["sound"]
    air = values["air"]
    inputs: dict[str, Any] = {
        "temperature_c": air.value if air_c is None else air_c,
        "temperature_sd_k": air.sd or 0.0,
        "humidity_pct": values["humidity"].value,
        "offset_mm": values["offset"].value,
        "offset_sd_mm": values["offset"].sd or 0.0,
        "echo_sd_us": values["jitter"].value,
        "tick_us": values["tick"].value,
        "min_mm": values["nearest"].value,
        "max_mm": values["farthest"].value,
    }
    if fitted.provenance is Provenance.MEASURED:
        inputs |= {
            "speed_m_s": fitted.value,
            "speed_at_c": fitted.condition.get("air_c", air.value),
            "speed_sd_m_s": fitted.sd or 0.0,
            "covariance_m_s_mm": fitted.condition.get("covariance_with_offset", 0.0),
        }
    return inputs


def worked_echo(session: Session, slug: str, sensor: str, raw: float, air_c: float | None, live_air: bool) -> Worked:
    """Work one echo time, µs, into a distance. ``air_c`` is the air at that moment (None = the constant's); ``live_air``
    tells that it was measured just then. Raises BadInput for a sensor that is no ranger."""
    values = _ranger_values(session, slug, sensor, air_c if live_air else None)
    inputs = _inputs(values, air_c)
    result = run("echo-distance", {**inputs, "echo_us": raw})
    speed = float(result["speed_m_s"])
    shares = sorted(result["shares"].items(), key=lambda item: -item[1])
    return Worked(
        terms=_terms(values, raw, speed, inputs, live_air),
        distance_mm=result["distance_mm"],
        plus_minus_mm=None if result["uncertainty_mm"] is None else 2 * result["uncertainty_mm"],
        valid=result["valid"],
        reason=result["reason"],
        shares=tuple(Share(_share_label(cause, values), share) for cause, share in shares),
        rules=tuple(RuleOfThumb(r["rule"], r["distance_mm"], r["error_mm"], r["exact_at_c"]) for r in result["rules"]),
        moves=_moves(inputs, raw, result["distance_mm"], speed),
        warnings=tuple(result["warnings"]),
        speed_m_s=speed,
    )


def _share_label(cause: str, values: Values) -> str:
    fitted = cause == "calibration" and values["sound"].provenance is Provenance.MEASURED
    return "speed and offset" if fitted else SHARE_LABELS[cause]


def _ranger_values(session: Session, slug: str, sensor: str, air_c: float | None = None) -> dict[str, Value]:
    stored = rigs.rig_named(session, slug)
    if "echo" not in kind(stored.rig.sensor(sensor).kind).conversions:
        raise BadInput(f"The {sensor} sends no echo times.", "sensor")
    air = None if air_c is None else constants.live_air(session, stored, air_c, 1)
    return constants.settled(session, stored, sensor, air)


def _terms(values: Values, raw: float, speed: float, inputs: dict[str, Any], live_air: bool) -> tuple[Term, ...]:
    sound, offset = values["sound"], values["offset"]
    measured = sound.provenance is Provenance.MEASURED or live_air
    return (
        Term("echo", "echo time", raw, "µs", 2 * values["jitter"].value, "measured"),
        Term("way", "out and back", 2.0, "", None, "derived"),
        Term("sound", f"sound at {inputs['temperature_c']:.1f} °C", speed, "m/s",
             None if sound.sd is None else 2 * sound.sd,
             sound.provenance.value if sound.provenance is Provenance.MEASURED else "derived" if measured else "assumed"),
        Term("offset", "offset", offset.value, "mm", None if offset.sd is None else 2 * offset.sd,
             offset.provenance.value),
    )  # fmt: skip


def _moves(inputs: dict[str, Any], raw: float, distance: float | None, speed: float) -> tuple[str, ...]:
    if distance is None:
        return ()
    warmer = run("echo-distance", {**inputs, "echo_us": raw, "temperature_c": inputs["temperature_c"] + 1})
    moved = float(warmer["distance_mm"] or distance) - distance
    step = speed * inputs["tick_us"] / 2000.0
    said = [f"One degree warmer moves this by {moved:.2f} mm."]
    if step:
        said.append(f"One timer step of {inputs['tick_us']:g} µs moves it by {step:.2f} mm.")
    return tuple(said)


def echo_for(session: Session, slug: str, sensor: str, distance_mm: float, air_c: float | None) -> float:
    """The inverse question: the echo time, µs, that a distance would give. Raises BadInput for ``distance_mm``."""
    values = _ranger_values(session, slug, sensor)
    air = values["air"].value if air_c is None else air_c
    speed = float(conversion_speed_m_s(values, air))
    asked = {"distance_mm": distance_mm, "speed_m_s": speed, "offset_mm": values["offset"].value}
    return float(run("echo-time", asked)["echo_us"])
