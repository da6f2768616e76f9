"""A run on the bench: nothing drives, hands move what is sensed, lamps and sounders answer."""

from __future__ import annotations

import math

import numpy as np
import numpy.typing as npt

from tickstone.core.behaviours.behaviour import RANGERS, Behaviour, StepInputs
from tickstone.core.behaviours.indicate import BAR, BLINK, CHASES, DARK, FOLLOWS, MOST_LAMPS, NEAR
from tickstone.core.drive import loop
from tickstone.core.drive.ground import side_share
from tickstone.core.drive.parts import Parts
from tickstone.core.drive.request import (
    Column,
    Event,
    Figure,
    Run,
    RunProgress,
    RunRequest,
    RunVerdict,
    ranger_columns,
    row_columns,
)
from tickstone.core.drive.sensing import flags_of, rangers_of, row_of
from tickstone.core.drive.world import BenchWorld, Schedule
from tickstone.core.rigs.kinds import kind
from tickstone.core.rigs.rig import Rig
from tickstone.core.wording import fixed, often
from tickstone.errors import BadInput

Array = npt.NDArray[np.float64]
Flags = npt.NDArray[np.bool_]
TAPE_MM = 19.0
BAR_ENDS_MM = 1200.0  # from here on a bar is dark
OWN = {"distance": "distance_mm", "line-sensors": "dark"}  # what moves before a sensor, by family or kind


def shown(request: RunRequest, behaviour: Behaviour, parts: Parts, progress: RunProgress) -> Run:
    """Run a behaviour while hands move what its sensor sees. Raises BadInput for ``world`` where they move
    something else."""
    world = request.world
    assert isinstance(world, BenchWorld)
    sensor, what = parts.sensors[0], kind(parts.sensors[0].kind)
    quantity = OWN.get(sensor.kind, OWN.get(what.family, "level"))
    schedule = next(
        (each for each in world.schedules if each.quantity == quantity and each.sensor in ("", sensor.id)),
        None,
    )
    if schedule is None:
        raise BadInput(
            f"On this bench nothing moves what the {sensor.name} sees: {quantity} is missing.", "world"
        )
    count = progress.loops
    if behaviour.least > 1 and behaviour.reads == RANGERS:
        raise BadInput(f"{behaviour.title} needs more than one thing moved: choose a floor.", "world")
    times: Array = np.arange(count, dtype=np.float64) * parts.loop_s
    moved = _moved(schedule, times)
    settings, sensors, choices = dict(parts.settings), np.zeros((0, 4)), np.zeros(1)
    assumed: tuple[str, ...] = ()
    columns: tuple[Column, ...]
    flags = np.zeros((0, 0), np.bool_)
    if behaviour.id == "indicate":
        settings |= {
            name: value for name, value in _lamps(request.rig, quantity).items() if name not in parts.chosen
        }
    if quantity == "distance_mm":
        columns, readings, assumed = _distances(parts, moved)
    elif quantity == "dark":
        row, assumed = row_of(sensor, parts.values[0], parts.spread, parts.hands)
        columns, readings = _row(parts, row, moved)
        sensors, choices = row.sensors, row.choices
        flags = flags_of(row, readings, spans=False)
    else:
        columns, readings = (
            (Column(f"{sensor.id}_level", f"{sensor.name}, level", ""),),
            moved[:, None].copy(),
        )
    inputs = StepInputs(settings, sensors, choices, request.integers)
    memory = behaviour.begin()
    trace = np.zeros((count, loop.READINGS + readings.shape[1]))
    trace[:, [loop.OFFSET, loop.WAY]] = np.nan  # there is no line here
    trace[:, loop.T_S], trace[:, loop.X], trace[:, loop.READINGS :] = times, moved, readings
    for k in range(count):
        progress.reached(k)
        now = readings[k, 1:3] if quantity == "distance_mm" else readings[k]
        behaviour.step(memory, now, inputs, parts.loop_s)
        trace[k, loop.STATE] = memory.state
        size = min(memory.outputs.size, loop.MOST_OUTPUTS)
        trace[k, loop.OUTPUTS : loop.OUTPUTS + size] = memory.outputs[:size]
    judged = _judged(behaviour, settings, quantity, trace, parts.loop_s)
    return Run(
        behaviour, parts.loop_s, trace, columns, judged, assumed, settings, parts.vehicle, world, flags
    )


def _lamps(rig: Rig, quantity: str) -> dict[str, float]:
    """What the lamps of a rig are for, as far as it shows: all of them answer; a bar shows how near, several
    lamps at what only changes run on."""
    bars = [int(lamp.options.get("steps", MOST_LAMPS)) for lamp in rig.outputs if lamp.kind == "led-bar"]
    single = sum(output.kind == "led" for output in rig.outputs)
    lamps = float(min(MOST_LAMPS, max(1, single, *bars)))
    if quantity == "dark":
        return {"mode": DARK, "lamps": lamps}
    if quantity == "distance_mm":
        return (
            {"mode": BAR, "lamps": lamps, "clear_mm": BAR_ENDS_MM} if bars else {"mode": NEAR, "lamps": lamps}
        )
    return {"mode": CHASES if lamps > 1 else FOLLOWS, "lamps": lamps}


def _moved(schedule: Schedule, times: Array) -> Array:
    at = np.array(schedule.at, dtype=np.float64)
    if schedule.quantity == "level":
        return np.asarray(at[np.maximum(np.searchsorted(at[:, 0], times, "right") - 1, 0), 1])
    return np.interp(times, at[:, 0], at[:, 1])


