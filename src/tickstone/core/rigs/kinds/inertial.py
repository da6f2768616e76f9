"""Accelerometers and the 6-axis inertial unit: counts to g and °/s, and the tilt they tell. x forward, y
left, z up."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping

import numpy as np

from tickstone.core import inertial
from tickstone.core.constants import ConstantSpec, Provenance, Values
from tickstone.core.rigs.kinds.base import (
    Ambient,
    Array,
    Ask,
    Chain,
    ChannelSpec,
    Converted,
    Inverse,
    Kind,
    Moment,
    Move,
    Quantity,
    RuleReading,
    Series,
    Spread,
    Term,
    Working,
)
from tickstone.core.rigs.kinds.deciding import FILTER, TILT
from tickstone.core.rigs.kinds.mounting import CONSTANTS as MOUNTED
from tickstone.core.rigs.kinds.mounting import mounted, unmounted
from tickstone.core.rigs.kinds.parts import (
    GROUND,
    INNER_V,
    REGULATOR,
    SHEET,
    UNMEASURED,
    analogue_pin,
    bus_part,
    converter,
    counts_of,
    counts_spreads,
    level_v,
    raw,
    result,
    step_v,
    supply_pin,
    term,
    top_code,
)
from tickstone.core.rigs.kinds.told import by_option
from tickstone.core.rigs.outputs import address
from tickstone.core.rigs.part import Chosen, Part, question
from tickstone.core.rigs.reading import Counts, RegisterField, Registers

AXES = inertial.AXES
MOVING, CLIPPED = 1, 2
REASONS = (
    "",
    "it moves, or is not calibrated: |a| is not 1 g",
    "an axis is pinned at an end, or has no reading",
)
Vector = tuple[Array, Array, Array]  # g, NaN = missing or pinned
Axes = Callable[[Mapping[str, Array], Values], Vector]


def _tilt(axes: Vector) -> inertial.Tilt:
    """Tilt where all axes are known and not all zero; NaN elsewhere."""
    x, y, z = axes
    nothing = (x == 0) & (y == 0) & (z == 0)
    return inertial.tilt(np.where(nothing, np.nan, x), y, z)


def _reader(axes_of: Axes) -> Callable[[Mapping[str, Array], Values, Ambient], Converted]:
    def read(inputs: Mapping[str, Array], values: Values, ambient: Ambient) -> Converted:
        """Counts of three axes to tilt from level, degrees."""
        tilt = _tilt(axes_of(inputs, values))
        unknown = ~np.isfinite(tilt.tilt_deg)
        codes = np.select([unknown, ~tilt.valid], [CLIPPED, MOVING], 0).astype(np.int8)
        return Converted(np.where(unknown, np.nan, tilt.tilt_deg), codes)

    return read


def _series(axes_of: Axes) -> Callable[[Mapping[str, Array], Values, Ambient], tuple[Series, ...]]:
    def more(inputs: Mapping[str, Array], values: Values, ambient: Ambient) -> tuple[Series, ...]:
        axes = axes_of(inputs, values)
        tilt = _tilt(axes)
        return (
            Series("roll", "roll, left side up", "°", tilt.roll_deg, 1),
            Series("pitch", "pitch, nose down", "°", tilt.pitch_deg, 1),
            Series("norm", "|a|", "g", tilt.norm_g, 3),
            *(Series(f"a{name}", f"a {name}", "g", axis, 3) for name, axis in zip(AXES, axes, strict=True)),
        )

    return more


def _main_line(axes: Vector) -> tuple[Term, ...]:
    """arccos(z ÷ |a|)"""
    z = float(axes[2][0])
    norm = float(np.sqrt(sum(axis[0] ** 2 for axis in axes)))
    return (result("a z", z, "g", "arccos ("), result("|a|", norm, "g", "÷", "norm"))


def _rules(axes_of: Axes) -> Callable[[Mapping[str, float], Values, Ambient], tuple[RuleReading, ...]]:
    def rules(inputs: Mapping[str, float], values: Values, ambient: Ambient) -> tuple[RuleReading, ...]:
        """One axis alone, by the arcsine and by its straight line."""
        x, y, _ = (float(axis[0]) for axis in axes_of(_arrays(inputs), values))
        level = math.hypot(x, y)
        alone = inertial.tilt_one_axis_deg(level)
        arcsine = [RuleReading("arcsine of the level axes", float(alone))] if np.isfinite(alone) else []
        return (*arcsine, RuleReading("57.3° a g", math.degrees(level)))

    return rules


def _arrays(inputs: Mapping[str, float]) -> dict[str, Array]:
    return {name: np.array([number]) for name, number in inputs.items()}


def words(moment: Moment, values: Values) -> str:
    """Which way it leans, in words."""
    converted = moment.converted
    if not converted.values.size:
        return "No reading yet."
    if not np.isfinite(converted.values[-1]):
        return "An axis is pinned at an end, or has no reading."
    if moment.inputs and "x" in moment.inputs:
        axes_of = _inertial_axes if "accel_range" in values else _analogue_axes
        tilt = _tilt(axes_of({name: numbers[-1:] for name, numbers in moment.inputs.items()}, values))
        text = inertial.tilt_words(float(tilt.roll_deg[0]), float(tilt.pitch_deg[0]))
    else:
        text = f"leaning {converted.values[-1]:.1f}° from level"
    moving = "" if converted.valid[-1] else " It moves, or is not calibrated: this is not tilt alone."
    return f"{text[0].upper()}{text[1:]}.{moving}"


# Analogue accelerometer -------------------------------------------------------------------------------------


def analogue_own_axes(inputs: Mapping[str, Array], values: Values) -> Vector:
    """Counts to g along the part's own axes; NaN where pinned."""
    top = top_code(values)
    x, y, z = (
        (
            level_v(np.where((inputs[axis] > 0) & (inputs[axis] < top), inputs[axis], np.nan), values)
            - values[f"zero_{axis}"].value
        )
        / values[f"per_g_{axis}"].value
        for axis in AXES
    )
    return x, y, z


