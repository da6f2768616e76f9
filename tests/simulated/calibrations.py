"""Simulated calibrations with known truth: each gives the steps that a person would have held, and what is
really so.

This is not the stand-in's code. Truth is drawn anew for every seed; hands, noise, rounding and temperature
are as a bench has them. Rulers scatter by 1 mm, turns by hand by 1.5°, placements by 0.15°: the amounts that
the procedures state.

What sensors scatter by has a shape of its own (``NOISES``): white as in books, or rough as at a bench.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace

import numpy as np
from scipy.signal import lfilter

from tickstone.core import motor_halls
from tickstone.core.calibration.catalogue import PROCEDURES
from tickstone.core.calibration.procedure import Outcome, Step, Window
from tickstone.core.constants import Value, settle
from tickstone.core.inertial import gravity_at
from tickstone.core.motion import arc_step
from tickstone.core.rigs.kinds import kind
from tickstone.errors import BadInput

Random = np.random.Generator
Truth = dict[str, float]
Simulated = tuple[list[Step], Truth, dict[str, Value]]

TOGETHER = 0.8  # correlation of neighbours
COARSE_SDS = 4.0  # steps that no part sheet tells, in sds of the noise
DRIFT_SDS = 2.0  # from the first reading to the last


@dataclass(frozen=True)
class Noise:
    """The shape of a noise: n values of sd 1 in time order, the steps that readings come in, in sds (0: none
    but the converter's), and how many times the noise of white readings long means have."""

    shape: Callable[[Random, int], np.ndarray]
    steps_sds: float = 0.0
    long_run: float = 1.0


def _white(random: Random, n: int) -> np.ndarray:
    return random.normal(0, 1, n)


def _together(random: Random, n: int) -> np.ndarray:
    settled = 100
    white = random.normal(0, math.sqrt(1 - TOGETHER**2), n + settled)
    return np.asarray(lfilter([1.0], [1.0, -TOGETHER], white)[settled:])


def _tails(random: Random, n: int) -> np.ndarray:
    return random.standard_t(3, n) / math.sqrt(3)


def _drift(random: Random, n: int) -> np.ndarray:
    return _white(random, n) + random.choice([-1, 1]) * DRIFT_SDS * np.linspace(-0.5, 0.5, n)


WHITE = "white"
NOISES = {
    WHITE: Noise(_white),
    "correlated": Noise(_together, long_run=math.sqrt((1 + TOGETHER) / (1 - TOGETHER))),
    "coarse": Noise(_white, COARSE_SDS),
    "heavy tails": Noise(_tails),
    "drifting": Noise(_drift),
}


@dataclass(frozen=True)
class Bench:
    """Chance, and the shape that sensors' noise has."""

    random: Random
    noise: Noise

    def read(self, level: np.ndarray | float, sd: float, n: int, step: float = 0.0) -> np.ndarray:
        """n readings of a level, shape () or (n,), with noise, rounded to steps."""
        readings = level + sd * self.noise.shape(self.random, n)
        step = max(step, self.noise.steps_sds * sd)
        return np.round(readings / step) * step if step else readings


def values_of(kind_id: str, **changed: float) -> dict[str, Value]:
    """The constants of a kind at their defaults, some changed."""
    what = kind(kind_id)
    values = settle(what.constants, what.derived, {})
    for name, value in changed.items():
        spec = what.specs[name]
        blank = Value(name, spec.label, spec.unit, value, 0.0, spec.typed_as, "simulated")
        values[name] = replace(values.get(name, blank), value=value)
    return values


def window(rate_hz: float, columns: Mapping[str, np.ndarray], **more: object) -> Window:
    """Evenly spaced readings."""
    n = len(next(iter(columns.values())))
    return Window(np.arange(n) / rate_hz, {name: np.asarray(c, float) for name, c in columns.items()}, **more)  # type: ignore[arg-type]


def held(name: str, key: str, truth: Mapping[str, float], seen: Window, values: Mapping[str, Value]) -> Step:
    """A step as the procedure takes it."""
    return Step(
        key,
        key,
        dict(truth),
        PROCEDURES[name].take(seen, key, values),
        int(seen.times_s.size),
        air_c=seen.air_c,
    )


def ruler(bench: Bench) -> Simulated:
    """Five places, echoes with jitter and a 4 µs timer, 20 pings a second for two seconds."""
    random = bench.random
    values = values_of("ultrasonic-ranger")
    speed, offset = random.uniform(332, 356), random.uniform(-6, 6)
    jitter, steps = random.uniform(2, 12), []
    for at in (150.0, 250.0, 400.0, 600.0, 900.0):
        real = at + random.normal(0, 1.0)
        echo = bench.read(2000 * (real - offset) / speed, jitter, 40, 4.0)
        steps.append(held("ruler", f"{at:g}", {"true_mm": at}, window(20, {"echo": echo}), values))
    return steps, {"sound": speed, "offset": offset}, values


def air(bench: Bench) -> Simulated:
    """Thirty readings of a thermometer that is off by its own half degree."""
    random = bench.random
    values, real = values_of("ultrasonic-ranger"), random.uniform(5, 35)
    readings = bench.read(real + random.normal(0, 0.5), 0.15, 30, 0.1)
    step = held("air", "air", {"samples": 30}, Window(np.zeros(1), {}, air=readings, air_sd=0.5), values)
    return [step], {"air": real}, values


def hyperbola(bench: Bench) -> Simulated:
    """Eight places of a triangulation ranger, a 10-bit converter, noise of a few counts."""
    random = bench.random
    values = values_of("triangulation-ranger")
    a, b, c = random.uniform(230, 290), random.uniform(2, 16), random.uniform(0.01, 0.12)
    noise, steps = random.uniform(1, 4), []
    for at in PROCEDURES["hyperbola"].places_mm(values):  # type: ignore[attr-defined]
        real = at + random.normal(0, 1.0)
        counts = bench.read((a / (real + b) + c) / (5 / 1024), noise, 60, 1.0)
        steps.append(held("hyperbola", f"{at:g}", {"true_mm": at}, window(30, {"counts": counts}), values))
    return steps, {"a": a, "b": b, "c": c}, values


def time_of_flight(bench: Bench) -> Simulated:
    """Five places of a time-of-flight ranger."""
    random = bench.random
    values = values_of("time-of-flight-ranger")
    scale, offset, steps = random.uniform(0.96, 1.04), random.uniform(-12, 12), []
    for at in PROCEDURES["ruler-mm"].places_mm(values):  # type: ignore[attr-defined]
        real = at + random.normal(0, 1.0)
        reading = bench.read((real - offset) / scale, 2.0, 40, 1.0)
        steps.append(held("ruler-mm", f"{at:g}", {"true_mm": at}, window(20, {"reading": reading}), values))
    return steps, {"scale": scale, "offset": offset}, values


def line(bench: Bench) -> Simulated:
    """Ground and line under five sensors, white noise and rounding."""
    random = bench.random
    values, steps, truth = values_of("line-sensors"), [], {}
    levels = {"ground": random.uniform(120, 260, 5), "line": random.uniform(650, 850, 5)}
    noise = random.uniform(0.4, 6)
    for span, level in levels.items():
        seen = {f"s{i + 1}": bench.read(level[i], noise, 100, 1.0) for i in range(5)}
        steps.append(held("line", span, {}, window(50, seen), values))
        truth |= {f"{'white' if span == 'ground' else 'black'}_s{i + 1}": float(level[i]) for i in range(5)}
    return steps, truth, values


def _hand_pose(random: Random, pose: str, spread_deg: float) -> np.ndarray:
    g = np.zeros(3)
    g["xyz".index(pose[1])] = 1.0 if pose[0] == "+" else -1.0
    tilt = np.radians(random.normal(0, spread_deg, 3))
    turned = g + np.cross(tilt, g)
    return turned / np.linalg.norm(turned)


def poses(bench: Bench) -> Simulated:
    """Six poses of an analogue accelerometer, held by hand to a few degrees."""
    random = bench.random
    values = values_of("analogue-accelerometer")
    zeros, gains = random.uniform(1.5, 1.8, 3), random.uniform(0.3, 0.36, 3)
    noise, steps = random.uniform(0.5, 2.5), []
    for pose in ("+z", "-z", "+x", "-x", "+y", "-y"):
        g = _hand_pose(random, pose, 2.0)
        counts = (zeros + gains * g) / (5 / 1024)
        seen = {axis: bench.read(counts[i], noise, 100, 1.0) for i, axis in enumerate("xyz")}
        steps.append(held("poses", pose, {}, window(50, seen), values))
    truth = {f"zero_{axis}": zeros[i] for i, axis in enumerate("xyz")}
    return steps, truth | {f"per_g_{axis}": gains[i] for i, axis in enumerate("xyz")}, values


def unit_poses(bench: Bench) -> Simulated:
    """Six poses of an inertial unit."""
    random = bench.random
    values = values_of("inertial-unit")
    offsets, scales = random.normal(0, 0.03, 3), 1 + random.normal(0, 0.015, 3)
    steps = []
    for pose in ("+z", "-z", "+x", "-x", "+y", "-y"):
        counts = (_hand_pose(random, pose, 2.0) + offsets) / scales * 16384
        seen = {axis: bench.read(counts[i], 60, 100, 1.0) for i, axis in enumerate("xyz")}
        steps.append(held("poses", pose, {}, window(50, seen), values))
    truth = {f"offset_{axis}": offsets[i] for i, axis in enumerate("xyz")}
    return steps, truth | {f"scale_{axis}": scales[i] for i, axis in enumerate("xyz")}, values


def gyro_rest(bench: Bench) -> Simulated:
    """Five seconds of rest."""
    random = bench.random
    values, bias = values_of("inertial-unit"), random.normal(0, 2, 3)
    per_dps, noise = 32768 / 250, random.uniform(0.03, 0.3)
    seen = {
        f"g{axis}": bench.read(bias[i] * per_dps, noise * per_dps, 250, 1.0) for i, axis in enumerate("xyz")
    }
    step = held("gyro-rest", "rest 1", {}, window(50, seen), values)
    return [step], {f"bias_{axis}": bias[i] for i, axis in enumerate("xyz")}, values


def gyro_turn(bench: Bench) -> Simulated:
    """Four whole turns by hand, each ending within 1.5° of where it should."""
    random = bench.random
    values, bias, scale = values_of("inertial-unit"), random.normal(0, 2), random.uniform(0.97, 1.03)
    steps, per_dps = [], 32768 / 250
    for n in range(1, 5):
        turned, lasts = 360 + random.normal(0, 1.5), random.uniform(4, 7)
        t = np.arange(0, lasts + 3, 0.02)
        share = np.clip((t - 1.5) / lasts, 0, 1)
        rate = np.gradient(turned * (share - np.sin(2 * np.pi * share) / (2 * np.pi)), t)
        z = bench.read((rate / scale + bias) * per_dps, 0.1 * per_dps, t.size, 1.0)
        flat = [bench.read(0.0, 0.1 * per_dps, t.size, 1.0) for _ in range(2)]
        steps.append(
            held(
                "gyro-turn",
                f"turn {n}",
                {"turned_deg": 360},
                window(50, {"gx": flat[0], "gy": flat[1], "gz": z}),
                values,
            )
        )
    return steps, {"rate_scale_z": scale}, values


def gyro_long(bench: Bench) -> Simulated:
    """Two minutes of rest at 50 Hz: noise alone."""
    random = bench.random
    values, density = values_of("inertial-unit"), random.uniform(0.005, 0.05)
    sd = density * math.sqrt(50) * 32768 / 250
    seen = {f"g{axis}": bench.read(0.0, sd, 6000) for axis in "xyz"}
    return (
        [held("gyro-long", "rest", {"seconds": 120}, window(50, seen), values)],
        {"rate_noise": density * bench.noise.long_run},
        values,
    )


def roll_out(bench: Bench) -> Simulated:
    """Three runs of ten turns: both ends found on the tape, the turn's mark to a hundredth."""
    random = bench.random
    values, way = values_of("hall-switch"), random.uniform(600, 2000)
    runs = [10 * way + random.normal(0, math.sqrt(2) * 2.0) + random.normal(0, 0.01 * way) for _ in range(3)]
    return (
        [
            Step(f"run {i}", f"run {i}", {"turns": 10, "distance_mm": run}, None)
            for i, run in enumerate(runs, 1)
        ],
        {"circumference": way},
        values,
    )


def steady_run(bench: Bench) -> Simulated:
    """Four magnets, unevenly spaced, thirty turns at a speed that creeps a little."""
    random = bench.random
    values = values_of("hall-switch", magnets=4)
    gaps = np.array([1.15, 1.0, 0.9, 0.95]) * (1 + random.normal(0, 0.01, 4))
    shares = gaps / gaps.sum()
    turns = np.cumsum(np.tile(shares, 30))
    seconds = turns / 3.0 * (1 + 0.01 * turns / turns[-1])
    edges = bench.read(1e6 * seconds, 0.0008 / 3.0 * 1e6, 120, 4.0)
    seen = Window(edges / 1e6, {"edge": edges, "level": np.full(seconds.shape, np.nan)})
    order = np.roll(shares, -int(np.argmax(shares)))
    return (
        [held("steady-run", "run", {}, seen, values)],
        {f"gap_{i}": s for i, s in enumerate(order, 1)},
        values,
    )


def hall_spin(bench: Bench) -> Simulated:
    """Thirty electrical turns of three Halls, each a few degrees out of its place."""
    random = bench.random
    values, places = values_of("motor-halls"), random.normal(0, 4, 3)
    places -= places.mean()
    order = motor_halls.SEQUENCES["120"]
    times, codes = [], []
    for cycle in range(30):
        for i in range(6):
            bit = int(order[i - 1]) ^ int(order[i])
            place = {4: places[0], 2: places[1], 1: places[2]}[bit]
            times.append((cycle * 360 + 60 * i + place) / 360 / 20)
            codes.append(order[i])
    code = np.array(codes)
    levels = {f"h{n + 1}": ((code >> (2 - n)) & 1).astype(float) for n in range(3)}
    seen = Window(bench.read(1e6 * np.array(times), 1e6 * 0.4 / 360 / 20, len(times), 1.0) / 1e6, levels)
    return (
        [held("hall-spin", "spin", {}, seen, values)],
        {f"place_h{i + 1}": p for i, p in enumerate(places)},
        values,
    )


def voltmeter(bench: Bench) -> Simulated:
    """Two states of a battery by a meter that is right to half a percent."""
    random = bench.random
    values, ratio, steps = values_of("battery-divider"), random.uniform(1.9, 2.1), []
    for n, volts in enumerate((6.6, 8.3), 1):
        counts = bench.read(volts / ratio / (5 / 1024), 2.0, 20, 1.0)
        said = volts + random.normal(0, math.hypot(0.005 * volts, 0.01))
        steps.append(
            held("voltmeter", f"reading {n}", {"volts": said}, window(5, {"counts": counts}), values)
        )
    return steps, {"ratio": ratio}, values


def level(bench: Bench) -> Simulated:
    """Reversal on a bench that slopes."""
    random = bench.random
    values = values_of("inertial-unit")
    roll, pitch, slope_roll, slope_pitch = random.normal(0, 2, 4)
    steps = []
    for key, sign in (("there", 1), ("turned", -1)):
        g = gravity_at(
            roll + sign * slope_roll + random.normal(0, 0.15),
            pitch + sign * slope_pitch + random.normal(0, 0.15),
        )
        seen = {axis: bench.read(g[i] * 16384, 0.003 * 16384, 100, 1.0) for i, axis in enumerate("xyz")}
        steps.append(held("level", key, {}, window(50, seen), values))
    return steps, {"level_roll": roll, "level_pitch": pitch}, values


def squares(bench: Bench) -> Simulated:
    """Four squares each way round by a vehicle whose track and wheels are not what it thinks."""
    random = bench.random
    values = values_of("hall-switch", track=150.0)
    track, share, side, steps = 150 * random.uniform(0.95, 1.05), random.uniform(-0.004, 0.004), 2000.0, []
    for n in range(1, 9):
        way = 1.0 if n % 2 else -1.0
        x = y = heading = 0.0
        for _ in range(4):
            slip = 1 + random.normal(0, 0.001)
            x, y, heading = arc_step(
                side * (1 - share / 2), side * (1 + share / 2) * slip, track, x, y, heading
            )
            heading += way * 90.0 * 150.0 / track + random.normal(0, 0.4)
        truth = {
            "round": (way + 1) / 2,
            "side_mm": side,
            "ahead_mm": x + random.normal(0, 3),
            "left_mm": y + random.normal(0, 3),
        }
        steps.append(Step(f"square {n}", f"square {n}", truth, None))
    return steps, {"track": track, "mismatch": 100 * share / (1 - share / 2)}, values


def straight_run(bench: Bench) -> Simulated:
    """Four straight runs."""
    random = bench.random
    values, share, steps = values_of("hall-switch", track=150.0), random.uniform(-0.03, 0.03), []
    for n in range(1, 5):
        x, y, _ = arc_step(
            2000 * (1 - share / 2), 2000 * (1 + share / 2), 150.0, heading_deg=random.normal(0, 0.3)
        )
        steps.append(
            Step(f"run {n}", f"run {n}", {"distance_mm": x, "left_mm": y + random.normal(0, 3)}, None)
        )
    return steps, {"mismatch": 100 * share}, values


def dead_band(bench: Bench) -> Simulated:
    """Four tries, read to a whole percent."""
    random = bench.random
    values, real = values_of("hall-switch"), random.uniform(10, 30, 2)
    tries = [np.round(real + random.normal(0, 1.5, 2)) for _ in range(4)]
    steps = [
        Step(f"try {i}", f"try {i}", {"left_pct": float(a), "right_pct": float(b)}, None)
        for i, (a, b) in enumerate(tries, 1)
    ]
    return steps, {"dead_band_left": real[0], "dead_band_right": real[1]}, values


def still(bench: Bench) -> Simulated:
    """Noise of a still line sensor."""
    random = bench.random
    values, noise = values_of("line-sensors"), random.uniform(3, 12)
    seen = {"s1": bench.read(400.0, noise, 300, 1.0)}
    return [held("filter", "still", {}, window(100, seen), values)], {"noise": noise}, values


def motor_lag(bench: Bench) -> Simulated:
    """Three runs from rest of an encoder's roller, by integration of the lag in fine steps; every edge a
    little out of its place."""
    random = bench.random
    values, steps = values_of("encoder", dead_band_left=8.0, dead_band_right=8.0), []
    band_sd = 1.0
    values |= {name: replace(values[name], sd=band_sd) for name in ("dead_band_left", "dead_band_right")}
    band, round_mm = 8.0 + random.normal(0, band_sd), values["circumference"]
    lag, top = random.uniform(0.08, 0.3), random.uniform(300, 900)
    per_turn, wheel = int(values["steps"].value), round_mm.value + random.normal(0, round_mm.sd or 0.0)
    places = (np.arange(per_turn) + random.normal(0, 0.04, per_turn)) / per_turn
    for run in range(1, 4):
        t = np.arange(0, 1.6, 1e-4)
        speed = top * (60.0 - band) / (100.0 - band) / wheel * (1 - np.exp(-t / lag))
        turned = random.uniform(0, 1) + np.cumsum(speed) * 1e-4
        passed = np.floor(turned[:, None] - places[None, :]).sum(axis=1)
        at = np.flatnonzero(np.diff(passed) > 0)
        told = np.concatenate([[2.5], t[at] + 3.0])  # at rest it tells its count too
        seen = Window(told, {"count": 100 + np.arange(told.size, dtype=float)})
        steps.append(held("motor-lag", f"run {run}", {"command_pct": 60.0}, seen, values))
    return steps, {"motor_lag": lag, "top_speed": top}, values


def spot(bench: Bench) -> Simulated:
    """Three passes by hand, a little uneven, over a tape 19 mm wide; each spot a disc of points."""
    random = bench.random
    values, steps = values_of("line-sensors"), []
    width, noise = random.uniform(4, 13), random.uniform(1, 5)
    tape = 19.0 * (1 + random.normal(0, 0.01))
    x, y = np.meshgrid(*[np.linspace(-1, 1, 160)] * 2)
    across = np.sort(x[x**2 + y**2 < 1]) * width / 2
    for run in range(1, 4):
        t = np.arange(0, 4, 0.02)
        way = 25.0 * (t + random.normal(0, 0.02) * np.sin(2.2 * t + random.uniform(0, 6)))
        seen = {}
        for i in range(5):
            middle = way - 20.0 - 12.0 * i + 24.0
            inside = np.searchsorted(across, tape / 2 - middle) - np.searchsorted(across, -tape / 2 - middle)
            dark = inside / across.size
            seen[f"s{i + 1}"] = bench.read(180 + 560 * dark, noise, t.size, 1.0)
        steps.append(held("spot", f"pass {run}", {}, window(50, seen), values))
    return steps, {"spot": width}, values


SIMULATIONS: dict[str, tuple[str, Callable[[Bench], Simulated]]] = {
    "ruler": ("ruler", ruler),
    "air": ("air", air),
    "hyperbola": ("hyperbola", hyperbola),
    "ruler-mm": ("ruler-mm", time_of_flight),
    "line": ("line", line),
    "poses, analogue": ("poses", poses),
    "poses, unit": ("poses", unit_poses),
    "gyro-rest": ("gyro-rest", gyro_rest),
    "gyro-turn": ("gyro-turn", gyro_turn),
    "gyro-long": ("gyro-long", gyro_long),
    "roll-out": ("roll-out", roll_out),
    "steady-run": ("steady-run", steady_run),
    "hall-spin": ("hall-spin", hall_spin),
    "voltmeter": ("voltmeter", voltmeter),
    "level": ("level", level),
    "squares": ("squares", squares),
    "straight-run": ("straight-run", straight_run),
    "dead-band": ("dead-band", dead_band),
    "filter": ("filter", still),
    "motor-lag": ("motor-lag", motor_lag),
    "spot": ("spot", spot),
}


UNEVEN = (1.15, 1.0, 0.9, 0.95)


def turning_times(seed: int, stamps_s: float, gaps: tuple[float, ...], jitter: float = 8e-4) -> np.ndarray:
    """When the four magnets of a wheel come by, s, thirty turns at a speed that creeps."""
    random = np.random.default_rng(seed)
    each = np.array(gaps) * (1 + random.normal(0, 0.01, len(gaps)))
    turns_s = 1 / random.uniform(1, 6)
    turns = np.cumsum(np.tile(each / each.sum(), 30))
    turns = turns * (1 + random.uniform(-0.02, 0.02) * turns / 30) + random.normal(0, jitter, turns.size)
    return np.round(turns * turns_s / stamps_s) * stamps_s


def simulated(name: str, seed: int, noise: str = WHITE) -> Simulated:
    """The steps of one simulated calibration, what is really so, and the constants before."""
    return SIMULATIONS[name][1](Bench(np.random.default_rng(seed), NOISES[noise]))


def outcome_of(name: str, seed: int, noise: str = WHITE) -> tuple[Outcome, Truth]:
    """One simulated calibration and its truth."""
    steps, truth, values = simulated(name, seed, noise)
    return PROCEDURES[SIMULATIONS[name][0]].fit(steps, values), truth


@dataclass(frozen=True)
class Coverage:
    """How often the truth lay within the stated 95 % interval: constants of a kind pooled, those whose ± the
    procedure says it cannot give apart."""

    inside: int
    stated: int
    without: int

    @property
    def share(self) -> float:
        """Of those with a ±, that held; 1 where none has."""
        return self.inside / self.stated if self.stated else 1.0


def covered(name: str, seeds: range, noise: str = WHITE) -> Coverage:
    """How often the truth lies within the stated 95 % interval."""
    inside = stated = without = 0
    for seed in seeds:
        try:
            found, truth = outcome_of(name, seed, noise)
        except BadInput:  # it says why such readings give nothing
            without += 1
            continue
        fitted = {one.name: one for one in found.constants}
        for constant, real in truth.items():
            one = fitted.get(constant)
            if one is None or one.sd is None:
                without += 1
                continue
            stated += 1
            inside += abs(one.value - real) <= 2 * one.sd
    return Coverage(inside, stated, without)
