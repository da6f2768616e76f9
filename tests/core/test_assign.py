"""Pin assignment against trying everything, and the reasons it gives when it cannot be done."""

from __future__ import annotations

from dataclasses import replace
from itertools import permutations

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.rigs import part, rig
from tickstone.core.rigs.boards import BOARDS, board
from tickstone.core.rigs.catalogue import bare_wires, pin_of
from tickstone.core.rigs.rig import ABILITIES, Pin, Rig, Sensor
from tickstone.core.rigs.templates import TEMPLATES, fern, template
from tickstone.core.wiring.assign import assign, assignment, complete
from tickstone.core.wiring.checks import check

KINDS = (
    "hall-switch",
    "ultrasonic-ranger",
    "line-sensors",
    "digital-line-sensor",
    "rotary-encoder",
    "motor-halls",
)
SIGNALS = [a for a in ABILITIES if not a.startswith("i2c")]


def bare(pins: tuple[Pin, ...], *sensors: Sensor) -> Rig:
    base = replace(board("small-5v"), pins=pins)
    return Rig("Fern", "", base, sensors, tuple(w for s in sensors for w in bare_wires(s)))


@settings(max_examples=60)
@given(
    st.lists(st.sets(st.sampled_from(SIGNALS), min_size=1, max_size=3), min_size=1, max_size=6),
    st.lists(st.sampled_from(KINDS[:2] + KINDS[3:4]), min_size=1, max_size=3),
)
def test_it_finds_a_way_exactly_when_trying_everything_finds_one(
    pins: list[set[str]], kinds: list[str]
) -> None:
    names = tuple(Pin(f"p{i}", tuple(sorted(a))) for i, a in enumerate(pins))
    made = bare(names, *(part(kind, f"s{i}") for i, kind in enumerate(kinds)))  # type: ignore[arg-type]
    wires = [w for w in made.wires if not pin_of(made, w).power]
    accepts = [[set(pin_of(made, w).needs) & set(p.abilities) for p in names] for w in wires]
    possible = len(wires) <= len(names) and any(
        all(accepts[i][j] for i, j in enumerate(order))
        for order in permutations(range(len(names)), len(wires))
    )
    found = assignment(made, explain=False)
    assert (not found.shortages) is possible
    placed = [w for w in found.rig.wires if not pin_of(made, w).power and w.to]
    assert len({w.to for w in placed}) == len(placed)
    for wire in placed:
        assert set(pin_of(made, wire).needs) & set(made.board.pin(wire.to).abilities)
    if not possible:
        short = found.shortages[0]  # Hall's theorem: this set accepts fewer pins than it has wires
        together = {
            p.name for p in names for w in short.wires if set(pin_of(made, w).needs) & set(p.abilities)
        }
        assert together == set(short.pins)
        assert len(short.pins) < len(short.wires)


def test_a_wire_gives_way_where_a_greedy_hand_would_be_stuck() -> None:
    # The tachometer would take the interrupt first; then the Hall switch, which nothing else can serve, had
    # none.
    pins = (Pin("int", ("digital", "interrupt")), Pin("capture", ("digital", "capture")))
    made = assignment(bare(pins, part("comparator-switch", "tacho"), part("hall-switch", "wheel")))  # type: ignore[arg-type]
    assert made.reason == ""
    assert made.rig.wire("wheel", "output").to == "int"
    assert made.rig.wire("tacho", "output").to == "capture"


def test_scarce_abilities_are_left_to_those_who_need_them() -> None:
    made = rig(part("digital-line-sensor", "line"), part("ultrasonic-ranger", "front"))
    assert {made.wire("line", "output").to, made.wire("front", "trigger").to} == {"digital 1", "digital 2"}


def test_a_six_sensor_rig_on_the_small_board_is_assigned() -> None:
    made = fern()
    assert len(made.sensors) == 6
    assert all(w.to for w in made.wires)
    rows = [made.wire("line-row", f"output {i}").to for i in range(1, 6)]
    assert rows == [f"analogue {i}" for i in range(1, 6)]  # in their order, so that wires do not cross


def test_too_many_interrupts_are_refused_with_the_reason_and_a_way_out() -> None:
    wheels = [part("hall-switch", f"wheel-{i}") for i in range(1, 4)]
    found = assignment(bare(board("small-5v").pins, *wheels))  # type: ignore[arg-type]
    assert "Three wires need an interrupt pin" in found.reason
    assert "this board has two such pins free (int 1, int 2)" in found.reason
    assert "Choose the 3.3 V dual-core 32-bit board, which takes them all" in found.reason
    for i in range(1, 4):
        assert f"wheel-{i} output".replace("-", " ") in found.reason