def _analogue_axes(inputs: Mapping[str, Array], values: Values) -> Vector:
    return mounted(analogue_own_axes(inputs, values), values)


def _analogue_asks(values: Values) -> tuple[Ask, ...]:
    top = top_code(values)
    at = {
        axis: counts_of(values[f"zero_{axis}"].value + g * values[f"per_g_{axis}"].value, values)
        for axis, g in zip(AXES, _TYPICAL_G, strict=True)
    }
    return tuple(
        Ask(axis, f"a {axis}", "counts", 0, top, at[axis] if math.isfinite(at[axis]) else round(top / 2))
        for axis in AXES
    )


_TYPICAL_G = (0.087, -0.035, 0.9955)  # nose up 5°, right side up 2°


def _analogue_chains(
    inputs: Mapping[str, float], values: Values, ambient: Ambient
) -> tuple[tuple[Chain, ...], tuple[Term, ...]]:
    arrays = _arrays(inputs)
    axes, own = _analogue_axes(arrays, values), analogue_own_axes(arrays, values)
    chains = []
    for ask, axis in zip(_analogue_asks(values), own, strict=True):
        step = result("step", 1000 * step_v(values), "mV", "×")
        terms = (
            raw(ask, inputs, "("),
            step,
            term(values[f"zero_{ask.name}"], "−"),
            term(values[f"per_g_{ask.name}"], ") ÷"),
        )
        chains.append(Chain(terms, result(f"a {ask.name}", float(axis[0]), "g")))
    return tuple(chains), _main_line(axes)


def _analogue_at(wanted_deg: float, values: Values, ambient: Ambient) -> Mapping[str, float]:
    """Counts of a nose that is up by the wanted angle."""
    g = unmounted(inertial.gravity_at(0.0, -wanted_deg), values)
    return {
        axis: counts_of(values[f"zero_{axis}"].value + float(g[i]) * values[f"per_g_{axis}"].value, values)
        for i, axis in enumerate(AXES)
    }


def _analogue_part(chosen: Chosen) -> Part:
    kept = chosen.says("regulator", "yes")
    supply = supply_pin(3.0, 5.5, 1.0) if kept else supply_pin(1.8, 3.6, 1.0)
    outputs = (analogue_pin(axis, most_v=INNER_V if kept else None, source_ohm=32_000.0) for axis in AXES)
    return Part((supply, GROUND, *outputs))