def _distances(parts: Parts, moved: Array) -> tuple[tuple[Column, ...], Array, tuple[str, ...]]:
    """Raw, converted, and whether it is new, of every loop."""
    rangers, assumed = rangers_of(parts.sensors[:1], parts.values[:1], parts.loop_s, parts.spread)
    table, every = rangers.table[0], int(rangers.table[0, loop.EVERY])
    noise, chance = parts.rng(2).standard_normal(moved.size), parts.rng(3).random(moved.size)
    readings = np.zeros((moved.size, 3))
    raw, mm, waiting = math.nan, math.nan, loop.none_waiting(1)[0]
    for k in range(moved.size):
        if k % every == 0:
            heard = loop.ping(float(moved[k]), table, noise[k], chance[k], rangers.raw_of_mm)
            loop.send(k, every - 1, heard, table, parts.loop_s, waiting)
        new = waiting[loop.DUE] == k
        if new:
            raw = float(waiting[loop.HEARD])
            mm = loop.converted(raw, table, rangers.mm_of_raw)
        readings[k] = raw, mm, float(new)
    sensor = parts.sensors[0]
    fresh = Column(f"{sensor.id}_new", f"{sensor.name}, new", "", hidden=True)
    return (*ranger_columns(sensor), fresh), readings, assumed


def _row(parts: Parts, row: loop.RowNumbers, moved: Array) -> tuple[tuple[Column, ...], Array]:
    """Counts of every sensor while tape goes by under the row; ``moved`` is its middle, mm to the left."""
    noise = parts.rng(1).standard_normal((moved.size, row.places.size))
    radius = float(row.mount[loop.SPOT_R])
    readings = np.zeros((moved.size, row.places.size))
    for k, middle in enumerate(moved.tolist()):
        for i, place in enumerate(row.places.tolist()):
            away = abs(place - middle)
            share = (
                side_share((TAPE_MM / 2 - away) / radius) + side_share((TAPE_MM / 2 + away) / radius) - 1.0
            )
            count = row.levels[i, 0] + (row.levels[i, 1] - row.levels[i, 0]) * max(share, 0.0)
            readings[k, i] = count + row.mount[loop.LAMP_COUNTS] + row.mount[loop.ROW_NOISE] * noise[k, i]
    readings = np.clip(np.floor(readings + 0.5), 0.0, row.mount[loop.TOP_CODE])
    return row_columns(row.places.size), readings


def _judged(
    behaviour: Behaviour, settings: dict[str, float], quantity: str, trace: Array, loop_s: float
) -> RunVerdict:
    """How often the answer switched, how often more than it had to, and how late, ms."""
    lit = _answer(behaviour, settings, trace)
    switches = np.flatnonzero(np.diff(lit.astype(int)))
    true = _meant(settings, quantity, trace[:, loop.X])
    late, wanted = (None, 0) if true is None else _late(true, switches, loop_s)
    chatter = 0 if true is None else max(0, int(switches.size) - wanted)
    figures: dict[str, Figure] = {"switches": int(switches.size), "chatter": chatter, "late_ms": late}
    events = tuple(
        Event(float(trace[k + 1, loop.T_S]), "switch", "on" if lit[k + 1] else "off")
        for k in switches.tolist()[:400]
    )
    answer = f"Switches {often(switches.size)}" if switches.size else "Never switches"
    if late is not None:
        answer += f", {fixed(late)} ms behind what moves"
    why = ""
    if true is not None and chatter > 2:
        band = settings["clear_mm"] - settings["trip_mm"]
        why = (
            f"It switched {chatter} times more than what moves asked for: the band of {band:g} mm is too "
            "narrow."
        )
    elif true is not None and wanted and not switches.size:
        why = "It never answered: what moves does not reach its threshold."
    return RunVerdict(figures, events, why, answer)


def _answer(behaviour: Behaviour, settings: dict[str, float], trace: Array) -> Flags:
    """Whether the first lamp was lit by what it tells."""
    place = 2 if behaviour.id == "stop-warn" else 0
    lit = np.asarray(trace[:, loop.OUTPUTS + place] > 0.5)
    return ~lit if settings.get("inverted") else lit


def _meant(settings: dict[str, float], quantity: str, moved: Array) -> Flags | None:
    """How the lamp should answer what moves; None where nobody can tell."""
    mode = settings.get("mode", NEAR if quantity == "distance_mm" else FOLLOWS)
    if BLINK in (settings.get("when_so"), settings.get("when_not")):
        return None
    if quantity == "distance_mm" and mode == NEAR and "trip_mm" in settings:
        return _with_band(moved, settings["trip_mm"], settings["clear_mm"])
    return moved > 0.5 if quantity == "level" and mode == FOLLOWS else None


def _late(true: Flags, switches: npt.NDArray[np.int64], loop_s: float) -> tuple[float | None, int]:
    """How late the answers were on average, ms (None without any), and how many there should be."""
    turns = np.flatnonzero(np.diff(true.astype(int)))
    waits = [switches[switches >= k][0] - k for k in turns if (switches >= k).any()]
    return (round(float(np.mean(waits)) * loop_s * 1000.0, 2) if waits else None), int(turns.size)


def _with_band(moved: Array, trip: float, clear: float) -> Flags:
    """Whether something is near, by trip and clear as they are meant."""
    near = np.zeros(moved.size, bool)
    state = False
    for k, distance in enumerate(moved.tolist()):
        state = True if distance < trip else False if distance > clear else state
        near[k] = state
    return near
