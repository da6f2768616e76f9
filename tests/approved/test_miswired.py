"""What is said of every wiring fault, and of every check that holds: as it was read and approved."""

from __future__ import annotations

import re
from dataclasses import fields, replace
from pathlib import Path

from tests import approved
from tests.rigs import PACK, part, placed, ranger_and_air, rewired, rig
from tickstone.core.rigs.rig import DividerPart, Geometry, Mount, PullUpPart, Rig, SeriesPart, Supply
from tickstone.core.rigs.templates import TEMPLATES, rig_of, template
from tickstone.core.wiring import checks
from tickstone.core.wiring.assign import assign, assignment
from tickstone.core.wiring.findings import WiringFinding

CODES = re.compile(r"(?:Finding|Assurance)\(\s*\"([a-z0-9-]+)\"")

LITTLE = Supply("cells", 5.0, 5.4, 2000)  # more when full than by name


def with_board(made: Rig, **changes: object) -> Rig:
    return replace(made, board=replace(made.board, **changes))  # type: ignore[arg-type]


def miswired() -> dict[str, Rig]:
    """Rigs with one thing wrong each."""
    ranger = rig(part("ultrasonic-ranger", "front"), board="computer-3v3")
    wheel, halls = rig(part("hall-switch", "wheel")), rig(part("motor-halls", "motor"))
    lamp = rig(part("led", "lamp", colour="red"), part("digital-line-sensor", "line"))
    bus = rig(part("inertial-unit", "tilt", regulator="no"), board="wide-3v3")
    gauge = rig(part("battery-divider", "gauge", top_ohm=47_000), supplies=(PACK,))
    line = rig(part("digital-line-sensor", "line"), supplies=(Supply("cells", 5.0, 6.4, 2000),))
    mover = rig_of(
        "Fern", "", "small-5v", (part("digital-line-sensor", "line"), part("servo", "mover")), (PACK,)
    )
    servo = rig_of(
        "Fern",
        "",
        "small-5v",
        (part("ultrasonic-ranger", "front"), part("servo", "servo")),
        (Supply("servo supply", 5.0, 5.0, 2000),),
    )
    row = rig(*(part("line-sensors", f"row-{i}", count=8, light="visible", lamp_ohm=47) for i in range(2)))
    two = rig(part("hall-switch", "wheel"), part("hall-switch", "other"))
    alike = (part("time-of-flight-ranger", "front"), part("time-of-flight-ranger", "rear"))
    beside = [
        placed("ultrasonic-ranger", side, Mount(200, at, 900, at / 12))
        for side, at in (("left", 60), ("right", -60))
    ]
    saturated = part("line-sensors", "row", load_ohm=22_000.0)
    weak = part("line-sensors", "row", load_ohm=1000.0)
    return {
        "echo divided too far": rewired(ranger, "front", "echo", divider=DividerPart(10_000, 4_700)),
        "echo divided too little": rewired(ranger, "front", "echo", divider=DividerPart(4_700, 10_000)),
        "echo undivided": rewired(ranger, "front", "echo", divider=None),
        "bare part given 5 V": rig(part("time-of-flight-ranger", "tof", regulator="no", shutdown="wired")),
        "a part that latches": rig(part("hall-switch", "wheel", answers="latch")),
        "no pull-up": rewired(wheel, "wheel", "output", pull_up=None),
        "pull-up too weak": rewired(halls, "motor", "h1", pull_up=PullUpPart(1_000_000.0, "5 V")),
        "pull-up too strong": rewired(halls, "motor", "h1", pull_up=PullUpPart(470.0, "5 V")),
        "bus without pull-up": rewired(bus, "tilt", "data", pull_up=None),
        "bus pulled too weakly": rewired(bus, "tilt", "data", pull_up=PullUpPart(47_000.0, "3.3 V")),
        "bus pulled too strongly": rewired(bus, "tilt", "data", pull_up=PullUpPart(470.0, "3.3 V")),
        "supply too high when full": rewired(line, "line", "supply", to="cells"),
        "supply without ground": replace(gauge, supplies=(replace(PACK, grounded=False),)),
        "servo fed from the board": rewired(mover, "mover", "supply", to="5 V"),
        "board gives too little": rig(*row.sensors, part("i2c-adc", "adc")),
        "lamp without resistor": rewired(lamp, "lamp", "anode", series=None),
        "lamp too bright": rewired(lamp, "lamp", "anode", series=SeriesPart(100.0)),
        "pins together too much": rig(
            part("led-bar", "bar", steps=10), part("digital-line-sensor", "line"), board="computer-3v3"
        ),
        "converter's range exceeded": with_board(
            rig(part("triangulation-ranger", "ir")), adc_reference_v=1.1
        ),
        "converter's range wasted": gauge,
        "battery on a pin while the board is off": rig(
            part("battery-divider", "gauge", top_ohm=22_000), supplies=(PACK,)
        ),
        "load too large": rewired(rig(saturated, supplies=(LITTLE,)), "row", "supply", to="cells"),
        "load too small": rewired(rig(weak, supplies=(LITTLE,)), "row", "supply", to="cells"),
        "board without converter": assignment(
            replace(rig(part("microphone", "mic")), board=ranger.board)
        ).rig,
        "two of one address": rig(*alike),
        "two on one pin": rewired(two, "other", "output", to="int 1"),
        "one timer for two": rewired(servo, "front", "echo", to="capture"),
        "pulses on a plain pin": rewired(wheel, "wheel", "output", to="digital 1"),
        "a wire that goes nowhere": rewired(wheel, "wheel", "output", to=""),
        "floor in the beam": rig(placed("ultrasonic-ranger", "front", Mount(200, 0, 120))),
        "two beams that meet": rig(*beside),
        "line narrower than the gap": replace(
            rig(part("line-sensors", "row", count=3)), geometry=Geometry(line_mm=8.0)
        ),
        "ranger beside motors": assign(
            rig(part("ultrasonic-ranger", "front"), part("motor-driver", "wheels"), supplies=(PACK,))
        ),
        "another board put under it": replace(ranger_and_air(), board=ranger.board),
    }


def told(made: Rig, finding: WiringFinding) -> dict[str, object]:
    """A finding with what its fix changes, instead of the whole rig after it."""
    record = {field.name: getattr(finding, field.name) for field in fields(finding)}
    if finding.fix is not None:
        after = finding.fix.rig
        record["fix"] = {
            "label": finding.fix.label,
            "sentence": finding.fix.sentence,
            "wires": [wire for wire in after.wires if wire not in made.wires],
            "fitted": [one for one in after.fitted if one not in made.fitted],
            "supplies": [one for one in after.supplies if one not in made.supplies],
        }
    return record


def test_what_is_said_of_what_is_miswired() -> None:
    made, kinds = {}, set()
    for name, rigged in miswired().items():
        report = checks.check(rigged)
        made[name] = {
            "verdict": checks.verdict(report),
            "findings": [told(rigged, one) for one in report.findings],
        }
        kinds |= {one.kind for one in report.findings}
    for name in TEMPLATES:
        report = checks.check(template(name))
        kinds |= {one.kind for one in (*report.findings, *report.assurances)}
    folder = Path(checks.__file__).parents[1]
    written = {code for path in folder.rglob("*.py") for code in CODES.findall(path.read_text())}
    assert written - kinds == set()  # nothing that can be said stays unread
    approved.check("miswired", made)
