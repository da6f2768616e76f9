"""Simulated recordings without a fault that look as if there was one: what lies between healthy and faulty in
use, so that a finding's confidence can be held against how often it is right."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from tests.simulated import scenes
from tests.simulated.scenes import Rng, Scene, clock, edge_times, level_at, wander


def busy_loop(rng: Rng) -> Scene:
    """Lines of a loop whose work varies: by up to a quarter of its time."""
    scene = (scenes.ranger, scenes.row, scenes.unit)[int(rng.integers(0, 3))](rng)
    assert scene.time is not None
    name = scene.time[0]
    steps = np.diff(scene.columns[name])
    steps = steps * np.clip(1 + rng.normal(0, rng.uniform(0.04, 0.25), steps.size), 0.5, 2.0)
    return scene.with_column(name, np.floor(scene.columns[name][0] + np.concatenate([[0], np.cumsum(steps)])))


def old_disc(rng: Rng) -> Scene:
    """Edges of a disc of few slots, cut by hand: each gap has a length of its own, the same at every turn."""
    slots = int(rng.integers(3, 9))
    t = np.linspace(0, 20, 40_000)
    turned = scenes.speed_profile(rng, t, rng.uniform(1.0, 4.0))
    gaps = 1 + rng.uniform(-1, 1, slots) * rng.uniform(0.05, 0.25)
    places = np.cumsum(gaps) / gaps.sum()
    at = np.sort((np.arange(int(turned[-1]))[:, None] + places[None, :]).ravel())
    times = np.interp(at[at < turned[-1]], turned, t)
    times = np.sort(times + rng.normal(0, 0.004, times.size) * np.median(np.diff(times)))
    return Scene({"hall_edge_us": np.floor((times + 1.0) * 1e6)}, ("hall_edge_us", 1.0))


def pushed_by_hand(rng: Rng) -> Scene:
    """A wheel that is pushed again and again, and slows down in between."""
    t = np.linspace(0, 25, 50_000)
    pushes = np.sort(rng.uniform(0, 25, 8))
    since = t - pushes[np.clip(np.searchsorted(pushes, t, "right") - 1, 0, None)]
    rate = 1.5 + rng.uniform(3, 8) * np.exp(-np.clip(since, 0, None) / rng.uniform(1.0, 3.0))
    turned = np.cumsum(rate) * (t[1] - t[0])
    edges = np.interp(np.arange(1, int(turned[-1])), turned, t)
    return Scene({"hall_edge_us": np.floor((edges + 2) * 1e6)}, ("hall_edge_us", 1.0))


def wide_magnet(rng: Rng) -> Scene:
    """A sampled level, low for nearly half of each turn, at a speed that changes."""
    dt, seconds = 0.001, rng.uniform(6, 15)
    t = np.arange(int(seconds / dt)) * dt + 1.0
    edges = edge_times(rng, seconds, rng.uniform(3, 12)) + t[0]
    hall = level_at(t, edges, rng.uniform(0.35, 0.55))
    return Scene({"t_us": np.floor(t * 1e6), "hall": hall}, ("t_us", 1.0))


def crossed(rng: Rng) -> Scene:
    """People walk through the beam: now and then something nearer, for one to six readings."""
    scene = scenes.ranger(rng, 50)
    name = next(name for name in scene.columns if not name.startswith("t_"))
    values = scene.columns[name].copy()
    for first in rng.integers(0, values.size - 8, int(rng.integers(3, 9))):
        values[first : first + int(rng.integers(1, 7))] *= rng.uniform(0.4, 0.8)
    return scene.with_column(name, np.round(values, 2))


def tiles(rng: Rng) -> Scene:
    """A row that drives evenly over a tiled floor: every joint is seen, at a steady beat."""
    dt = float(rng.choice([0.005, 0.01, 0.02]))
    n = int(rng.uniform(15, 30) / dt)
    name, unit, t = clock(rng, n, dt)
    beat, way = rng.uniform(0.4, 3.0), np.cumsum(1 + 0.03 * wander(rng, n, dt, 3.0)) * dt
    columns = {name: t}
    for i in range(4):
        joint = np.exp(-((np.sin(np.pi * (beat * way + 0.02 * i)) / 0.15) ** 2))
        columns[f"line{i + 1}_adc"] = np.round(
            rng.uniform(180, 260) + rng.uniform(60, 160) * joint + rng.normal(0, 3, n)
        )
    return Scene(columns, (name, unit))


def warming_room(rng: Rng) -> Scene:
    """Bare ground under a window: the light creeps, as it does on any day."""
    scene = scenes.still_row(rng)
    ways = np.linspace(0, rng.uniform(8, 60), len(next(iter(scene.columns.values()))))
    for name in scene.columns:
        if name.endswith("_adc"):
            scene = scene.with_column(name, np.clip(np.round(scene.columns[name] + ways), 0, 1023))
    return scene


def bumps(rng: Rng) -> Scene:
    """A unit on a cart over bumps: knocks of a few readings, on all axes or on the upward one alone."""
    scene = scenes.unit(rng)
    names = [name for name in scene.columns if name.startswith("a")]
    one_g = 1.0 if "az_g" in scene.columns else float(np.abs(scene.columns["az"]).max())
    n = scene.columns[names[0]].size
    knocks = np.zeros(n)
    for first in rng.integers(0, n - 12, int(rng.integers(5, 20))):
        knocks[first : first + 12] += np.exp(-np.arange(12) / 3) * np.cos(np.arange(12) * 1.8)
    shares = (0.3, 0.2, 0.6) if rng.random() < 0.6 else (0.0, 0.0, 0.6)
    for name, share in zip(names, shares, strict=True):
        values = scene.columns[name] + share * rng.uniform(0.4, 1.0) * one_g * knocks
        scene = scene.with_column(name, np.round(values, 3 if name.endswith("_g") else 0))
    return scene


def cheap_unit(rng: Rng) -> Scene:
    """A unit whose axes are off by up to a seventh, as the cheapest are."""
    scene = scenes.unit(rng)
    for name in [name for name in scene.columns if name.startswith("a")]:
        values = scene.columns[name] * rng.uniform(0.86, 1.14)
        scene = scene.with_column(name, np.round(values, 3 if name.endswith("_g") else 0))
    return scene


def motors_start(rng: Rng) -> Scene:
    """A battery whose voltage falls whenever the motors start, for as long as they run."""
    scene = scenes.power(rng)
    volts = scene.columns["supply_v"].copy()
    runs = wander(rng, volts.size, 1.0, rng.uniform(1.5, 20)) > 0.5
    return scene.with_column("supply_v", np.round(volts - rng.uniform(0.2, 0.9) * runs, 2))


LOOK_ALIKES: dict[str, Callable[[Rng], Scene]] = {
    "loop whose work varies": busy_loop,
    "slots cut by hand": old_disc,
    "wheel pushed by hand": pushed_by_hand,
    "wide magnet": wide_magnet,
    "people cross the beam": crossed,
    "tiled floor": tiles,
    "light of a day": warming_room,
    "cart over bumps": bumps,
    "unit off by a seventh": cheap_unit,
    "motors start": motors_start,
}
