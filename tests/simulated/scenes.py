"""Simulated recordings of healthy sensors, for measuring the fault finder. Nothing here is shared with the
stand-in: other physics, other noise, other code. Columns are named as people name them in files."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field, replace

import numpy as np
import numpy.typing as npt

Array = npt.NDArray[np.float64]
Rng = np.random.Generator


@dataclass(frozen=True)
class Scene:
    """A recording: columns by name, each of shape (n,), the column of the time and its µs (None: there is
    none), what was true at each row, and whether a fault was put in (its kind, and the columns that it is
    in)."""

    columns: dict[str, Array]
    time: tuple[str, float] | None
    marks: list[str] = field(default_factory=list)
    fault: str | None = None
    where: tuple[str, ...] = ()
    garbled: float = 0.0  # share of its lines in which characters are lost or changed

    def with_column(self, name: str, values: Array) -> Scene:
        """The scene with one column changed."""
        return replace(self, columns=self.columns | {name: values})


def wander(rng: Rng, n: int, dt: float, seconds: float) -> Array:
    """A smooth random way around zero with sd 1 that changes within ``seconds``."""
    knots = max(4, int(n * dt / seconds) + 3)
    from scipy.interpolate import CubicSpline

    spline = CubicSpline(np.linspace(0, n * dt, knots), rng.normal(0, 1, knots))
    return np.asarray(spline(np.arange(n) * dt))


def clock(rng: Rng, n: int, dt: float) -> tuple[str, float, Array]:
    """A column of times as a program prints them: µs or whole ms, with the loop's own small unevenness."""
    t = np.cumsum(np.full(n, dt) * (1 + rng.normal(0, 0.004, n))) + rng.uniform(0.1, 5.0)
    if rng.random() < 0.5 and dt >= 0.004:
        return "t_ms", 1e3, np.floor(t * 1e3)
    return "t_us", 1.0, np.floor(t * 1e6)


