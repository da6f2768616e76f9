"""Single faults put into simulated recordings: each takes a healthy scene and a severity from 0 (plain to
see) to 1 (strong)."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np

from tests.simulated import scenes
from tests.simulated.scenes import Array, Rng, Scene

Fault = Callable[[Rng, float], Scene]


def _done(scene: Scene, fault: str, *where: str) -> Scene:
    return replace(scene, fault=fault, where=where)


def _readings(scene: Scene, *starts: str) -> list[str]:
    return [
        name
        for name in scene.columns
        if (scene.time is None or name != scene.time[0]) and name.startswith(starts or "")
    ]


def _pick(rng: Rng, names: list[str]) -> str:
    return names[int(rng.integers(0, len(names)))]


def dropouts(rng: Rng, severity: float) -> Scene:
    scene = scenes.ranger(rng)
    name = _readings(scene)[0]
    values = scene.columns[name].copy()
    share = 0.03 + 0.25 * severity
    nothing = rng.random(values.size) < share / 2
    for first in np.flatnonzero(rng.random(values.size) < share / 12):
        nothing[first : first + int(rng.integers(2, 7))] = True
    values[nothing] = float(rng.choice([0.0, 38_000.0])) if name == "echo_us" else 0.0
    return _done(scene.with_column(name, values), "dropouts", name)


def dropouts_analogue(rng: Rng, severity: float) -> Scene:
    scene = scenes.unit(rng)
    gone = rng.random(len(next(iter(scene.columns.values())))) < 0.03 + 0.2 * severity
    names = _readings(scene)
    for name in names:
        scene = scene.with_column(name, np.where(gone, 0.0, scene.columns[name]))
    return _done(scene, "dropouts", *names)


def spikes(rng: Rng, severity: float) -> Scene:
    make = (scenes.ranger, scenes.row, scenes.unit, scenes.power)[int(rng.integers(0, 4))]
    scene = make(rng)
    name = _pick(rng, [n for n in _readings(scene) if n != "air_c"])
    values = scene.columns[name].copy()
    at = np.flatnonzero(rng.random(values.size - 8) < 0.004 + 0.03 * severity) + 4
    at = at[:3] if at.size > 2 else np.minimum([20, 90, 150], values.size - 4)
    at = np.concatenate([at, np.flatnonzero(rng.random(values.size - 8) < 0.004 + 0.03 * severity) + 4])
    span = max(float(np.ptp(values)), abs(float(np.median(values))) * 0.3)
    values[at] += rng.choice([-1, 1], at.size) * span * rng.uniform(0.5, 1.0, at.size)
    low, high = (
        (1.0, 1023.0) if name.endswith("_adc") else (-32_767.0, 32_766.0) if "_" not in name else (-1e9, 1e9)
    )
    if name.startswith(("echo", "distance")):
        low, high = float(scene.columns[name].min()) * 0.4, float(scene.columns[name].max()) * 1.4
    step = 1.0 if float(scene.columns[name][0]).is_integer() and name != "supply_v" else 0.001
    return _done(scene.with_column(name, np.round(np.clip(values, low, high) / step) * step), "spikes", name)


def stuck(rng: Rng, severity: float) -> Scene:
    make = (scenes.ranger, scenes.row, scenes.unit)[int(rng.integers(0, 3))]
    scene = make(rng)
    name = _pick(rng, _readings(scene))
    values = scene.columns[name].copy()
    first = int(values.size * rng.uniform(0.3, 0.7))
    length = int(values.size * (0.15 + 0.3 * severity))
    values[first : first + length] = values[first]
    return _done(replace(scene.with_column(name, values), marks=[]), "stuck", name)


def clipped(rng: Rng, severity: float) -> Scene:
    if rng.random() < 0.5:
        scene = scenes.unit(rng)
        name = _pick(rng, [n for n in _readings(scene) if n[:2] in ("gx", "gy", "gz")])
        values = scene.columns[name]
        limit = float(np.quantile(np.abs(values), 0.93 - 0.25 * severity))
        if "_" in name:
            values = np.clip(values, -limit, limit).round(2)
        else:
            values = np.clip(np.round(values * 32767 / limit), -32768, 32767)
        return _done(scene.with_column(name, values), "clipped", name)
    scene = scenes.row(rng)
    name = _pick(rng, _readings(scene))
    values = scene.columns[name]
    return _done(
        scene.with_column(name, np.clip(np.round((values - 60) * (1.7 + 0.8 * severity)), 0, 1023)),
        "clipped",
        name,
    )


def chatter(rng: Rng, severity: float) -> Scene:
    if rng.random() < 0.5:
        scene = scenes.wheel_edges(rng)
        times = scene.columns["hall_edge_us"]
        period = float(np.median(np.diff(times)))
        more = [times]
        for at in times[rng.random(times.size) < 0.15 + 0.7 * severity]:
            count = int(rng.integers(1, 4))
            more.append(at + np.cumsum(rng.uniform(0.004, 0.025, count)) * period)
        return _done(
            scene.with_column("hall_edge_us", np.floor(np.sort(np.concatenate(more)))),
            "chatter",
            "hall_edge_us",
        )
    scene = scenes.wheel_level(rng)
    level = scene.columns["hall"].copy()
    for at in np.flatnonzero(np.diff(level) != 0):
        if rng.random() < 0.2 + 0.7 * severity:
            for _ in range(int(rng.integers(1, 4))):
                place = min(at + int(rng.integers(1, 7)), level.size - 1)
                level[place] = 1.0 - level[place]
    return _done(scene.with_column("hall", level), "chatter", "hall")


def _with_edges(rng: Rng, change: Callable[[Array], Array], fault: str) -> Scene:
    if rng.random() < 0.6:
        scene = scenes.wheel_edges(rng)
        return _done(
            scene.with_column("hall_edge_us", np.floor(change(scene.columns["hall_edge_us"]))),
            fault,
            "hall_edge_us",
        )
    seconds = rng.uniform(8, 16)
    t = np.arange(int(seconds / 0.0005)) * 0.0005
    edges = change(scenes.edge_times(rng, seconds, rng.uniform(4, 12)))
    return _done(
        Scene({"t_us": np.floor(t * 1e6), "hall": scenes.level_at(t, edges, 0.12)}, ("t_us", 1.0)),
        fault,
        "hall",
    )


def doubled(rng: Rng, severity: float) -> Scene:
    place = rng.uniform(0.4, 0.6)

    def twice(times: Array) -> Array:
        here = times[:-1] + place * np.diff(times) * (1 + rng.normal(0, 0.01, times.size - 1))
        return np.sort(np.concatenate([times, here[rng.random(here.size) < 0.1 + 0.6 * severity]]))

    return _with_edges(rng, twice, "doubled")


def missed(rng: Rng, severity: float) -> Scene:
    return _with_edges(rng, lambda times: times[rng.random(times.size) > 0.05 + 0.2 * severity], "missed")


def swapped(rng: Rng, severity: float) -> Scene:
    if rng.random() < 0.35:
        scene = scenes.unit(rng)
        a, b = [name for name in _readings(scene) if name[:2] in ("ax", "ay")]
        columns = scene.columns | {a: scene.columns[b], b: scene.columns[a]}
        return _done(replace(scene, columns=columns), "swapped", a, b)
    while True:
        scene = scenes.row(rng)
        if any(scene.marks):
            break
    names = _readings(scene)
    a, b = names[0], names[-1]
    columns = scene.columns | {a: scene.columns[b], b: scene.columns[a]}
    return _done(replace(scene, columns=columns), "swapped", a, b)


def inverted(rng: Rng, severity: float) -> Scene:
    which = rng.random()
    if which < 0.4:
        while True:
            scene = scenes.row(rng)
            if any(scene.marks):
                break
        name = _pick(rng, _readings(scene))
        return _done(scene.with_column(name, 1023 - scene.columns[name]), "inverted", name)
    if which < 0.7:
        scene = scenes.wheel_level(rng)
        return _done(scene.with_column("hall", 1 - scene.columns["hall"]), "inverted", "hall")
    scene = scenes.unit(rng)
    name = _pick(rng, [n for n in _readings(scene) if n[:2] in ("ax", "ay", "gx", "gy")])
    return _done(
        scene.with_column(name, -scene.columns[name]),
        "inverted",
        *[n for n in _readings(scene) if n[0] in "ag"],
    )


def flicker(rng: Rng, severity: float) -> Scene:
    scene = scenes.still_row(rng) if rng.random() < 0.5 else scenes.row(rng)
    assert scene.time is not None
    t = scene.columns[scene.time[0]] * scene.time[1] / 1e6
    rate = 1 / float(np.median(np.diff(t)))
    mains = [hz for hz in (100.0, 120.0) if abs(hz - rate * round(hz / rate)) > 1.5] or [100.3]
    hz = float(rng.choice(mains)) * (1 + rng.normal(0, 0.0005))
    names = _readings(scene)
    depth = 18 + 50 * severity
    for name in names:
        wave = depth * rng.uniform(0.7, 1.0) * np.cos(2 * np.pi * hz * t + 0.3)
        scene = scene.with_column(name, np.clip(np.round(scene.columns[name] + wave), 0, 1023))
    return _done(scene, "flicker", *names)


def wrong_scale(rng: Rng, severity: float) -> Scene:
    factor = float(rng.choice([0.5, 2.0, 2.54, 1 / 2.54]))
    if rng.random() < 0.6:
        while True:
            scene = scenes.ranger(rng)
            if any(scene.marks):
                break
        name = _readings(scene)[0]
        step = 1.0 if name == "echo_us" else 0.01
        values = np.round(scene.columns[name] * factor / step) * step
        return _done(scene.with_column(name, values), "wrong-scale", name)
    while True:
        scene = scenes.unit(rng)
        if "ax_g" in scene.columns:
            break
    factor = float(rng.choice([0.5, 2.0, 4.0, 0.25]))
    names = ["ax_g", "ay_g", "az_g"]
    for name in names:
        scene = scene.with_column(name, np.round(scene.columns[name] * factor, 3))
    return _done(scene, "wrong-scale", *names)


def drift(rng: Rng, severity: float) -> Scene:
    scene = scenes.still_unit(rng) if rng.random() < 0.5 else scenes.still_row(rng)
    names = _readings(scene, "g") or _readings(scene)
    name = _pick(rng, names)
    n = scene.columns[name].size
    ways = np.linspace(0, 1, n) ** rng.uniform(0.6, 1.2)
    if name.endswith("_adc"):
        size = 50 + 90 * severity
    elif "_" in name:
        size = 3 + 6 * severity
    else:
        size = 300 + 600 * severity
    changed = scene.columns[name] + rng.choice([-1, 1]) * size * ways
    return _done(scene.with_column(name, np.round(changed, 2 if "_dps" in name else 0)), "drift", name)


def jitter(rng: Rng, severity: float) -> Scene:
    if rng.random() < 0.3:
        scene = scenes.wheel_edges(rng)
        times = scene.columns["hall_edge_us"]
        spread = 0.09 + 0.08 * severity
        shaken = np.sort(times + rng.normal(0, spread, times.size) * np.median(np.diff(times)))
        return _done(scene.with_column("hall_edge_us", np.floor(shaken)), "jitter", "hall_edge_us")
    scene = (scenes.ranger, scenes.row, scenes.unit)[int(rng.integers(0, 3))](rng)
    assert scene.time is not None
    name = scene.time[0]
    steps = np.diff(scene.columns[name])
    steps = steps * np.clip(1 + rng.normal(0, 0.25 + 0.4 * severity, steps.size), 0.1, 2.2)
    times = np.floor(scene.columns[name][0] + np.concatenate([[0], np.cumsum(steps)]))
    return _done(scene.with_column(name, times), "jitter", name)


def reset(rng: Rng, severity: float) -> Scene:
    scene = (scenes.ranger, scenes.row, scenes.unit)[int(rng.integers(0, 3))](rng)
    assert scene.time is not None
    name, unit = scene.time
    times = scene.columns[name].copy() + 8e6 / unit
    for _ in range(1 + int(2 * severity)):
        first = int(times.size * rng.uniform(0.3, 0.7))
        times[first:] = times[first:] - times[first] + 2e5 / unit
    return _done(scene.with_column(name, times), "reset", name)


def garbled(rng: Rng, severity: float) -> Scene:
    scene = (scenes.ranger, scenes.power, scenes.still_unit)[int(rng.integers(0, 3))](rng)
    return _done(replace(scene, garbled=0.02 + 0.1 * severity), "garbled", "line")


FAULTS: dict[str, tuple[Fault, ...]] = {
    "dropouts": (dropouts, dropouts_analogue),
    "spikes": (spikes,),
    "stuck": (stuck,),
    "clipped": (clipped,),
    "chatter": (chatter,),
    "doubled": (doubled,),
    "missed": (missed,),
    "swapped": (swapped,),
    "inverted": (inverted,),
    "flicker": (flicker,),
    "wrong-scale": (wrong_scale,),
    "drift": (drift,),
    "jitter": (jitter,),
    "garbled": (garbled,),
    "reset": (reset,),
}
