"""Every room's results on examples of its own, as they were approved."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from tests import approved
from tests.calculations.contract import CONTRACT
from tests.core.decisions.seen import plain_seen, row_seen, values_of
from tests.core.diagnosis.test_plain_cases import (
    AIR,
    AT_RULER,
    CREEPS,
    ECHO,
    EDGES,
    FAULTY,
    HEALTHY,
    IN_G,
    MS,
    ROCKED,
    SLOW,
    STEPS,
    T,
    between,
    echo,
    edges,
    lit,
    noise,
    of,
    put,
    share,
    unit,
)
from tests.simulated.calibrations import SIMULATIONS, outcome_of
from tickstone.calculations import run
from tickstone.core.calibration.catalogue import PROCEDURES
from tickstone.core.calibration.procedure import Procedure, Step, Want, Window
from tickstone.core.constants import Values
from tickstone.core.decisions.catalogue import DECISIONS
from tickstone.core.decisions.decision import Question
from tickstone.core.diagnosis.examine import examine
from tickstone.core.rigs.boards import BOARDS
from tickstone.core.rigs.kinds import KINDS
from tickstone.core.rigs.kinds.base import Ambient, Converted, Kind, Moment
from tickstone.core.rigs.meanings import guess
from tickstone.core.rigs.templates import TEMPLATES, template
from tickstone.core.wiring.assign import assignment
from tickstone.core.wiring.checklist import checklist
from tickstone.core.wiring.checks import check, verdict
from tickstone.core.wiring.schedule import parts_list, schedule
from tickstone.core.worked import work
from tickstone.errors import BadInput
from tickstone.formats.examined import columns_record

IN_FULL = ("T05", "T06", "T07", "T12", "T20")  # every colour, part in a wire and caution is in one of them
ONE_MARK = [*AT_RULER[:100], *[""] * 500]
RAW = [0.0, 1.0, 2.0, 17.0, 90.0, 300.0, 512.0, 800.0, 1023.0, 1457.0, 4095.0, 30_000.0, 65_535.0, 200_000.0]
SERIES = {
    "steady": [20.0] * 50,
    "rising": [20.0 + i for i in range(50)],
    "falling": [170.0 - 3 * i for i in range(50)],
    "to and fro": [20.0 + 5 * (i % 2) for i in range(50)],
    "below nothing": [-8.0] * 50,
    "gone": [200.0] * 20 + [np.nan] * 30,
    "now and then": [200.0, np.nan] * 25,
    "never": [np.nan] * 50,
}


def test_findings() -> None:
    approved.check("findings", {name: examine(columns_record(*given)) for name, _, given in FAULTY + HEALTHY})


def test_findings_by_strength() -> None:
    """Each fault from hardly there to plain: how sure it is named, and in which words."""
    made = {}
    for name, (strengths, recording) in BY_STRENGTH.items():
        for strength in strengths:
            found = examine(columns_record(*recording(strength)))
            made[f"{name}, {strength:g}"] = [
                (one.kind, one.channel, one.confidence, one.evidence) for one in found
            ]
    approved.check("findings-by-strength", made)


def sprinkled(p: float, wrong: float) -> tuple:
    return echo(put(ECHO, share(p), wrong))


def alone(count: float) -> tuple:
    return echo(put(ECHO, np.linspace(20, 580, int(count)).astype(int), 6000.0))


def pinned(top: float) -> tuple:
    return of({"t_ms": np.arange(2000) * 10.0, "mic_adc": np.round(np.minimum(512 + noise(160, 2000), top))})


def bouncing(p: float) -> tuple:
    return edges(np.concatenate([EDGES, EDGES[share(p, 400)] + 300.0]))


def doubled(p: float) -> tuple:
    return edges(between(0.5, share(p, 399)))


def unlike(place: float) -> tuple:
    return edges(between(place, slice(None)))


def uneven(part: float) -> tuple:
    return edges(np.cumsum(12_000 * (1 + part * noise(1.0, 400, 8))))


def late(ms: float) -> tuple:
    return echo(ECHO, None, np.round(np.arange(600) * 50.0 + np.abs(noise(ms))))


def frozen(rows: float) -> tuple:
    return echo(put(ECHO, slice(200, 200 + int(rows)), 2900.0))


def silent_ms(rows: float) -> tuple:
    return echo(put(ECHO, slice(300, 300 + int(rows)), 0.0))


def hot(celsius: float) -> tuple:
    return of({"t_ms": SLOW, "air_c": AIR + celsius - 22})


BY_STRENGTH = {
    "zeros": ((0.002, 0.01, 0.03, 0.1, 0.3, 0.7), lambda p: sprinkled(p, 0.0)),
    "time-outs": ((0.002, 0.01, 0.1), lambda p: sprinkled(p, 38_000.0)),
    "a stretch of zeros": ((2, 4, 8, 15, 30, 90), silent_ms),
    "lines lost": ((0.004, 0.02, 0.06, 0.2), lambda p: echo(ECHO[~share(p)], None, T[~share(p)])),
    "spikes": ((1, 2, 3, 5, 9, 20), alone),
    "a reading that stays": ((5, 8, 12, 20, 40, 150), frozen),
    "pinned": ((980, 900, 830, 760, 700, 600), pinned),
    "bounces": ((0.003, 0.01, 0.05, 0.2, 0.6), bouncing),
    "marks seen twice": ((0.01, 0.05, 0.2, 0.6, 1.0), doubled),
    "marks unlike": ((0.45, 0.42, 0.38, 0.33, 0.25), unlike),
    "a few marks missed": (
        (1, 2, 3, 4, 6),
        lambda n: edges(np.delete(EDGES, np.linspace(40, 360, int(n)).astype(int))),
    ),
    "marks missed": ((0.004, 0.02, 0.06, 0.2), lambda p: edges(EDGES[~share(p, 400)])),
    "periods uneven": ((0.005, 0.02, 0.05, 0.1, 0.2), uneven),
    "lines late": ((1, 3, 6, 12, 20), late),
    "lamps": ((1, 2, 4, 8, 16, 40, 90), lambda swing: lit(100, 500, swing)),
    "lamps, folded": ((3, 8, 25), lambda swing: lit(100, 90, swing)),
    "creeping": (
        (6, 20, 45, 90, 180, 400),
        lambda counts: echo(np.round(2900 + noise(8) + np.linspace(0, counts, 600))),
    ),
    "a bias that creeps": (
        (0.05, 0.2, 0.6, 2.0, 6.0),
        lambda dps: unit(IN_G, gz_dps=IN_G["gz_dps"] + dps * CREEPS),
    ),
    "gravity": (
        (0.5, 0.8, 0.9, 0.95, 1.05, 1.1, 1.3, 2.0),
        lambda g: unit({n: g * x if n[0] == "a" else x for n, x in IN_G.items()}),
    ),
    "the gyro's scale": (
        (0.25, 0.5, 0.8, 1.1, 1.3, 2.0, 4.0),
        lambda by: unit(ROCKED, gx_dps=by * ROCKED["gx_dps"]),
    ),
    "on its back": ((1.0, -1.0), lambda sign: unit(IN_G, az_g=sign * IN_G["az_g"])),
    "the air's scale": ((-60, -30, 0, 22, 45, 72, 100, 295), hot),
    "twice too far, at one mark": (
        (0.4, 1.0, 2.0),
        lambda by: of({"t_ms": T, "front_mm": np.round(by * STEPS)}, MS, ONE_MARK),
    ),
    "twice too far": (
        (0.4, 0.8, 1.0, 1.2, 2.0, 2.54),
        lambda by: of({"t_ms": T, "front_mm": np.round(by * STEPS)}, MS, AT_RULER),
    ),
}


def test_calibrations() -> None:
    approved.check("calibrations", {name: outcome_of(name, 7)[0] for name in SIMULATIONS})


def test_what_procedures_say_of_readings_before_them() -> None:
    """Every procedure of every kind, its first wants, before readings that are still, moving, coarse, few or
    gone."""
    made = {}
    for what in KINDS.values():
        known = values_of(what.id)
        for name in what.procedures:
            procedure = PROCEDURES[name]
            wants = procedure.wants((), known)
            made[f"{what.id}, {name}"] = {
                "wants": [(one.key, one.label, one.do, one.fields) for one in wants],
                "windows": [procedure.window_s(one) for one in wants[:2]],
                "said": {
                    f"{one.key}, {how}": answer(procedure, window, one, known)
                    for one in wants[:2]
                    if one.watched
                    for how, window in windows_of(what).items()
                },
            }
    approved.check("holding", made)


def windows_of(what: Kind) -> dict[str, Window]:
    times = np.arange(60) * 0.05
    shapes = {
        "still": 500.0 + noise(1.5, 60),
        "noisy": 500 + noise(40.0, 60),
        "moving": np.linspace(400, 700, 60),
        "coarse": np.full(60, 500.0),
        "half gone": put(500 + noise(1.5, 60), slice(0, 30), np.nan),
        "gone": np.full(60, np.nan),
        "at an end": np.full(60, 0.0),
        "rising": np.arange(60) * 10_000.0,
        "swinging": np.round(400 + 250 * (np.arange(60) // 7 % 2) + noise(4.0, 60)),
    }
    made = {
        how: Window(times, {one.name: np.clip(shape, one.low, one.high) for one in what.channels})
        for how, shape in shapes.items()
    }
    return made | {
        "too short": Window(
            times[:5], {one.name: np.clip(shapes["still"][:5], one.low, one.high) for one in what.channels}
        )
    }


def answer(procedure: Procedure, window: Window, want: Want, known: Values) -> object:
    truth = {one.name: one.low if one.typical is None else one.typical for one in want.fields}
    try:
        held = procedure.judge(window, want, truth, (), known)
        said = [held.ready, held.why_not, held.figure, round(held.held_s, 2)]
        if held.ready:
            step = Step(held.key or want.key, want.label, truth, procedure.take(window, want.key, known))
            said.append(procedure.fit([step], known))
        return said
    except BadInput as refused:
        return refused.message


def test_notebooks() -> None:
    """What each procedure makes of typed lines: the usual numbers, and the same half as far again."""
    made = {}
    for what in KINDS.values():
        known = values_of(what.id)
        for name in what.procedures:
            procedure = PROCEDURES[name]
            if procedure.notebook:
                rows = [
                    {
                        one.name: (one.typical or one.low) * (1 if one.whole or one.choices else by)
                        for one in procedure.notebook
                    }
                    for by in (1.0, 1.5)
                ]
                made[f"{what.id}, {name}"] = typed(procedure, rows, known)
    approved.check("notebooks", made)


def typed(procedure: Procedure, rows: list[dict[str, float]], known: Values) -> object:
    try:
        steps = [procedure.from_notebook(row, known) for row in rows]
        steps = [replace(step, key=f"{step.key} {at}") for at, step in enumerate(steps)]
        return [rows, procedure.notebook, procedure.fit(steps, known)]
    except BadInput as refused:
        return [rows, refused.message]


def test_columns() -> None:
    """What columns of files are taken for, on a rig that carries several kinds."""
    rig = template("T12")
    names = [
        "echo",
        "distance",
        "front ranger",
        "ir",
        "tof",
        "count",
        "roller",
        "ax",
        "gz",
        "battery",
        "hall",
        "temp",
        "x",
    ]
    units = [
        "",
        "us",
        "µs",
        "ms",
        "s",
        "mm",
        "cm",
        "m",
        "in",
        "V",
        "mV",
        "counts",
        "g",
        "°/s",
        "dps",
        "°C",
        "°F",
        "rpm",
    ]
    made = {f"{name} ({unit})": guess(name, unit, rig) for name in names for unit in units}
    made |= {
        f"{name} ({unit}), {tid}": guess(name, unit, template(tid))
        for tid in ("T02", "T07", "T11", "T15", "T18", "T21")
        for name in names
        for unit in ("", "ms", "cm", "V")
    }
    approved.check(
        "columns",
        {
            name: one and [one.role, one.sensor, one.channel, one.factor, one.zero, one.unit_us]
            for name, one in made.items()
        },
    )


def test_calculations() -> None:
    approved.check("calculations", {name: run(name, given) for name, (given, _) in CONTRACT.items()})


def test_wiring() -> None:
    made = {}
    for name in TEMPLATES:
        rig = template(name)
        report = check(rig)
        made[name] = {"verdict": verdict(report), "findings": report.findings, "assured": report.assurances}
        if name in IN_FULL:
            made[name] |= {"schedule": schedule(rig), "parts": parts_list(rig), "steps": checklist(rig)}
    approved.check("wiring", made)


def test_words() -> None:
    """What each kind says of a steady reading, a changing one, one that is missing; and what a few raw
    numbers become."""
    made = {}
    for what in KINDS.values():
        known = values_of(what.id)
        raw = {channel.name: np.array(RAW) for channel in what.channels}
        read = what.convert(raw, known, Ambient())
        said = {name: what.words(moment(np.array(series)), known) for name, series in SERIES.items()}
        made[what.id] = {
            "values": read.values,
            "reasons": [what.reasons[code] for code in read.codes],
            "said": said,
            "constants": {name: (one.value, one.unit, one.provenance) for name, one in known.items()},
        }
    approved.check("words", made)


def test_worked() -> None:
    """A reading of each kind step by step: the usual one, and one near either end of what can be typed."""
    made = {}
    for what in KINDS.values():
        known = values_of(what.id)
        asks = what.working.asks(known)
        for name, part in (("usual", None), ("low", 0.03), ("high", 0.9)):
            asked = {
                ask.name: ask.typical if part is None else float(round(ask.low + part * (ask.high - ask.low)))
                for ask in asks
            }
            made[f"{what.id}, {name}"] = {
                "asks": asks,
                "asked": asked,
                "worked": work(what, known, asked, Ambient()),
            }
    approved.check("worked", made)


def moment(series: np.ndarray) -> Moment:
    times = np.arange(series.size) * 0.05
    return Moment(times, Converted(series, np.isnan(series).astype(np.int8)), {})


def test_decisions() -> None:
    random = np.random.default_rng(12)
    ground, line = random.normal(210, 14, (3, 400)).round(), random.normal(690, 40, (3, 400)).round()
    lamp = row_seen(line + 90, ground + 120, "lamp", 2, light="lamp")
    row = [row_seen(line, ground), lamp]
    push = np.concatenate([np.linspace(1600, 120, 300), np.full(200, 120.0), np.linspace(120, 1500, 200)])
    push = np.where(random.random(push.size) < 0.03, np.nan, push + random.normal(0, 4, push.size))
    spun = 60e6 / (
        np.concatenate([np.linspace(30, 900, 200), np.full(100, 900.0)]) + random.normal(0, 2, 300)
    )
    bounced = np.ravel([[1500.0, one - 1500.0] for one in spun])
    leaning = np.concatenate(
        [random.normal(0, 0.4, 300), np.linspace(0, 25, 60), random.normal(25, 0.6, 200)]
    )
    turning = [plain_seen(bounced, asked={"period": bounced})]
    trimmed = [plain_seen((np.arange(300) // 100 % 2).astype(float))]
    cases = {
        "line": ("line-sensors", {"sensors": 3}, Question(row)),
        "line, one kept aside": ("line-sensors", {"sensors": 3}, Question(row[:1], lamp)),
        "line, in heaps that meet": (
            "line-sensors",
            {"sensors": 3},
            Question([row_seen(ground + 40, ground)]),
        ),
        "steering": ("line-sensors", {"sensors": 3}, Question(row)),
        "steering, astride": ("line-sensors", {"sensors": 2, "pitch": 30.0, "tape": 19.0}, Question()),
        "edge": ("line-sensors", {"sensors": 3}, Question([row_seen(line, ground)])),
        "trim": ("comparator-switch", {}, Question(trimmed)),
        "obstacle": ("ultrasonic-ranger", {}, Question([plain_seen(push)])),
        "obstacle, fast": ("time-of-flight-ranger", {"drive_speed": 1.4}, Question([plain_seen(push)])),
        "obstacle, nothing recorded": ("triangulation-ranger", {}, Question()),
        "turning": ("comparator-switch", {}, Question(turning)),
        "turning, two magnets": ("hall-switch", {"magnets": 2}, Question(turning)),
        "tilt": (
            "inertial-unit",
            {"track": 180, "cog_height": 160},
            Question([plain_seen(leaning, rate_hz=50)]),
        ),
        "filter": ("ultrasonic-ranger", {}, Question([plain_seen(push)])),
        "filter, of tilt": ("inertial-unit", {}, Question([plain_seen(leaning, rate_hz=50)])),
        "filter, short": ("ultrasonic-ranger", {}, Question([plain_seen(push[:60])])),
        "dropouts": ("ultrasonic-ranger", {}, Question([plain_seen(push)])),
    }
    made = {
        name: DECISIONS[name.split(",")[0]].work(asked, values_of(what, **known))
        for name, (what, known, asked) in cases.items()
    }
    approved.check("decisions", made)


@pytest.mark.parametrize("board", BOARDS)
def test_other_boards(board: str) -> None:
    """Every template on a board that it was not made for: what is wrong, and what assignment makes of it."""
    made = {}
    for name in TEMPLATES:
        rig = replace(template(name), board=BOARDS[board])
        moved = assignment(rig)
        made[name] = {
            "wrong": [(one.kind, one.sensor, one.pin, one.sentence) for one in check(rig).findings],
            "placed": {f"{wire.sensor} {wire.pin}": wire.to for wire in moved.rig.wires},
            "short": moved.reason,
        }
    approved.check(f"on-{board}", made)