def ranger(rng: Rng, seconds: float | None = None) -> Scene:
    """A target that is pushed about, or that stands at marks of a ruler; echo times or printed distances."""
    dt = float(rng.choice([0.03, 0.05, 0.06, 0.1]))
    n = int((seconds or rng.uniform(20, 60)) / dt)
    name, unit, t = clock(rng, n, dt)
    marks = [""] * n
    if rng.random() < 0.5:
        stops = rng.permutation([100.0, 200.0, 300.0, 500.0, 800.0, 1200.0, 1500.0])[: rng.integers(3, 6)]
        each = n // len(stops)
        mm = np.concatenate([np.repeat(stops, each), np.full(n - each * len(stops), stops[-1])])
        for i, stop in enumerate(stops):
            for row in range(i * each + each // 8, (i + 1) * each - each // 8):
                marks[row] = f"{stop / 10:g} cm"
        mm = mm + rng.normal(0, 0.6)
    else:
        mm = np.clip(900 + 350 * wander(rng, n, dt, rng.uniform(2.0, 8.0)), 60, 2200)
    if rng.random() < 0.6:
        tick = float(rng.choice([1.0, 4.0]))
        echo = mm / 0.17165 * (1 + rng.normal(0, 0.004)) + 18 + rng.normal(0, rng.uniform(3, 9), n)
        return Scene({name: t, "echo_us": np.round(echo / tick) * tick}, (name, unit), marks)
    column, step, size = [("distance_cm", 0.1, 10.0), ("distance_mm", 1.0, 1.0), ("distance_in", 0.01, 25.4)][
        rng.integers(0, 3)
    ]
    read = mm + rng.normal(0, rng.uniform(1.0, 3.0), n)
    return Scene({name: t, column: np.round(read / size / step) * step}, (name, unit), marks)


def row(rng: Rng, still: bool = False) -> Scene:
    """Three to five reflective sensors over tape: marks of ground, line, left and right first, then it
    follows a line."""
    count = int(rng.integers(3, 6))
    dt = float(rng.choice([0.005, 0.01, 0.02]))
    n = int(rng.uniform(15, 40) / dt)
    name, unit, t = clock(rng, n, dt)
    pitch, tape, spot = 12.0, rng.uniform(15, 20), 8.0
    places = (np.arange(count) - (count - 1) / 2) * pitch
    low, high = rng.uniform(90, 260, count), rng.uniform(640, 880, count)
    pale_low = rng.random() < 0.6
    white, black = (low, high) if pale_low else (high, low)
    at = 15 * wander(rng, n, dt, rng.uniform(0.5, 2.0))
    marks = [""] * n
    away = np.full(n, 500.0)
    line = away.copy() if still else at
    taped = np.zeros(n, bool)
    if not still and rng.random() < 0.7:
        part = n // 12
        for i, word in enumerate(("ground", "line", "left", "right")):
            here = slice(i * part, (i + 1) * part)
            line[here] = {"ground": 500.0, "line": 0.0, "left": places[0], "right": places[-1]}[word]
            taped[here] = word == "line"
            for r in range(i * part + part // 6, (i + 1) * part - part // 6):
                marks[r] = word
    columns: dict[str, Array] = {name: t}
    noise = rng.uniform(1.2, 5.0)
    names = (
        ["left_adc", "mid_adc", "right_adc"]
        if count == 3 and rng.random() < 0.5
        else [f"line{i + 1}_adc" for i in range(count)]
    )
    for i in range(count):
        cover = np.clip(
            (
                np.minimum(line + tape / 2, places[i] + spot / 2)
                - np.maximum(line - tape / 2, places[i] - spot / 2)
            )
            / spot,
            0,
            1,
        )
        cover = np.where(taped, 1.0, cover)
        columns[names[i]] = np.clip(
            np.round(white[i] + (black[i] - white[i]) * cover + rng.normal(0, noise, n)), 0, 1023
        )
    return Scene(columns, (name, unit), marks)


def still_row(rng: Rng) -> Scene:
    """The row over bare ground, standing."""
    return row(rng, still=True)


def speed_profile(rng: Rng, t: Array, turns_s: float) -> Array:
    """Turns done at times: runs at a changing speed, always forward."""
    dt = t[1] - t[0]
    rate = turns_s * (1 + 0.18 * np.tanh(wander(rng, t.size, dt, rng.uniform(2, 6))))
    return np.cumsum(rate) * dt


def edge_times(rng: Rng, seconds: float, turns_s: float, magnets: int = 1) -> Array:
    """When magnets pass, s: unevenly placed by 2 % of a gap, with a little jitter of each edge."""
    t = np.linspace(0, seconds, int(seconds * 2000))
    turned = speed_profile(rng, t, turns_s)
    places = (np.arange(magnets) + rng.normal(0, 0.02, magnets)) / magnets
    whole = np.arange(int(turned[-1]))
    at = np.sort((whole[:, None] + places[None, :]).ravel())
    at = at[(at > turned[0]) & (at < turned[-1])]
    times = np.interp(at, turned, t)
    return np.sort(times + rng.normal(0, 0.002, times.size) * np.median(np.diff(times)))


def wheel_edges(rng: Rng) -> Scene:
    """One falling edge a row, in µs."""
    times = edge_times(rng, rng.uniform(8, 25), rng.uniform(3, 20), int(rng.choice([1, 1, 2, 4])))
    return Scene({"hall_edge_us": np.floor((times + rng.uniform(1, 50)) * 1e6)}, ("hall_edge_us", 1.0))


def level_at(t: Array, edges: Array, near: float) -> Array:
    """A level that is low for the share ``near`` of each period from its falling edge on."""
    place = np.searchsorted(edges, t, "right") - 1
    gaps = np.append(np.diff(edges), np.median(np.diff(edges)))
    since = t - edges[np.maximum(place, 0)]
    return np.where((place >= 0) & (since < near * gaps[np.maximum(place, 0)]), 0.0, 1.0)


def wheel_level(rng: Rng) -> Scene:
    """A sampled level, low at the magnet."""
    dt = float(rng.choice([0.0005, 0.001]))
    seconds = rng.uniform(6, 15)
    n = int(seconds / dt)
    t = np.arange(n) * dt + rng.uniform(0.1, 3)
    edges = edge_times(rng, seconds, rng.uniform(4, 14)) + t[0]
    return Scene(
        {"t_us": np.floor(t * 1e6), "hall": level_at(t, edges, rng.uniform(0.08, 0.25))}, ("t_us", 1.0)
    )


def unit(rng: Rng, still: bool = False) -> Scene:
    """An inertial unit that is tilted about, or lies still: counts, or g and °/s."""
    dt = float(rng.choice([0.005, 0.01, 0.02]))
    n = int(rng.uniform(15, 40) / dt)
    name, unit_us, t = clock(rng, n, dt)
    swing = 0.0 if still else rng.uniform(0.25, 0.5)
    roll, pitch = swing * wander(rng, n, dt, 1.5), swing * wander(rng, n, dt, 1.7)
    yaw_rate = 0.0 if still else 60 * wander(rng, n, dt, 2.0)
    g = np.stack([-np.sin(pitch), np.sin(roll) * np.cos(pitch), np.cos(roll) * np.cos(pitch)])
    roll_rate, pitch_rate = np.gradient(roll, dt), np.gradient(pitch, dt)
    body = np.degrees(
        np.stack(
            [
                roll_rate,
                pitch_rate * np.cos(roll),
                -pitch_rate * np.sin(roll),
            ]
        )
    ) + np.stack([np.zeros(n), np.zeros(n), np.broadcast_to(yaw_rate, (n,))])
    g = g + rng.normal(0, 0.03, (3, 1)) + rng.normal(0, rng.uniform(0.002, 0.006), (3, n))
    body = body + rng.normal(0, 1.2, (3, 1)) + rng.normal(0, rng.uniform(0.05, 0.15), (3, n))
    if rng.random() < 0.5:
        full_g, full_dps = float(rng.choice([2, 4, 8])), float(rng.choice([500, 1000, 2000]))
        counts = np.clip(
            np.round(np.concatenate([g * 32768 / full_g, body * 32768 / full_dps])), -32768, 32767
        )
        return Scene(
            {name: t} | dict(zip(("ax", "ay", "az", "gx", "gy", "gz"), counts, strict=True)), (name, unit_us)
        )
    table = np.concatenate([np.round(g, 3), np.round(body, 2)])
    return Scene(
        {name: t} | dict(zip(("ax_g", "ay_g", "az_g", "gx_dps", "gy_dps", "gz_dps"), table, strict=True)),
        (name, unit_us),
    )


def still_unit(rng: Rng) -> Scene:
    """The unit lying still."""
    return unit(rng, still=True)


def power(rng: Rng) -> Scene:
    """A battery that empties slowly, and the air."""
    dt = float(rng.choice([0.1, 0.2, 0.5]))
    n = int(rng.uniform(60, 200) / dt)
    name, unit_us, t = clock(rng, n, dt)
    volts = 7.9 - rng.uniform(0.0002, 0.0015) * np.arange(n) * dt + rng.normal(0, 0.008, n)
    volts = volts - 0.3 * (wander(rng, n, dt, 6.0) > 0.4)
    air = rng.uniform(12, 30) + 0.4 * wander(rng, n, dt, 40.0) + rng.normal(0, 0.05, n)
    return Scene({name: t, "supply_v": np.round(volts, 2), "air_c": np.round(air, 1)}, (name, unit_us))


SCENES: dict[str, Callable[[Rng], Scene]] = {
    "ranger": ranger,
    "row": row,
    "still row": still_row,
    "wheel edges": wheel_edges,
    "wheel level": wheel_level,
    "unit": unit,
    "still unit": still_unit,
    "power": power,
}


# Healthy extremes: what looks like a fault and is none.


def leaving(rng: Rng) -> Scene:
    """A target that goes beyond reach, where nothing comes back, and returns."""
    dt = 0.05
    n = 900
    name, unit_us, t = clock(rng, n, dt)
    mm = np.interp(np.arange(n), [0, 200, 450, 700, 900], [800, 800, 4600, 900, 850]) + rng.normal(0, 3, n)
    echo = np.where(mm > 4000, 0.0 if rng.random() < 0.5 else 38_000.0, np.round(mm / 0.17165))
    return Scene({name: t, "echo_us": echo}, (name, unit_us))


def stopping(rng: Rng) -> Scene:
    """A wheel that slows down, stands, and goes on."""
    t = np.linspace(0, 24, 48_000)
    rate = np.interp(t, [0, 6, 10, 14, 18, 24], [9, 9, 0, 0, 8, 8])
    turned = np.cumsum(rate) * (t[1] - t[0])
    edges = np.interp(np.arange(1, int(turned[-1])), turned + 1e-9 * np.arange(t.size), t)
    edges = np.sort(edges + rng.normal(0, 0.0005, edges.size))
    return Scene({"hall_edge_us": np.floor((edges + 2) * 1e6)}, ("hall_edge_us", 1.0))


def at_rest(rng: Rng) -> Scene:
    """Everything stands, and coarse readings do not change at all."""
    n, dt = 800, 0.05
    name, unit_us, t = clock(rng, n, dt)
    return Scene(
        {name: t, "distance_cm": np.full(n, float(rng.integers(20, 200))), "supply_v": np.full(n, 7.6)},
        (name, unit_us),
    )


def fast_turn(rng: Rng) -> Scene:
    """A turn so fast that the side force and rate are large, and yet inside the range."""
    scene = still_unit(rng)
    n = len(next(iter(scene.columns.values())))
    push = np.exp(-(((np.arange(n) - n / 2) / (n / 20)) ** 2))
    names = [name for name in scene.columns if name.startswith(("ay", "gz"))]
    scale = {name: 0.6 * (float(np.median(scene.columns["az"])) if name == "ay" else 1.0) for name in names}
    for name in names:
        high = 0.6 * scale[name] if name.startswith("ay") else 300.0 if name.endswith("dps") else 12_000.0
        rounded = np.round(scene.columns[name] + high * push, 3 if "_" in name else 0)
        scene = scene.with_column(name, rounded)
    return scene


def coarse(rng: Rng) -> Scene:
    """A target on the move, printed in whole centimetres at whole ticks of 10 ms."""
    n, dt = 800, 0.047
    t = np.floor(np.cumsum(np.full(n, dt)) * 100) * 10
    mm = 700 + 300 * np.sin(np.arange(n) * dt / 3) + rng.normal(0, 1.5, n)
    return Scene({"t_ms": t, "distance_cm": np.round(mm / 10)}, ("t_ms", 1e3))


def shifted(rng: Rng) -> Scene:
    """A row that stands over a line which is pushed aside very slowly."""
    n, dt = 1500, 0.02
    name, unit_us, t = clock(rng, n, dt)
    at = np.linspace(rng.uniform(-14, 14), rng.uniform(-14, 14), n)
    columns: dict[str, Array] = {name: t}
    for i in range(5):
        cover = np.clip((17 - np.abs(at - (i - 2) * 12)) / 8, 0, 1)
        columns[f"line{i + 1}_adc"] = np.round(
            rng.uniform(140, 230) + rng.uniform(450, 560) * cover + rng.normal(0, 3, n)
        )
    return Scene(columns, (name, unit_us))


EXTREMES: dict[str, Callable[[Rng], Scene]] = {
    "target leaves the range": leaving,
    "wheel stops": stopping,
    "truly at rest": at_rest,
    "fast turn": fast_turn,
    "coarse steps": coarse,
    "line shifted slowly": shifted,
    "battery empties": power,
}
