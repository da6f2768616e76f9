"""Every room's results on examples of its own, as they were approved."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from tests import approved
from tests.calculations.contract import CONTRACT
from tests.core.decisions.seen import plain_seen, row_seen, values_of
from tests.core.diagnosis.test_plain_cases import FAULTY, HEALTHY
from tests.simulated.calibrations import SIMULATIONS, outcome_of
from tickstone.calculations import run
from tickstone.core.decisions.catalogue import DECISIONS
from tickstone.core.decisions.decision import Asked
from tickstone.core.diagnosis.examine import examine
from tickstone.core.rigs.boards import BOARDS
from tickstone.core.rigs.kinds import KINDS
from tickstone.core.rigs.kinds.base import Converted, Moment, Surroundings
from tickstone.core.rigs.templates import TEMPLATES, template
from tickstone.core.wiring.assign import assignment
from tickstone.core.wiring.checklist import checklist
from tickstone.core.wiring.checks import check, verdict
from tickstone.core.wiring.schedule import parts_list, schedule
from tickstone.formats.examined import columns_record

IN_FULL = ("T05", "T06", "T07", "T12", "T20")  # every colour, part in a wire and caution is in one of them
RAW = [0.0, 1.0, 2.0, 17.0, 90.0, 300.0, 512.0, 800.0, 1023.0, 1457.0, 4095.0, 30_000.0, 65_535.0, 200_000.0]
SERIES = {
    "steady": [20.0] * 50, "rising": [20.0 + i for i in range(50)], "falling": [170.0 - 3 * i for i in range(50)],
    "to and fro": [20.0 + 5 * (i % 2) for i in range(50)], "below nothing": [-8.0] * 50,
    "gone": [200.0] * 20 + [np.nan] * 30, "now and then": [200.0, np.nan] * 25, "never": [np.nan] * 50,
}  # fmt: skip


def test_findings() -> None:
    approved.check("findings", {name: examine(columns_record(*given)) for name, _, given in FAULTY + HEALTHY})


def test_calibrations() -> None:
    approved.check("calibrations", {name: outcome_of(name, 7)[0] for name in SIMULATIONS})


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
    """What each kind says of a steady reading, a changing one, one that is missing; and what a few raw numbers become."""
    made = {}
    for what in KINDS.values():
        known = values_of(what.id)
        raw = {channel.name: np.array(RAW) for channel in what.channels}
        read = what.convert(raw, known, Surroundings())
        said = {name: what.words(moment(np.array(series)), known) for name, series in SERIES.items()}
        made[what.id] = {
            "values": read.values, "reasons": [what.reasons[code] for code in read.codes], "said": said,
            "constants": {name: (one.value, one.unit, one.provenance) for name, one in known.items()},
        }  # fmt: skip
    approved.check("words", made)


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
    spun = 60e6 / (np.concatenate([np.linspace(30, 900, 200), np.full(100, 900.0)]) + random.normal(0, 2, 300))
    bounced = np.ravel([[1500.0, one - 1500.0] for one in spun])
    leaning = np.concatenate([random.normal(0, 0.4, 300), np.linspace(0, 25, 60), random.normal(25, 0.6, 200)])
    turning = [plain_seen(bounced, asked={"period": bounced})]
    trimmed = [plain_seen((np.arange(300) // 100 % 2).astype(float))]
    cases = {
        "line": ("line-sensors", {"sensors": 3}, Asked(row)),
        "line, one kept aside": ("line-sensors", {"sensors": 3}, Asked(row[:1], lamp)),
        "line, in heaps that meet": ("line-sensors", {"sensors": 3}, Asked([row_seen(ground + 40, ground)])),
        "steering": ("line-sensors", {"sensors": 3}, Asked(row)),
        "steering, astride": ("line-sensors", {"sensors": 2, "pitch": 30.0, "tape": 19.0}, Asked()),
        "edge": ("line-sensors", {"sensors": 3}, Asked([row_seen(line, ground)])),
        "trim": ("comparator-switch", {}, Asked(trimmed)),
        "obstacle": ("ultrasonic-ranger", {}, Asked([plain_seen(push)])),
        "obstacle, fast": ("time-of-flight-ranger", {"drive_speed": 1.4}, Asked([plain_seen(push)])),
        "obstacle, nothing recorded": ("triangulation-ranger", {}, Asked()),
        "turning": ("comparator-switch", {}, Asked(turning)),
        "turning, two magnets": ("hall-switch", {"magnets": 2}, Asked(turning)),
        "tilt": ("inertial-unit", {"track": 180, "cog_height": 160}, Asked([plain_seen(leaning, rate_hz=50)])),
        "filter": ("ultrasonic-ranger", {}, Asked([plain_seen(push)])),
        "filter, of tilt": ("inertial-unit", {}, Asked([plain_seen(leaning, rate_hz=50)])),
        "filter, short": ("ultrasonic-ranger", {}, Asked([plain_seen(push[:60])])),
        "dropouts": ("ultrasonic-ranger", {}, Asked([plain_seen(push)])),
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
            "placed": {f"{wire.sensor} {wire.pin}": wire.to for wire in moved.rig.wires}, "short": moved.reason,
        }  # fmt: skip
    approved.check(f"on-{board}", made)