def test_too_many_analogue_wires_point_to_a_converter() -> None:
    found = assignment(
        bare(board("small-5v").pins, part("line-sensors", "row", count=8), part("microphone", "mic"))
    )  # type: ignore[arg-type]
    assert "Fit a 4-channel converter on the I2C bus" in found.reason


def test_a_fixed_wire_stays_and_is_named_when_it_is_in_the_way() -> None:
    made = rig(part("digital-line-sensor", "line"), part("hall-switch", "wheel"))
    fixed = made.with_wire(replace(made.wire("line", "output"), to="analogue 2", fixed=True))
    assert assignment(fixed).rig.wire("line", "output").to == "analogue 2"
    pins = (Pin("int", ("digital", "interrupt")), Pin("d", ("digital",)))
    blocked = bare(pins, part("digital-line-sensor", "line"), part("hall-switch", "wheel"))  # type: ignore[arg-type]
    blocked = blocked.with_wire(replace(blocked.wire("line", "output"), to="int", fixed=True))
    assert "let line output move from int" in assignment(blocked).reason.lower()


def test_wires_that_lack_the_same_pins_are_named_in_one_sentence() -> None:
    moved = assignment(replace(template("T01"), board=BOARDS["computer-3v3"]))
    assert [len(short.wires) for short in moved.shortages] == [3]
    assert moved.reason.startswith(
        "Three wires need an analogue input (line row output 1, line row output 2 and line row output 3), "
        "this board has no such pins free."
    )
    wide = BOARDS["wide-3v3"]
    lost = {"analogue 4", "analogue 5", "analogue 6"}
    few = replace(wide, pins=tuple(pin for pin in wide.pins if pin.name not in lost))
    (short,) = assignment(replace(template("T15"), board=few)).shortages
    assert len(short.wires) == 5
    assert short.pins == ("analogue 1", "analogue 2", "analogue 3")


@pytest.mark.parametrize("kind", BOARDS)
def test_assigning_twice_changes_nothing(kind: str) -> None:
    made = assignment(replace(fern(), board=board(kind)), explain=False).rig
    assert assignment(made, explain=False).rig == made


def test_a_rig_is_made_complete_with_a_wire_for_every_pin() -> None:
    made = replace(fern(), wires=fern().wires[:3])
    whole = complete(made)
    assert {(w.sensor, w.pin) for w in whole.wires} == {(w.sensor, w.pin) for w in fern().wires}
    assert whole.wires[:3] == fern().wires[:3]


@pytest.mark.parametrize("template_id", TEMPLATES)
def test_pins_assigned_anew_make_no_fault_of_their_own(template_id: str) -> None:
    """Every template, all its wires loose: no timer is wanted twice, and nothing is worse than it was."""
    made = template(template_id)
    loose = replace(made, wires=tuple(replace(wire, fixed=False) for wire in made.wires))
    fresh = assign(loose)
    before = {(one.kind, one.sensor, one.pin) for one in check(made).findings if one.severity == "fault"}
    after = {(one.kind, one.sensor, one.pin) for one in check(fresh).findings if one.severity == "fault"}
    assert after <= before
    assert not any(kind == "timer-shared" for kind, _, _ in after)


def test_a_capture_keeps_off_a_timer_that_a_servo_a_tone_or_a_motor_takes() -> None:
    for other in (
        part("servo", "servo"),
        part("buzzer", "buzzer", drive="tone"),
        part("motor-driver", "wheels"),
    ):
        made = rig(part("ultrasonic-ranger", "ranger"), other)
        assert [one.kind for one in check(assign(made)).findings if one.kind == "timer-shared"] == []


def test_the_steps_of_an_led_bar_lie_in_the_boards_order() -> None:
    made = template("T13")
    order = [pin.name for pin in made.board.pins]
    places = [order.index(made.wire("bar", f"step {n}").to) for n in range(1, 9)]
    assert places == sorted(places)
    assert len(set(places)) == 8


def test_of_a_part_with_several_wires_one_may_be_left_out() -> None:
    row = assignment(
        bare(board("small-5v").pins, part("line-sensors", "row", count=8), part("microphone", "mic"))
    )  # type: ignore[arg-type]
    assert "leave out a wire of row" in row.reason
    wheels = [part("hall-switch", f"wheel-{i}") for i in range(1, 4)]
    assert "leave out" not in assignment(bare(board("small-5v").pins, *wheels)).reason  # type: ignore[arg-type]
