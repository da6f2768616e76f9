"""One plain fault a recording, or none: what is named first. Columns are as people name them in files; the
values are made here by a few lines each, apart from the simulated scenes, so that the two do not share a
mistake."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import numpy.typing as npt
import pytest

from tickstone.core.diagnosis.examine import examine
from tickstone.core.diagnosis.finding import KINDS
from tickstone.formats.examined import columns_record

Array = npt.NDArray[np.float64]
Columns = dict[str, Array]
MS, US = ("t_ms", 1e3), ("t_us", 1.0)
N = 600
T = np.arange(N) * 50.0


def noise(sd: float, n: int = N, seed: int = 1) -> Array:
    return np.random.default_rng(seed).normal(0, sd, n)


def share(p: float, n: int = N, seed: int = 2) -> npt.NDArray[np.bool_]:
    return np.random.default_rng(seed).random(n) < p


def put(values: Array, where: object, what: object) -> Array:
    changed = values.copy()
    changed[where] = what  # type: ignore[index]
    return changed


ECHO = np.round(2900 + noise(8))
CLOSER = np.round(np.linspace(2000, 300, N) * 5.8 + noise(10))
STEPS = np.repeat([300.0, 600.0, 900.0, 500.0, 1500.0, 400.0], 100) + noise(2)
AT_RULER = [f"{int(x)} cm" for x in np.repeat([30, 60, 90, 50, 150, 40], 100)]
TWO_MARKS = ["30 cm" if i == 50 else "60 cm" if i == 150 else "" for i in range(N)]


def row(n: int = 2000, dt_ms: float = 10.0, still: bool = False, sd: float = 3.0) -> Columns:
    """Five sensors over a line that weaves, or over bare ground."""
    t = np.arange(n) * dt_ms / 1000
    at = np.full(n, 200.0) if still else 14 * np.sin(2 * np.pi * t / 3.1) + 6 * np.sin(2 * np.pi * t / 1.3)
    dark = [np.exp(-(((at - (i - 2) * 12) / 9) ** 2)) for i in range(5)]
    return {"t_ms": t * 1000} | {
        f"line{i + 1}_adc": np.round(150 + 10 * i + (600 - 20 * i) * dark[i] + noise(sd, n, i))
        for i in range(5)
    }


def each(columns: Columns, change: Callable[[Array], Array], *only: str) -> Columns:
    return {
        name: change(x) if (name in only if only else name.endswith(("_adc", "_g"))) else x
        for name, x in columns.items()
    }


def marked() -> tuple[Columns, list[str]]:
    """A row over ground, tape across, the leftmost and the rightmost sensor, then a sweep; pale reads
    high."""
    at = np.concatenate(
        [
            np.full(300, 500.0),
            np.zeros(300),
            np.full(300, -24.0),
            np.full(300, 24.0),
            np.linspace(-30, 30, 300),
        ]
    )
    columns: Columns = {"t_ms": np.arange(1500) * 20.0}
    for i in range(5):
        dark = np.exp(-(((at - (i - 2) * 12) / 7) ** 2))
        dark[300:600] = 1
        columns[f"line{i + 1}_adc"] = np.round(800 - 600 * dark + noise(4, 1500, i))
    return columns, [word for word in ("ground", "line", "left", "right", "") for _ in range(300)]


MARKED, WORDS = marked()
FOLLOWED, STILL = row(), row(3000, 5.0, still=True, sd=4)
GAPS = 12_000 * (1 + 0.3 * np.sin(np.arange(400) / 60)) + noise(120, 400)
EDGES = np.cumsum(GAPS)
TICKS = np.arange(8000.0)
HALL = ((TICKS / 80) % 1 > 0.15).astype(float)
RISES = np.flatnonzero(np.diff(HALL) > 0)
CHANGES = np.flatnonzero(np.diff(HALL) != 0)


def edges(times: Array) -> tuple[Columns, tuple[str, float], list[str]]:
    return {"hall_edge_us": np.round(np.sort(times))}, ("hall_edge_us", 1.0), []


def between(place: float, which: object) -> Array:
    return np.concatenate([EDGES, (EDGES[:-1] + place * np.diff(EDGES))[which]])  # type: ignore[index]


def level(values: Array) -> tuple[Columns, tuple[str, float], list[str]]:
    return {"t_ms": TICKS, "hall": values}, MS, []


def bounced() -> Array:
    found = HALL.copy()
    for at in CHANGES[share(0.5, CHANGES.size)]:
        found[at + 2] = 1 - found[at + 2]
    return found


def without_pulses() -> Array:
    found = HALL.copy()
    for at in RISES[share(0.1, RISES.size)]:
        found[at - 14 : at + 1] = 1
    return found


M = 2000
MT = np.arange(M) * 10.0
COUNTS = {
    "ax": np.round(200 + noise(50, M)),
    "ay": np.round(-100 + noise(50, M, 3)),
    "az": np.round(16384 + noise(50, M, 4)),
    "gx": np.round(30 + noise(12, M, 5)),
    "gy": np.round(-50 + noise(12, M, 6)),
    "gz": np.round(10 + noise(12, M, 7)),
}
IN_G = {
    f"{name}_g" if name[0] == "a" else f"{name}_dps": x / (16384 if name[0] == "a" else 131)
    for name, x in COUNTS.items()
}
GYRO_ALONE = {name: x for name, x in IN_G.items() if name.startswith("g")}
CREEPS = np.linspace(0, 1, M)
SHAKEN = {
    name: x + np.where((np.arange(M) // 400) % 2 == 1, noise(0.15, M, 9), 0) if name[0] == "a" else x
    for name, x in IN_G.items()
}
ROLL = 25 * np.sin(MT / 1000 * 1.6)  # rocked by hand, degrees
ROCKED = {
    "ax_g": IN_G["ax_g"],
    "ay_g": np.sin(np.radians(ROLL)) + noise(0.003, M, 3),
    "az_g": np.cos(np.radians(ROLL)) + noise(0.003, M, 4),
    "gx_dps": 40 * np.cos(MT / 1000 * 1.6) + noise(0.1, M, 5),
    "gy_dps": IN_G["gy_dps"],
    "gz_dps": IN_G["gz_dps"],
}
FAR = np.concatenate([np.linspace(2900, 9500, 250), np.zeros(100), np.linspace(9500, 2900, 250)])
SLOW = np.arange(900) * 200.0
VOLTS = np.round(7.6 - 0.00016 * np.arange(900) + noise(0.01, 900), 2)
AIR = np.round(22 + noise(0.06, 900), 1)

Case = tuple[str, str | None, tuple[Columns, tuple[str, float], list[str]]]


def of(
    columns: Columns, time: tuple[str, float] = MS, marks: list[str] | None = None
) -> tuple[Columns, tuple[str, float], list[str]]:
    return columns, time, marks or []


def unit(columns: Columns, **changed: Array) -> tuple[Columns, tuple[str, float], list[str]]:
    return of({"t_ms": MT} | columns | changed)


def echo(
    values: Array, marks: list[str] | None = None, t: Array = T
) -> tuple[Columns, tuple[str, float], list[str]]:
    return of({"t_ms": t, "echo_us": values}, MS, marks)


def lit(hz: float, rate: float, swing: float) -> tuple[Columns, tuple[str, float], list[str]]:
    t = np.arange(3000) / rate
    wave = swing * np.sin(2 * np.pi * hz * t + 0.3)
    return of({"t_us": np.round(t * 1e6), "ldr_adc": np.round(400 + wave + noise(4, 3000))}, US)


FAULTY: list[Case] = [
    ("zeros now and then", "dropouts", echo(put(ECHO, share(0.05), 0))),
    ("time-outs now and then", "dropouts", echo(put(ECHO, share(0.05), 38_000))),
    ("empty cells", "dropouts", echo(put(ECHO, share(0.05), np.nan))),
    ("no echo just while closing in", "dropouts", echo(put(CLOSER, slice(400, 415), 0))),
    (
        "zeros of a wire",
        "dropouts",
        of({"t_ms": STILL["t_ms"], "ir_adc": put(np.round(400 + noise(3, 3000)), share(0.01, 3000), 0)}),
    ),
    (
        "a thermometer without its wire",
        "dropouts",
        of({"t_ms": SLOW, "air_c": put(AIR, share(0.03, 900), -127)}),
    ),
    ("a battery that says zero", "dropouts", of({"t_ms": SLOW, "supply_v": put(VOLTS, share(0.04, 900), 0)})),
    ("lines that are not there", "dropouts", echo(ECHO[~share(0.06)], None, T[~share(0.06)])),
    ("four spikes", "spikes", echo(put(ECHO, [50, 170, 300, 420], [4900, 1400, 5900, 3800]))),
    ("two spikes", "spikes", echo(put(ECHO, [200, 400], [5900, 900]))),
    (
        "spikes of a wire",
        "spikes",
        of({"t_ms": STILL["t_ms"], "ir_adc": put(STILL["line1_adc"], [100, 700, 1500], [900, 20, 1000])}),
    ),
    (
        "spikes of a thermometer",
        "spikes",
        of({"t_ms": SLOW, "air_c": put(AIR, [30, 200, 555], [35, -2, 41])}),
    ),
    ("an echo that stays", "stuck", echo(put(ECHO, slice(250, 400), ECHO[250]))),
    ("an echo that stays at last", "stuck", echo(put(ECHO, slice(550, N), ECHO[550]))),
    ("one of a row that never moves", "stuck", of(FOLLOWED | {"line2_adc": np.full(2000, 412.0)})),
    (
        "one of a row that stops",
        "stuck",
        of(FOLLOWED | {"line2_adc": put(FOLLOWED["line2_adc"], slice(800, 1400), 201)}),
    ),
    ("one axis that never moves", "stuck", unit(COUNTS, ay=np.full(M, -93.0))),
    ("a unit of which nothing moves", "stuck", unit({name: np.full(M, x[0]) for name, x in COUNTS.items()})),
    (
        "all axes at once",
        "stuck",
        unit({name: put(x, slice(900, 1300), x[900]) for name, x in COUNTS.items()}),
    ),
    ("a ceiling of its own", "clipped", of(FOLLOWED | {"line3_adc": np.minimum(FOLLOWED["line3_adc"], 500)})),
    (
        "the end of the converter",
        "clipped",
        of(each(FOLLOWED, lambda x: np.minimum(np.round(x * 1.6), 1023))),
    ),
    (
        "gravity beyond the range",
        "clipped",
        unit(COUNTS, az=np.minimum(np.round(COUNTS["az"] * 2.2), 32_767)),
    ),
    (
        "a turn beyond the range",
        "clipped",
        unit(COUNTS, gz=np.clip(np.round(48_000 * np.sin(MT / 900)), -32_768, 32_767)),
    ),
    (
        "edges that bounce",
        "chatter",
        edges(np.concatenate([EDGES, EDGES[share(0.3, 400)] + 300, EDGES[share(0.3, 400)] + 650])),
    ),
    ("a level that bounces", "chatter", level(bounced())),
    ("some marks seen twice", "doubled", edges(between(0.5, share(0.2, 399)))),
    ("some marks seen twice, soon", "doubled", edges(between(0.3, share(0.2, 399)))),
    ("marks seen twice for a while", "doubled", edges(between(0.5, slice(100, 140)))),
    ("marks seen twice from then on", "doubled", edges(between(0.5, slice(200, None)))),
    ("each mark seen twice", "doubled", edges(between(0.35, slice(None)))),
    (
        "each mark seen twice, sooner or later",
        "doubled",
        edges(
            np.concatenate(
                [EDGES, EDGES[:-1] + (0.25 + 0.1 * np.random.default_rng(4).random(399)) * np.diff(EDGES)]
            )
        ),
    ),
    ("pulses that are not there", "missed", edges(EDGES[~share(0.05, 400)])),
    ("pulses of a level that are not there", "missed", level(without_pulses())),
    (
        "left and right, by marks",
        "swapped",
        of(MARKED | {"line1_adc": MARKED["line5_adc"], "line5_adc": MARKED["line1_adc"]}, MS, WORDS),
    ),
    (
        "a row turned about, by marks",
        "swapped",
        of(
            {n: MARKED[f"line{6 - int(n[4])}_adc"] if "line" in n else x for n, x in MARKED.items()},
            MS,
            WORDS,
        ),
    ),
    (
        "two of a row, by the line alone",
        "swapped",
        of(FOLLOWED | {"line2_adc": FOLLOWED["line4_adc"], "line4_adc": FOLLOWED["line2_adc"]}),
    ),
    ("one of a row, by marks", "inverted", of(MARKED | {"line3_adc": 1000 - MARKED["line3_adc"]}, MS, WORDS)),
    ("a level that is low without a magnet", "inverted", level(1 - HALL)),
    *(
        (f"lamps at {rate:.0f} readings a second", "flicker", lit(100, rate, 25))
        for rate in (90, 200, 333, 500, 1000)
    ),
    ("a gyro that goes the other way", "inverted", unit(ROCKED, gx_dps=-ROCKED["gx_dps"])),
    ("a gyro of half the range", "wrong-scale", unit(ROCKED, gx_dps=ROCKED["gx_dps"] / 2)),
    ("a gyro of twice the range", "wrong-scale", unit(ROCKED, gx_dps=ROCKED["gx_dps"] * 2)),
    (
        "spikes of an accelerometer",
        "spikes",
        unit(IN_G, ax_g=put(IN_G["ax_g"], [300, 900, 1500], [1.4, -1.2, 1.6])),
    ),
    ("lamps of 60 Hz", "flicker", lit(120, 50, 25)),
    (
        "twice too far, at marks",
        "wrong-scale",
        of({"t_ms": T, "distance_cm": np.round(STEPS / 5, 1)}, MS, AT_RULER),
    ),
    ("inches for centimetres, at marks", "wrong-scale", echo(np.round(STEPS * 5.8 / 2.54), AT_RULER)),
    ("twice too long, at two moments", "wrong-scale", echo(np.round(STEPS * 11.6), TWO_MARKS)),
    (
        "distance against echo",
        "wrong-scale",
        of({"t_ms": T, "echo_us": np.round(STEPS * 5.83), "distance_cm": np.round(STEPS / 5, 1)}),
    ),
    ("half a g", "wrong-scale", unit(each(IN_G, lambda x: x / 2))),
    ("Fahrenheit", "wrong-scale", of({"t_ms": SLOW, "air_c": np.round(AIR * 1.8 + 32, 1)})),
    (
        "a held target that creeps",
        "drift",
        echo(np.round(ECHO * (1 + 0.06 * np.arange(N) / N)), ["50 cm"] * N),
    ),
    ("slower than anybody pushes", "drift", echo(np.round(ECHO * (1 + 0.06 * np.arange(N) / N)))),
    (
        "one of a row",
        "drift",
        of(STILL | {"line1_adc": np.round(STILL["line1_adc"] + np.linspace(0, 60, 3000))}),
    ),
    ("the whole row", "drift", of(each(STILL, lambda x: np.round(x + np.linspace(0, 60, 3000))))),
    (
        "spikes of a gyro alone",
        "spikes",
        unit(GYRO_ALONE, gx_dps=put(GYRO_ALONE["gx_dps"], share(0.01, M), 180.0)),
    ),
    (
        "spikes of a gyro beside two axes",
        "spikes",
        unit(
            GYRO_ALONE | {"ax_g": IN_G["ax_g"], "ay_g": IN_G["ay_g"]},
            gx_dps=put(GYRO_ALONE["gx_dps"], share(0.01, M), 180.0),
        ),
    ),
    ("a gyro's bias", "drift", unit(IN_G, gz_dps=IN_G["gz_dps"] + 4 * CREEPS)),
    ("an accelerometer's offset", "drift", unit(IN_G, ax_g=IN_G["ax_g"] + 0.3 * CREEPS)),
    (
        "lines now and then",
        "jitter",
        echo(ECHO, None, np.round(np.cumsum(np.random.default_rng(3).uniform(10, 90, N)))),
    ),
    ("edges timed badly", "jitter", edges(EDGES + noise(1200, 400, 8))),
    ("a clock that begins anew", "reset", echo(ECHO, None, np.where(np.arange(N) < 300, T, T - T[300]))),
]

SLOW_EDGES = np.cumsum(1_500_000 * (1 + 0.01 * noise(1.0, 200, 5)))
HEALTHY: list[Case] = [
    (
        "a slow wheel that is pushed on now and then",
        None,
        edges(np.concatenate([SLOW_EDGES, (SLOW_EDGES[:-1] + 0.5 * np.diff(SLOW_EDGES))[share(0.1, 199)]])),
    ),
    (
        "a quick wheel in whole milliseconds",
        None,
        edges(np.round(np.cumsum(8_300 + 200 * noise(1.0, 400, 8)) / 1000) * 1000),
    ),
    ("a part that prints -1 g lying flat", None, unit(IN_G, az_g=-IN_G["az_g"])),
    ("a target that stands", None, echo(ECHO)),
    ("a target that comes nearer", None, echo(CLOSER)),
    ("a target that is put elsewhere", None, of({"t_ms": T, "distance_mm": np.round(STEPS)})),
    ("whole centimetres", None, of({"t_ms": T, "distance_cm": np.round(STEPS / 10)})),
    ("marks that agree", None, of({"t_ms": T, "distance_cm": np.round(STEPS / 10, 1)}, MS, AT_RULER)),
    ("moments that agree", None, echo(np.round(STEPS * 5.83), TWO_MARKS)),
    ("a target that leaves", None, echo(np.where(T < 20_000, np.round(2900 + T * 1.1 + noise(8)), 0))),
    ("a target that steps aside", None, echo(put(ECHO, slice(200, 400), 0))),
    ("a single zero", None, echo(put(ECHO, 300, 0))),
    ("a line that is followed", None, of(FOLLOWED)),
    ("a line with marks", None, of(MARKED, MS, WORDS)),
    ("bare ground", None, of(STILL)),
    ("lamps that nobody minds", None, lit(100, 500, 2)),
    ("a wheel", None, edges(EDGES)),
    ("two magnets", None, edges(between(0.45, slice(None)))),
    (
        "three magnets, none where it should be",
        None,
        edges(np.cumsum(np.tile([10_000.0, 12_500.0, 13_500.0], 130) + noise(60, 390))),
    ),
    (
        "a wheel that runs up and stops",
        None,
        edges(
            np.cumsum(
                np.concatenate(
                    [
                        np.geomspace(400_000, 12_000, 60),
                        12_000 + noise(80, 200),
                        np.geomspace(12_000, 600_000, 50),
                    ]
                )
            )
        ),
    ),
    ("a level of a wheel", None, level(HALL)),
    ("a wheel at rest", None, level(np.ones(8000))),
    ("a unit at rest", None, unit(COUNTS)),
    (
        "a unit of 8 g",
        None,
        unit({name: np.round(x / 4) if name[0] == "a" else x for name, x in COUNTS.items()}),
    ),
    ("a unit in g", None, unit(IN_G)),
    ("a unit that is rocked", None, unit(ROCKED)),
    ("a gyro a little off", None, unit(ROCKED, gx_dps=ROCKED["gx_dps"] * 1.15)),
    (
        "a unit laid on its back for a while",
        None,
        unit(IN_G, az_g=put(IN_G["az_g"], slice(1200, M), -IN_G["az_g"][1200:])),
    ),
    (
        "pushes that last for two readings",
        None,
        unit(IN_G, ax_g=put(IN_G["ax_g"], [300, 301, 900, 901, 1500, 1501], 1.4)),
    ),
    (
        "a target that goes out of reach and comes back",
        None,
        echo(np.where(FAR > 0, np.round(FAR + noise(8)), 0)),
    ),
    ("coarse and shaken", None, unit({name: np.round(x, 2) for name, x in SHAKEN.items()})),
    ("a fast turn inside the range", None, unit(COUNTS, gz=np.round(20_000 * np.sin(MT / 900)))),
    ("a battery and the air", None, of({"t_ms": SLOW, "supply_v": VOLTS, "air_c": AIR})),
    (
        "a battery that empties",
        None,
        of({"t_ms": SLOW, "supply_v": np.round(VOLTS - 0.0006 * np.arange(900), 3)}),
    ),
    ("steps of a whole millisecond", None, echo(ECHO, None, np.round(np.arange(N) * 1.4))),
    ("a loop's own unevenness", None, echo(ECHO, None, np.round(np.cumsum(50 + noise(1))))),
    (
        "a counter that rolls over",
        None,
        of({"t_us": (np.arange(N) * 50_000.0 + 2**32 - 1e7) % 2**32, "echo_us": ECHO}, US),
    ),
]


@pytest.mark.parametrize(
    ("wanted", "given"), [case[1:] for case in FAULTY + HEALTHY], ids=[case[0] for case in FAULTY + HEALTHY]
)
def test_what_is_named_first(wanted: str | None, given: tuple[Columns, tuple[str, float], list[str]]) -> None:
    columns, time, marks = given
    before = {name: x.copy() for name, x in columns.items()}
    found = [one for one in examine(columns_record(columns, time, marks)) if one.accuses]
    assert (found[0].kind if found else None) == wanted, found
    for name, x in columns.items():
        np.testing.assert_array_equal(x, before[name])
    for one in found:
        assert one.evidence.endswith(".")
        assert any(sign.isdigit() for sign in one.evidence)
        assert one.start_s <= one.end_s
        assert one.causes
        assert one.advice


def test_every_kind_that_columns_can_show_is_among_the_plain_cases() -> None:
    assert {case[1] for case in FAULTY} | {"garbled"} == set(KINDS)


@pytest.mark.parametrize(
    ("kind", "little", "much", "as_sure"),
    [
        (
            "chatter",
            edges(np.concatenate([EDGES, EDGES[::100] + 300])),
            edges(np.concatenate([EDGES, EDGES[::3] + 300])),
            (0.70, 0.974),
        ),
        (
            "wrong-scale",
            unit({n: 0.87 * x if n[0] == "a" else x for n, x in IN_G.items()}),
            unit({n: 1.62 * x if n[0] == "a" else x for n, x in IN_G.items()}),
            (0.31, 0.947),
        ),
    ],
)
def test_the_more_there_is_of_a_fault_the_surer_it_is_named(
    kind: str, little: tuple, much: tuple, as_sure: tuple
) -> None:
    """One edge in a hundred that bounces against one in three; gravity a tenth off against more than half."""
    seen = []
    for columns, time, marks in (little, much):
        seen += [one.confidence for one in examine(columns_record(columns, time, marks)) if one.kind == kind]
    assert seen == pytest.approx(as_sure, abs=0.03)


# What nobody saw, and what was wrongly accused --------------------------------------------------------------


def named(
    columns: Columns, time: tuple[str, float] = US, marks: list[str] | None = None
) -> list[tuple[str, str]]:
    """What is found so surely that it is shown, as (kind, channel)."""
    return [(one.kind, one.channel) for one in examine(columns_record(columns, time, marks)) if one.accuses]


def ranger_counts(mm: Array) -> Array:
    """Counts of a light ranger whose volts fall with distance, five volts on ten bits."""
    return np.round((2600 / (mm + 42) + 0.05) / (5 / 1024) + noise(2, mm.size))


AT_LIGHT = np.repeat([250.0, 450.0, 700.0], 300)
LIGHT_MARKS = [f"{mm / 10:.0f} cm" for mm in AT_LIGHT]
ROWS_US = np.arange(900) * 33_000.0


def test_a_light_ranger_that_rises_with_distance_is_inverted() -> None:
    counts = ranger_counts(AT_LIGHT)
    assert named({"t_us": ROWS_US, "ir_adc": 1023 - counts}, marks=LIGHT_MARKS) == [("inverted", "ir_adc")]
    assert named({"t_us": ROWS_US, "ir_adc": counts}, marks=LIGHT_MARKS) == []
    near = np.repeat([30.0, 60.0, 80.0], 300)  # nearer than its peak it does rise: that is its nature
    close = np.round(200 + 4 * near + noise(2, 900))
    marks = [f"{mm / 10:g} cm" for mm in near]
    assert named({"t_us": ROWS_US, "ir_adc": close}, marks=marks) == []


@pytest.mark.parametrize("sd", [0.0, 4.0], ids=["without noise", "with noise"])
def test_a_row_s_sensor_that_stays_while_its_neighbours_swing_is_stuck(sd: float) -> None:
    columns = row(sd=sd)
    stays = columns["line3_adc"].copy()
    at = 600 + int(np.argmax(stays[600:900] > 400))  # as the line comes under it
    stays[at:1640] = stays[at]
    assert named(columns, MS) == []
    assert named(columns | {"line3_adc": stays}, MS) == [("stuck", "line3_adc")]


def waves(lost: int, jitter: float = 0.02) -> Columns:
    """An analogue encoder, some of its waves missing."""
    rng = np.random.default_rng(4)
    ends = np.cumsum(rng.uniform(94e3 * (1 - jitter), 94e3 * (1 + jitter), 300))
    t = np.arange(0, ends[-1], 2e3)
    level = 500 + 300 * np.sin(2 * np.pi * np.interp(t, np.concatenate([[0], ends]), np.arange(301)))
    for k in rng.choice(298, lost, replace=False):
        level[(t >= ends[k]) & (t < ends[k + 1])] = 200
    return {"t_us": t, "encoder_adc": np.round(level + rng.normal(0, 4, t.size))}


def test_missing_waves_of_an_analogue_encoder_are_counted() -> None:
    assert named(waves(0)) == []
    (finding,) = [one for one in examine(columns_record(waves(18), US)) if one.accuses]
    assert (finding.kind, finding.channel) == ("missed", "encoder_adc")
    assert "are missing" in finding.evidence


@pytest.mark.parametrize("factor", [10.0, 0.1, 25.4])
def test_a_distance_off_by_a_factor_beside_its_echo_time_is_named(factor: float) -> None:
    t = np.arange(600) * 50e3
    mm = 600 + 300 * np.sin(t / 1e6)
    columns = {"t_us": t, "echo_us": np.round(mm / 0.1716), "distance_mm": np.round(mm * factor, 2)}
    assert named(columns) == [("wrong-scale", "distance_mm")]
    assert named(columns | {"distance_mm": np.round(mm)}) == []


def turning(periods: Array) -> Columns:
    return {"hall_edge_us": np.floor(np.cumsum(periods))}


def test_a_long_pause_says_whether_it_stood_or_lost_pulses() -> None:
    rng = np.random.default_rng(1)
    steady = rng.uniform(141e3, 145e3, 100)
    paused = steady.copy()
    paused[50] = 6e6
    edges = ("hall_edge_us", 1.0)
    (finding,) = [one for one in examine(columns_record(turning(paused), edges)) if one.accuses]
    assert finding.kind == "missed"
    assert "pulses were lost is likelier than that it stood" in finding.evidence
    slows = steady.copy()  # it runs out, stands, and starts again
    slows[44:50] *= np.array([1.1, 1.25, 1.5, 1.9, 2.6, 4.0])
    slows[50] = 6e6
    slows[51:57] *= np.array([4.0, 2.6, 1.9, 1.5, 1.25, 1.1])
    assert named(turning(slows), edges) == []
    assert named(turning(steady), edges) == []


def test_a_disc_whose_slots_wear_turns_evenly_all_the_same() -> None:
    """Twenty-four slots, each worn in its own way: what returns each turn is no jitter."""
    rng = np.random.default_rng(3)
    worn = np.tile(1 + rng.normal(0, 0.15, 24), 20)
    edges = ("wheel_edge_us", 1.0)
    even = worn * 40e3 * (1 + rng.normal(0, 0.005, worn.size))
    assert named({"wheel_edge_us": np.floor(np.cumsum(even))}, edges) == []
    shaken = np.cumsum(np.full(480, 40e3)) + rng.normal(0, 6e3, 480)
    assert named({"wheel_edge_us": np.floor(np.sort(shaken))}, edges) == [("jitter", "wheel_edge_us")]


def test_a_part_that_prints_minus_one_g_lying_flat_is_told_of_and_not_accused() -> None:
    n = 500
    columns = {
        "t_us": np.arange(n) * 20e3,
        "ax": np.round(noise(60, n, 1)),
        "ay": np.round(100 + noise(60, n, 2)),
        "az": np.round(-16_384 + noise(60, n, 3)),
    }
    assert named(columns) == []
    faint = examine(columns_record(columns, US))
    assert [one.kind for one in faint] == ["inverted"]
    assert "some print the opposite" in faint[0].evidence