ANALOGUE = Kind(
    id="analogue-accelerometer",
    title="analogue 3-axis accelerometer",
    family="tilt",
    part=_analogue_part,
    reads=lambda chosen: (Counts(tuple((axis, axis) for axis in AXES), 20),),
    options=(REGULATOR,),
    clues=("The arrows on the print show +x and +y; z is up out of the print.",),
    channels=tuple(
        ChannelSpec(
            axis,
            f"a {axis}",
            "level",
            "counts",
            (f"a{axis}_adc",),
            0.0,
            16_777_215.0,
            called=(f"a{axis}", f"acc_{axis}", f"accel_{axis}"),
        )
        for axis in AXES
    ),
    quantity=Quantity("tilt", "°", 0.0, 180.0, digits=1),
    constants=(
        *(
            ConstantSpec(
                f"zero_{axis}",
                f"{axis} at 0 g",
                "V",
                1.65,
                0.06,
                "half the supply",
                0,
                30,
                "calibrate",
                Provenance.MEASURED,
                ("convert",),
            )
            for axis in AXES
        ),
        *(
            ConstantSpec(
                f"per_g_{axis}",
                f"{axis} per g",
                "V/g",
                0.33,
                0.015,
                "common practice at 3.3 V",
                -10,
                10,
                "calibrate",
                Provenance.MEASURED,
                ("convert",),
            )
            for axis in AXES
        ),
        *MOUNTED,
        *converter(1.0),
        *TILT,
        *FILTER,
    ),
    derived=(),
    reasons=REASONS,
    working=Working(
        asks=_analogue_asks,
        read=_reader(_analogue_axes),
        chains=_analogue_chains,
        more=_series(_analogue_axes),
        rules=_rules(_analogue_axes),
        spreads=counts_spreads(*AXES),
        moves=lambda values: (Move("x", 1, "One count more on x"), Move("z", 1, "One count more on z")),
        bare=(),
        inverse=Inverse(5.0, -180.0, 180.0, _analogue_at),
        causes={
            **{f"zero_{axis}": "zero of the axes" for axis in AXES},
            **{f"per_g_{axis}": "sensitivity of the axes" for axis in AXES},
        },
    ),
    words=words,
    procedures=("poses", "mounting", "level", "filter"),
    decisions=("tilt", "filter"),
    instruments=("level",),
)


# 6-axis inertial unit ---------------------------------------------------------------------------------------

FULL = 32_768.0
GYRO = tuple(f"g{axis}" for axis in AXES)


def inertial_own_axes(inputs: Mapping[str, Array], values: Values) -> Vector:
    """Counts to g along the part's own axes; NaN where pinned."""
    per_count = values["accel_range"].value / FULL
    x, y, z = (
        np.where(np.abs(inputs[axis] + 0.5) < FULL - 1, inputs[axis], np.nan)
        * per_count
        * values[f"scale_{axis}"].value
        - values[f"offset_{axis}"].value
        for axis in AXES
    )
    return x, y, z


def _inertial_axes(inputs: Mapping[str, Array], values: Values) -> Vector:
    return mounted(inertial_own_axes(inputs, values), values)


def own_rates(inputs: Mapping[str, Array], values: Values) -> Vector:
    """Counts to °/s about the part's own axes, its bias taken off; NaN where pinned."""
    per_count = values["gyro_range"].value / FULL
    x, y, z = (
        (
            np.where(np.abs(inputs[name] + 0.5) < FULL - 1, inputs[name], np.nan) * per_count
            - values[f"bias_{axis}"].value
        )
        * values[f"rate_scale_{axis}"].value
        for name, axis in zip(GYRO, AXES, strict=True)
    )
    return x, y, z


def _rates(inputs: Mapping[str, Array], values: Values) -> Vector:
    return mounted(own_rates(inputs, values), values, crossed=False)


