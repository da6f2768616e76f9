"""A run on a rail: a ball on a beam that a servo tilts, a float in a tube over a fan."""

from __future__ import annotations

import math

import numpy as np
import numpy.typing as npt

from tickstone.core.behaviours.behaviour import SERVO, Behaviour, StepInputs
from tickstone.core.control import step_metrics
from tickstone.core.drive import loop
from tickstone.core.drive.parts import Parts
from tickstone.core.drive.request import (
    Event,
    Figure,
    Run,
    RunProgress,
    RunRequest,
    RunVerdict,
    ranger_columns,
)
from tickstone.core.drive.sensing import rangers_of
from tickstone.core.drive.world import RailWorld
from tickstone.core.wording import fixed, often
from tickstone.errors import BadInput

Array = npt.NDArray[np.float64]
GRAVITY_MM_S2 = 9806.65
ROLLS = 5.0 / 7.0  # of the slope's pull goes into moving a solid ball that rolls
DRAG = 2.0  # 1/s, of a float in its tube
RESTS_MM_S = 0.5
SERVO_END_DEG = 180.0
SWINGS_SHARE, OFF_SHARE = 0.2, 0.05  # of the rail: it does not hold
TOO_FAST = 1.1  # times what the servo can: it is asked for more
DROPOUT_SHARE = 0.01  # of pings at a small round thing, common practice


class Plant:
    """What moves on a rail: where it is, mm from the ranger, and how fast, mm/s."""

    def __init__(self, world: RailWorld) -> None:
        self.world, self.x, self.v = world, world.from_mm + world.start_mm, 0.0
        self._fan = self._angle = world.level

    def push(self, mm: float) -> None:
        """Move it by hand, as far as the rail goes."""
        low = self.world.from_mm
        self.x = min(max(self.x + mm, low), low + self.world.length_mm)

    def advance(self, output: float, dt: float) -> None:
        """Carry it on by ``dt``, s, under an output: the servo's angle, or how strong the fan is."""
        world = self.world
        if world.plant == "beam":
            most = world.servo_deg_s * dt if world.servo_deg_s else math.inf
            wanted = min(max(output, 0.0), SERVO_END_DEG)
            self._angle += min(max(wanted - self._angle, -most), most)
            slope = math.sin(math.radians(world.gain * (self._angle - world.level)))
            pull = GRAVITY_MM_S2 * ROLLS * slope
            sticks = world.stiction * GRAVITY_MM_S2
            if abs(self.v) < RESTS_MM_S and abs(pull) <= sticks:
                self.v = 0.0
            else:
                self.v += (pull - math.copysign(sticks, self.v if abs(self.v) >= RESTS_MM_S else pull)) * dt
        else:
            self._fan += (output - self._fan) * (1.0 - math.exp(-dt / world.lag_s))
            self.v += (-world.gain * 40.0 * (self._fan - world.level) - DRAG * self.v) * dt
        self.x += self.v * dt
        low, high = world.from_mm, world.from_mm + world.length_mm
        if self.x < low or self.x > high:
            self.x, self.v = min(max(self.x, low), high), 0.0


def check_holds(behaviour: Behaviour) -> None:
    """Raises BadInput for ``world`` where a behaviour holds no distance."""
    if SERVO not in behaviour.moves:
        raise BadInput(f"{behaviour.title} holds no distance: choose a floor, a table or the bench.", "world")


def held(request: RunRequest, behaviour: Behaviour, parts: Parts, progress: RunProgress) -> Run:
    """Run a behaviour that holds a distance. Raises BadInput for ``world`` where it holds none."""
    world = request.world
    assert isinstance(world, RailWorld)
    check_holds(behaviour)
    settings = settings_on(world, parts)
    rangers, assumed = rangers_of(
        parts.sensors[:1], parts.values[:1], parts.loop_s, parts.spread, DROPOUT_SHARE
    )
    inputs = StepInputs(settings, integers=request.integers)
    trace = np.zeros((progress.loops, loop.READINGS + 2))
    trace[:, [loop.OFFSET, loop.WAY]] = np.nan  # there is no line here
    _simulate(request, world, behaviour, inputs, parts, rangers, trace, progress)
    return Run(
        behaviour,
        parts.loop_s,
        trace,
        ranger_columns(parts.sensors[0]),
        _judged(world, behaviour, settings, parts.loop_s, trace),
        (*assumed, "stiction", "servo"),
        settings,
        parts.vehicle,
        world,
    )


def settings_on(world: RailWorld, parts: Parts) -> dict[str, float]:
    """The settings on a rail; over a fan, more of it brings the float nearer to the ranger above it, so the
    output runs the other way."""
    settings = dict(parts.settings)
    if world.plant == "tube":
        usual = {"low_deg": 100.0, "high_deg": 0.0, "safe_deg": 30.0, "deg_per_s": 0.0, "kd": 1.2, "ki": 0.3}
        settings |= {name: value for name, value in usual.items() if name not in parts.chosen}
    return settings


