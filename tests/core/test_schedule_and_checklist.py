"""What one builds from: lengths from places, parts with their values, steps with the reading to expect."""

from __future__ import annotations

import re
from dataclasses import replace

import pytest

from tests.rigs import part, rig
from tickstone.core import electrical, resistors
from tickstone.core.rigs.rig import DividerPart, Geometry, Mount, PullUpPart, Rig, Supply
from tickstone.core.rigs.templates import TEMPLATES, fern, heron, template
from tickstone.core.wiring.checklist import SECTIONS, checklist
from tickstone.core.wiring.schedule import parts_list, schedule

every_template = pytest.mark.parametrize("name", TEMPLATES)


def expectation(made: Rig, begins: str) -> str:
    (step,) = [s for s in checklist(made) if s.section == "First power" and s.text.startswith(begins)]
    return step.expect.replace("\u2009", " ")


@every_template
def test_every_wire_and_part_of_a_template_is_listed(name: str) -> None:
    made = template(name)
    lines = schedule(made)
    assert [(line.sensor, line.pin) for line in lines[: len(made.wires)]] == [
        (w.sensor, w.pin) for w in made.wires
    ]
    assert all(line.length_mm > 0 and line.length_mm % 10 == 0 for line in lines)
    parts = parts_list(made)
    assert {one.name for one in made.fitted} <= {p.title for p in parts}
    assert sum(p.count for p in parts if p.title.endswith(" wire")) == len(lines)
    inside = sum((2 if w.divider else 0) + bool(w.pull_up) + bool(w.series) for w in made.wires)
    assert sum(p.count for p in parts if p.title.startswith("resistor")) >= inside
    for p in parts:
        if p.bands:
            assert len(p.bands) == 4


def test_a_wire_is_as_long_as_its_way_along_the_frame() -> None:
    base = rig(part("hall-switch", "wheel"))
    made = replace(base, geometry=Geometry(board_x_mm=20, board_y_mm=-30))
    made = made.with_part(replace(made.part("wheel"), mount=Mount(-80, 120)))
    line = next(s for s in schedule(made) if s.pin == "output")
    assert line.length_mm == 390  # 1.3 · (100 + 150) + 60 = 385, up to the next 10
    assert line.part == "10\u2009kΩ (brown black orange gold) up to 5 V"
    assert line.code == "2"


def test_a_row_of_bare_pairs_lists_its_lamps_and_receivers() -> None:
    for light, lamp in (("infrared", "infrared lamp"), ("visible", "white lamp, clear")):
        made = rig(part("line-sensors", "row", count=3, made="bare", light=light))
        counts = {p.title: p.count for p in parts_list(made) if p.note == "row"}
        assert counts == {lamp: 3, "phototransistor": 3}
        finished = rig(part("line-sensors", "row", count=3, made="module", light=light))
        assert not any(p.note == "row" for p in parts_list(finished))


def test_resistors_are_gathered_by_value_with_colours_and_power() -> None:
    made = rig(part("led-bar", "bar", steps=8), part("hall-switch", "wheel"))
    lines = {p.value.replace("\u2009", " "): p for p in parts_list(made) if p.title.startswith("resistor")}
    ohms = made.wire("bar", "step 1").series.ohms
    bar = lines[f"{ohms:g} Ω"]
    assert bar.count == 8
    assert bar.bands == resistors.colour_bands(ohms)
    found = electrical.led_resistor(5, 2.2, 8, resistor_ohm=ohms)
    assert f"{found.actual_ma:.1f}" in bar.note
    assert "0.125" in bar.note
    assert lines["10 kΩ"].count == 1
    odd = made.with_wire(replace(made.wire("wheel", "output"), pull_up=PullUpPart(9_999.0, "5 V")))
    assert any("nearest 10\u2009kΩ" in p.note for p in parts_list(odd))


def test_motors_bring_their_capacitors() -> None:
    made = rig(
        part("digital-line-sensor", "line"),
        part("motor-driver", "wheels"),
        supplies=(Supply("pack", 7.4, 8.4, 3000),),
    )
    values = {p.title: (p.count, p.value.replace("\u2009", " ")) for p in parts_list(made)}
    assert values["ceramic capacitor across a motor"] == (2, "100 nF")
    assert values["bulk capacitor at the motor supply"] == (1, "470 µF")


@every_template
def test_a_checklist_goes_through_its_sections_in_order_and_names_every_wire(name: str) -> None:
    made = template(name)
    steps = checklist(made)
    order = [SECTIONS.index(step.section) for step in steps]
    assert order == sorted(order)
    assert set(order) == set(range(len(SECTIONS)))
    assert len({step.id for step in steps}) == len(steps)
    cold = " ".join(step.text for step in steps if step.section == "Before power")
    for wire in made.wires:
        assert f"{made.part(wire.sensor).name} {wire.pin} to " in cold
    assert [step.second for step in steps].count(True) == 1
    assert any("fumes" in step.caution for step in steps)
    for step in steps:
        if step.section == "First power" and re.search(r"rail to ground|supply to ground", step.text):
            assert re.search(r"\d", step.expect)


def test_the_voltages_to_expect_are_those_of_the_parts() -> None:
    made = fern()
    assert expectation(made, "5 V rail") == "4.75 to 5.25 V"
    assert expectation(made, "battery to ground") == "6.3 to 8.4 V"
    # 22 kΩ over 10 kΩ: a share of 0.3125 of 85 % of 7.4 V, and of 8.4 V
    assert expectation(made, "analogue 6") == "1.97 to 2.62 V"
    assert expectation(made, "int 1") == "4.5 to 5.2 V"
    assert expectation(made, "data (tilt data)") == "3.0 to 3.5 V"  # pulled up on its module, to 3.3 V
    assert expectation(heron(), "free 1") == "3.0 to 3.5 V"
    echo = rig(part("ultrasonic-ranger", "front"), board="computer-3v3")
    echo = echo.with_wire(replace(echo.wire("front", "echo"), divider=DividerPart(10_000, 15_000)))
    assert expectation(echo, "free 2") == "2.88 to 3.12 V"


def test_continuity_through_a_resistor_expects_its_ohms() -> None:
    made = rig(part("led", "lamp", colour="red"), part("digital-line-sensor", "line"))
    (step,) = [s for s in checklist(made) if s.section == "Before power" and s.text.startswith("lamp anode")]
    assert step.expect == "370 to 410 Ω"


def test_a_step_keeps_its_identity_until_what_it_says_changes() -> None:
    before = {s.id: s.text for s in checklist(fern())}
    moved = fern().with_wire(replace(fern().wire("wheel", "output"), to="int 2"))
    after = {s.id: s.text for s in checklist(moved)}
    gone = {before[i] for i in before.keys() - after.keys()}
    assert gone
    assert all("wheel output" in text for text in gone)


def test_spinning_parts_and_lithium_cells_have_their_cautions() -> None:
    said = " ".join(s.caution for s in checklist(template("T06")))
    for word in ("Lithium", "fingers", "hot iron", "local rules"):
        assert word in said