def _inertial_asks(values: Values) -> tuple[Ask, ...]:
    per_g = FULL / values["accel_range"].value
    accel = tuple(
        Ask(axis, f"a {axis}", "counts", -32_768, 32_767, round(g * per_g))
        for axis, g in zip(AXES, _TYPICAL_G, strict=True)
    )
    gyro = tuple(
        Ask(f"g{axis}", f"ω {axis}", "counts", -32_768, 32_767, index, needed=False)
        for axis, index in zip(AXES, (42, -18, 9), strict=True)
    )
    return accel + gyro


def _inertial_chains(
    inputs: Mapping[str, float], values: Values, ambient: Ambient
) -> tuple[tuple[Chain, ...], tuple[Term, ...]]:
    arrays = _arrays(inputs)
    axes = _inertial_axes(arrays, values)
    own, rates = inertial_own_axes(arrays, values), own_rates(arrays, values)
    asks = _inertial_asks(values)
    full = Term("full", "full scale", FULL, "counts", "derived", None, "÷")
    chains = [
        Chain(
            (
                raw(ask, inputs),
                term(values["accel_range"], "×"),
                full,
                term(values[f"scale_{ask.name}"], "×"),
                term(values[f"offset_{ask.name}"], "−"),
            ),
            result(f"a {ask.name}", float(axis[0]), "g"),
        )
        for ask, axis in zip(asks[:3], own, strict=True)
    ]
    chains += [
        Chain(
            (
                raw(ask, inputs, "("),
                term(values["gyro_range"], "×"),
                full,
                term(values[f"bias_{axis}"], "−"),
                term(values[f"rate_scale_{axis}"], ") ×"),
            ),
            result(f"ω {axis}", float(rate[0]), "°/s"),
        )
        for ask, axis, rate in zip(asks[3:], AXES, rates, strict=True)
    ]
    return tuple(chains), _main_line(axes)


def _inertial_series(inputs: Mapping[str, Array], values: Values, ambient: Ambient) -> tuple[Series, ...]:
    rates = _rates(inputs, values)
    return (
        *_series(_inertial_axes)(inputs, values, ambient),
        *(
            Series(f"rate_{axis}", f"ω {axis}", "°/s", rate, 2, needs=f"g{axis}")
            for axis, rate in zip(AXES, rates, strict=True)
        ),
    )


def _inertial_at(wanted_deg: float, values: Values, ambient: Ambient) -> Mapping[str, float]:
    """Counts of a nose that is up by the wanted angle, at rest."""
    g, per_g = unmounted(inertial.gravity_at(0.0, -wanted_deg), values), FULL / values["accel_range"].value
    return {
        axis: (float(g[i]) + values[f"offset_{axis}"].value) / values[f"scale_{axis}"].value * per_g
        for i, axis in enumerate(AXES)
    }


def _inertial_spreads(inputs: Mapping[str, float], values: Values) -> tuple[Spread, ...]:
    return tuple(Spread(axis, values["noise"].value, "noise") for axis in AXES)


ACCEL_CODES = {"2": 0, "4": 1, "8": 2, "16": 3}
GYRO_CODES = {"250": 0, "500": 1, "1000": 2, "2000": 3}


def _unit_reads(chosen: Chosen) -> tuple[Registers, ...]:
    """Registers as they usually are (from memory): hold them against the part's own sheet."""
    wake, gyro, accel = 0x6B, 0x1B, 0x1C
    setup = (
        (wake, 0),
        (accel, ACCEL_CODES[str(chosen["accel"])] << 3),
        (gyro, GYRO_CODES[str(chosen["gyro"])] << 3),
    )
    fields = (
        *(RegisterField(axis, 2 * i, signed=True) for i, axis in enumerate(AXES)),
        *(RegisterField(name, 8 + 2 * i, signed=True) for i, name in enumerate(GYRO)),
    )
    return (Registers(setup, None, 0x3B, 14, fields, every_ms=20),)