def _simulate(
    request: RunRequest,
    world: RailWorld,
    behaviour: Behaviour,
    inputs: StepInputs,
    parts: Parts,
    rangers: loop.RangerNumbers,
    trace: Array,
    progress: RunProgress,
) -> None:
    """Fill a trace; x is the distance from the ranger, the speed is the left wheel's column."""
    memory = behaviour.begin()
    memory.outputs[0] = world.level
    plant = Plant(world)
    noise: Array = parts.rng(2).standard_normal((trace.shape[0],))
    chance: Array = parts.rng(3).random((trace.shape[0],))
    table, every = rangers.table[0], int(rangers.table[0, loop.EVERY])
    substeps = max(1, round(1000.0 * parts.loop_s / request.step_ms))
    dt = parts.loop_s / substeps
    readings = np.array([math.nan, 0.0])
    raw, waiting = math.nan, loop.none_waiting(1)[0]
    pushed, held = parts.moment("push_s"), parts.moment("hold_s")
    holds = range(int(held), int(held + parts.hands["hold_for_s"] / parts.loop_s) if held >= 0 else -1)
    for k in range(trace.shape[0]):
        progress.reached(k)
        row = trace[k]
        if k % every == 0:
            heard = loop.ping(plant.x, table, noise[k], chance[k], rangers.raw_of_mm)
            loop.send(k, every - 1, heard, table, parts.loop_s, waiting)
        readings[1] = 1.0 if waiting[loop.DUE] == k else 0.0
        if readings[1]:
            raw = float(waiting[loop.HEARD])
            readings[0] = loop.converted(raw, table, rangers.mm_of_raw)
        behaviour.step(memory, readings, inputs, parts.loop_s)
        row[[loop.T_S, loop.X, loop.LEFT_V, loop.STATE]] = k * parts.loop_s, plant.x, plant.v, memory.state
        row[loop.OUTPUTS] = memory.outputs[0]
        row[loop.READINGS], row[loop.READINGS + 1] = raw, readings[0]
        if k == pushed:
            plant.push(parts.hands["push_mm"])
        if k in holds:
            plant.v = 0.0
            continue
        for _ in range(substeps):
            plant.advance(memory.outputs[0], dt)


def _judged(
    world: RailWorld, behaviour: Behaviour, settings: dict[str, float], loop_s: float, trace: Array
) -> RunVerdict:
    x, wanted, out = trace[:, loop.X], settings["set_mm"], trace[:, loop.OUTPUTS]
    late = slice(trace.shape[0] // 2, None)
    error = x - wanted
    low, high = sorted((settings["low_deg"], settings["high_deg"]))
    clamped = (out <= low + 1e-6) | (out >= high - 1e-6)
    slew = settings["deg_per_s"] * loop_s
    slewed = np.abs(np.diff(out)) >= slew - 1e-9 if slew else np.zeros(out.size - 1, bool)
    response = step_metrics(trace[:, loop.T_S], x, wanted) if abs(x[0] - wanted) > 1.0 else None
    figures: dict[str, Figure] = {
        "rms_mm": round(float(np.sqrt((error[late] ** 2).mean())), 3),
        "overshoot_pct": None if response is None else round(response.overshoot_pct, 2),
        "settling_s": None
        if response is None or response.settling_s is None
        else round(response.settling_s, 3),
        "steady_mm": round(float(error[late].mean()), 3),
        "clamped_share": round(float(clamped.mean()), 4),
        "slewed_share": round(float(slewed.mean()), 4),
    }
    states = trace[:, loop.STATE].astype(int)
    events = tuple(
        Event(float(trace[k, loop.T_S]), "state", behaviour.states[states[k]])
        for k in (np.flatnonzero(np.diff(states)) + 1).tolist()[:400]
    )
    events = (*_too_fast(world, out, trace[:, loop.T_S], loop_s), *events)
    rms = float(figures["rms_mm"] or 0.0)
    near, far = world.from_mm, world.from_mm + world.length_mm
    last = x[-max(1, x.size // 10) :]
    at_end = bool((last <= near + 1.0).all() or (last >= far - 1.0).all())
    if at_end:
        away = (wanted - float(last[0])) * (float(out[-1]) - world.level)
        sign = -1.0 if world.plant == "tube" else 1.0
        wrong = away * sign < 0
        why = f"It ran to the end at {fixed(float(last[0]))} mm and stays there: " + (
            "the output pushes it on, so the sign is the wrong way round."
            if wrong
            else f"an output of {fixed(float(out[-1]))} does not bring it back."
        )
        return RunVerdict(figures, events, why, f"Runs to its end, {fixed(float(last[0]))} mm")
    if (
        rms > SWINGS_SHARE * world.length_mm
        or abs(float(figures["steady_mm"] or 0.0)) > OFF_SHARE * world.length_mm
    ):
        half = error[late]
        swings = int((np.diff(np.sign(half[np.abs(half) > 2.0])) != 0).sum())
        why = (
            f"It swings {often(swings)} in the second half, {fixed(float(np.abs(half).max()))} mm wide: less "
            "kp, or more kd."
            if swings >= 3
            else f"It stays {fixed(float(half.mean()))} mm off: a small ki would bring it home."
        )
        return RunVerdict(figures, events, why, f"Does not hold: {fixed(rms)} mm off")
    return RunVerdict(figures, events, "", f"Holds {fixed(wanted)} mm within {fixed(2 * rms, 1)} mm")


def _too_fast(world: RailWorld, out: Array, times: Array, loop_s: float) -> tuple[Event, ...]:
    """A warning where the servo is asked to move faster than it can."""
    if world.plant != "beam" or not world.servo_deg_s or out.size < 2:
        return ()
    asked = np.abs(np.diff(out)) / loop_s
    fast = np.flatnonzero(asked > TOO_FAST * world.servo_deg_s)
    if not fast.size:
        return ()
    words = (
        f"asks the servo for {fixed(float(asked.max()))} °/s, it moves at {fixed(world.servo_deg_s)}: it "
        "lags behind, and wears"
    )
    return (Event(float(times[fast[0] + 1]), "warning", words),)
