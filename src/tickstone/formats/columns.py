"""Which column of a table is what: guessed by name, said otherwise where a person knows better."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np
import numpy.typing as npt

from tickstone.core import adc, inertial, units
from tickstone.core.constants import Values
from tickstone.core.rigs.kinds import KINDS, kind
from tickstone.core.rigs.kinds.base import VALUE, Kind
from tickstone.core.rigs.labels import by_label
from tickstone.core.rigs.rig import Rig
from tickstone.core.rigs.usual import usual_values
from tickstone.errors import BadInput
from tickstone.formats.mapping import AIR_CHANNEL, wants_air
from tickstone.formats.readings import FileSource
from tickstone.formats.summary import time_column

Array = npt.NDArray[np.float64]


@dataclass(frozen=True)
class SensorCandidate:
    """A sensor that columns may belong to; of a ``bare`` one nothing is known but its kind. ``prefix`` begins
    the names of its converted columns."""

    name: str
    kind: Kind
    values: Values
    bare: bool = False
    prefix: str = ""


@dataclass
class MappedSensor:
    """A sensor with the columns that carry its channels: channel name to column index."""

    candidate: SensorCandidate
    channels: dict[str, int]
    notebook: dict[str, float] = field(default_factory=dict)


@dataclass(frozen=True)
class FormulaColumns:
    """Columns turned by a formula that needs no sensor: names of the results, and the function of the
    columns."""

    columns: tuple[int, ...]
    results: tuple[str, ...]
    formula: Callable[..., tuple[Array, ...]]


@dataclass
class ColumnPlan:
    """What becomes of each column. ``time`` is the column of the time, and its µs; ``target`` says it by
    column name."""

    time: tuple[int, float] | None
    mapped: list[MappedSensor]
    plain: list[FormulaColumns]
    target: dict[str, str]
    adc_bits: int = 10
    adc_reference_v: float = 5.0


CONVERTER = {"bits", "reference", "noise"}  # what is known of a converter makes no sensor known


def bare_candidates(constants: Mapping[str, float]) -> list[SensorCandidate]:
    """Every kind as a part of which nothing is known but what ``constants`` says. Raises BadInput for a name
    that no kind has."""
    every = {spec.name for known in KINDS.values() for spec in known.constants}
    for name in constants:
        if name not in every:
            raise BadInput(f"No sensor has a constant {name!r}.", name)
    candidates = []
    for known in KINDS.values():
        own = {spec.name: constants[spec.name] for spec in known.constants if spec.name in constants}
        candidates.append(
            SensorCandidate(known.id, known, usual_values(known, values=own), bare=not set(own) - CONVERTER)
        )
    return candidates


def rig_candidates(rig: Rig, constants: Mapping[str, float]) -> list[SensorCandidate]:
    """The sensors of a rig with their usual constants, those of its board, and ``constants`` by name."""
    candidates = []
    for sensor in rig.sensors:
        what = kind(sensor.kind)
        own = {spec.name: constants[spec.name] for spec in what.constants if spec.name in constants}
        values = usual_values(what, rig, sensor, own)
        candidates.append(SensorCandidate(sensor.id, what, values, prefix=sensor.id))
    return [*candidates, *air_candidates(rig)]


def air_candidates(rig: Rig) -> list[SensorCandidate]:
    """The air that a table tells of a rig without a thermometer."""
    if not wants_air(rig):
        return []
    what = kind("air-temperature")
    return [SensorCandidate(AIR_CHANNEL, what, usual_values(what))]


def targets(candidates: Sequence[SensorCandidate]) -> dict[str, tuple[SensorCandidate, str]]:
    """Everything that a column can be said to be, as sensor.channel."""
    return {
        f"{candidate.name}.{channel.name}": (candidate, channel.name)
        for candidate in candidates
        for channel in candidate.kind.channels
    }


def plan(
    table: FileSource, candidates: Sequence[SensorCandidate], said: Mapping[str, str] | None = None
) -> ColumnPlan:
    """Decide what each column of a table is.

    Parameters: table; candidates, sensors in order of preference; said, column name to sensor.channel, or to
    nothing for a column to be left alone, where the guess is not to be asked.
    Returns: Plan. Raises: BadInput naming a column or target that is not there.
    """
    names = [column.name for column in table.columns]
    known = targets(candidates)
    given = dict(said or {})
    for column, target in given.items():
        if column not in names:
            raise BadInput(f"There is no column {column!r}; there are {', '.join(names)}.", "column")
        if target and target not in known:
            raise BadInput(f"{target!r} is nothing that a column can be here.", "column")
    labels = by_label((candidate.name, candidate.kind.channels) for candidate in candidates)
    made = ColumnPlan(None, [], [], {})
    time = time_column(table, besides=given)
    grouped: dict[str, MappedSensor] = {}
    for index, name in enumerate(names):
        labelled = labels.get(name.lower())
        target = given.get(name, f"{labelled[0]}.{labelled[1].name}" if labelled else "")
        if time is not None and name == time[0]:
            made.time = index, time[1]
        elif target:
            made.target[name] = target
            candidate, channel = known[target]
            grouped.setdefault(candidate.name, MappedSensor(candidate, {})).channels[channel] = index
    made.mapped = [mapped for mapped in grouped.values() if _complete(mapped)]
    used = {position for mapped in made.mapped for position in mapped.channels.values() if _results(mapped)}
    reference = next((c.values for c in candidates if "reference" in c.values), None)
    if reference is not None:
        made.adc_bits, made.adc_reference_v = int(reference["bits"].value), reference["reference"].value
    made.plain = _plain(names, used, given, made)
    if not made.plain and not any(_results(mapped) for mapped in made.mapped):
        raise BadInput(
            f"None of the columns ({', '.join(names)}) is a raw reading that is known here.", "file"
        )
    return made


def _results(mapped: MappedSensor) -> bool:
    return not mapped.candidate.bare or bool(mapped.candidate.kind.working.bare)


def _complete(mapped: MappedSensor) -> bool:
    """Whether the columns at hand are enough: those of the needed channels, or any where one will do."""
    what, values = mapped.candidate.kind, mapped.candidate.values
    needed = {ask.name for ask in what.working.asks(values) if ask.needed}
    return needed & {channel.name for channel in what.channels} <= set(mapped.channels)


def _plain(
    names: Sequence[str], used: set[int], known: Mapping[str, str], made: ColumnPlan
) -> list[FormulaColumns]:
    results = []
    lower = [name.lower() for name in names]
    for index, name in enumerate(lower):
        if index in used or names[index] in known:
            continue
        if name.endswith("_adc"):
            bits, reference = made.adc_bits, made.adc_reference_v

            def volts(counts: Array, bits: int = bits, reference: float = reference) -> tuple[Array, ...]:
                inside = (counts >= 0) & (counts <= 2**bits - 1)
                return (np.where(inside, counts, np.nan) * adc.lsb_v(bits, reference),)

            results.append(FormulaColumns((index,), (f"{name.removesuffix('_adc')}_v",), volts))
        length = re.fullmatch(r"(.*distance)_(cm|in)", name)
        if length and f"{length[1]}_mm" not in lower:
            factor = units.LENGTHS_MM[length[2]]
            results.append(
                FormulaColumns((index,), (f"{length[1]}_mm",), lambda x, factor=factor: (x * factor,))
            )
    if {"ax_g", "ay_g", "az_g"} <= set(lower):
        columns = tuple(lower.index(f"a{axis}_g") for axis in inertial.AXES)
        results.append(FormulaColumns(columns, ("roll_deg", "pitch_deg", "tilt_deg"), _tilt))
    return results


def _tilt(x: Array, y: Array, z: Array) -> tuple[Array, ...]:
    nothing = (x == 0) & (y == 0) & (z == 0)
    tilt = inertial.tilt(np.where(nothing, np.nan, x), y, z)
    return tilt.roll_deg, tilt.pitch_deg, tilt.tilt_deg


def result_name(prefix: str, name: str, unit: str) -> str:
    """Name of a converted column: whose it is, what it is, and its unit."""
    plain = re.sub(r"[^a-z0-9]+", "_", name.lower()).strip("_")
    begin = re.sub(r"[^a-z0-9]+", "_", prefix.lower()).strip("_")
    if begin and not plain.startswith(begin):
        plain = f"{begin}_{plain}"
    tail = units.COLUMNS.get(unit, re.sub(r"[^a-z0-9]+", "_", unit.lower()).strip("_"))
    return plain if not tail or plain.endswith(f"_{tail}") or plain == tail else f"{plain}_{tail}"


def wanted_results(mapped: MappedSensor, series: Sequence[str]) -> list[str]:
    """Which results of a mapped sensor are written: all of a known one, the bare ones of a loose one."""
    every = [VALUE, *series]
    bare = mapped.candidate.kind.working.bare
    return [name for name in every if name in bare] if mapped.candidate.bare else every


def apart(name: str, taken: set[str]) -> str:
    """A name that no other column has; it is taken from now on.

    >>> taken = {"front_mm"}
    >>> apart("front_mm", taken), apart("front_mm", taken)
    ('front_mm_2', 'front_mm_3')
    """
    free, count = name, 2
    while free in taken:
        free, count = f"{name}_{count}", count + 1
    taken.add(free)
    return free