UNIT = Kind(
    id="inertial-unit",
    title="6-axis inertial unit",
    family="tilt",
    part=lambda chosen: bus_part(chosen, 5.0, 2.4, 3.5),
    reads=_unit_reads,
    options=(
        REGULATOR,
        address(0x68),
        question(
            "accel", "accelerometer range", ("2", "±2 g"), ("4", "±4 g"), ("8", "±8 g"), ("16", "±16 g")
        ),
        question(
            "gyro",
            "gyro range",
            ("250", "±250 °/s"),
            ("500", "±500 °/s"),
            ("1000", "±1000 °/s"),
            ("2000", "±2000 °/s"),
        ),
    ),
    clues=("The arrows on the print show +x and +y; z is up out of the print.",),
    channels=(
        *(
            ChannelSpec(
                axis,
                f"a {axis}",
                "level",
                "counts",
                (f"a{axis}",),
                -32_768.0,
                32_767.0,
                called=(f"acc_{axis}", f"accel_{axis}", f"a{axis}_raw"),
            )
            for axis in AXES
        ),
        *(
            ChannelSpec(
                f"g{axis}",
                f"ω {axis}",
                "level",
                "counts",
                (f"g{axis}",),
                -32_768.0,
                32_767.0,
                called=(f"gyro_{axis}", f"gyr_{axis}", f"g{axis}_raw"),
            )
            for axis in AXES
        ),
    ),
    quantity=Quantity("tilt", "°", 0.0, 180.0, digits=1),
    constants=(
        *(
            ConstantSpec(
                f"offset_{axis}",
                f"offset {axis}",
                "g",
                0.0,
                0.03,
                SHEET,
                -2,
                2,
                "calibrate",
                Provenance.MEASURED,
                ("convert",),
            )
            for axis in AXES
        ),
        *(
            ConstantSpec(
                f"scale_{axis}",
                f"scale {axis}",
                "",
                1.0,
                0.015,
                SHEET,
                -2,
                2,
                "calibrate",
                Provenance.MEASURED,
            )
            for axis in AXES
        ),
        *(
            ConstantSpec(
                f"bias_{axis}",
                f"bias ω{axis}",
                "°/s",
                0.0,
                3.0,
                UNMEASURED,
                -100,
                100,
                "calibrate",
                Provenance.MEASURED,
                ("convert",),
            )
            for axis in AXES
        ),
        *(
            ConstantSpec(
                f"rate_scale_{axis}",
                f"scale ω{axis}",
                "",
                1.0,
                0.015,
                SHEET,
                0.5,
                2,
                "calibrate",
                Provenance.MEASURED,
                counts=False,
            )
            for axis in AXES
        ),
        ConstantSpec("rate_noise", "gyro noise", "°/√s", None, None, "", 0, 100, "calibrate", counts=False),
        ConstantSpec("rate_wander", "gyro wander", "°/s", None, None, "", 0, 100, "calibrate", counts=False),
        *MOUNTED,
        ConstantSpec(
            "accel_range",
            "accelerometer range",
            "g",
            2.0,
            None,
            "as it wakes",
            1,
            64,
            "wire",
            shown_at=("convert",),
            from_rig=by_option("accel"),
        ),
        ConstantSpec(
            "gyro_range",
            "gyro range",
            "°/s",
            250.0,
            None,
            "as it wakes",
            50,
            10_000,
            "wire",
            shown_at=("convert",),
            from_rig=by_option("gyro"),
        ),
        ConstantSpec(
            "noise", "noise", "counts", 60.0, None, "usual at rest", 0, 5000, "calibrate", counts=False
        ),
        *TILT,
        *FILTER,
    ),
    derived=(),
    reasons=REASONS,
    working=Working(
        asks=_inertial_asks,
        read=_reader(_inertial_axes),
        chains=_inertial_chains,
        more=_inertial_series,
        rules=_rules(_inertial_axes),
        spreads=_inertial_spreads,
        moves=lambda values: (Move("x", 100, "A hundred counts more on x"),),
        bare=("value", "roll", "pitch", "norm", "ax", "ay", "az", "rate_x", "rate_y", "rate_z"),
        inverse=Inverse(5.0, -180.0, 180.0, _inertial_at),
        causes={
            **{f"offset_{axis}": "offset of the axes" for axis in AXES},
            **{f"scale_{axis}": "scale of the axes" for axis in AXES},
        },
    ),
    words=words,
    procedures=("poses", "gyro-rest", "gyro-turn", "gyro-long", "mounting", "level", "filter"),
    decisions=("tilt", "filter"),
    instruments=("level", "angle"),
)
