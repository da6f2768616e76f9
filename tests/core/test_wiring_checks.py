"""Each wiring fault alone, on a rig that has no other: found with its numbers, mended where there is a
fix."""

from __future__ import annotations

from dataclasses import replace

import pytest

from tests.rigs import PACK, part, placed, ranger_and_air, rewired, rig
from tickstone.core import electrical, resistors
from tickstone.core.rigs import boards
from tickstone.core.rigs.catalogue import fit, part_of, pin_of
from tickstone.core.rigs.kinds import kind
from tickstone.core.rigs.labels import known_labels, labels
from tickstone.core.rigs.outputs import converter_of
from tickstone.core.rigs.part import Role
from tickstone.core.rigs.rig import (
    DividerPart,
    Geometry,
    Mount,
    PullUpPart,
    Rig,
    SeriesPart,
    Supply,
)
from tickstone.core.rigs.templates import TEMPLATES, fern, heron, plume, rig_of, template
from tickstone.core.rigs.usual import usual_values
from tickstone.core.wiring import checks, power
from tickstone.core.wiring.assign import assignment
from tickstone.core.wiring.findings import WiringFinding
from tickstone.core.wiring.places import own_supplies
from tickstone.errors import BadInput


def found(made: Rig, wanted: str) -> list[WiringFinding]:
    return [f for f in checks.check(made).findings if f.kind == wanted]


def one(made: Rig, kind: str, severity: str = "fault") -> WiringFinding:
    (finding,) = found(made, kind)
    assert finding.severity == severity
    assert finding.sentence.endswith(".")
    return finding


def heals(made: Rig, finding: WiringFinding) -> Rig:
    """The fix takes exactly this fault away, and breaks nothing."""
    assert finding.fix is not None
    before = {(f.kind, f.sensor, f.pin) for f in checks.check(made).faults}
    after = {(f.kind, f.sensor, f.pin) for f in checks.check(finding.fix.rig).faults}
    assert after == before - {(finding.kind, finding.sensor, finding.pin)}
    return finding.fix.rig


@pytest.mark.parametrize("name", TEMPLATES)
def test_every_template_is_wired_without_a_fault(name: str) -> None:
    made = template(name)
    assert [f.sentence for f in checks.check(made).faults] == []
    assert all(wire.to for wire in made.wires)
    assert made.title == name


@pytest.mark.parametrize("make", [fern, heron, plume], ids=lambda m: m.__name__)
def test_the_demo_rigs_are_wired_without_a_fault(make) -> None:
    assert [f.sentence for f in checks.check(make()).faults] == []


# Levels -----------------------------------------------------------------------------------------------------

# Common practice: 10 kΩ with 4.7 kΩ on a 5 V echo is said to give 2.5 V; it gives 1.6 V one way round, 3.4 V
# the other.
TRAPS = [(10_000, 4_700, "level-too-low", 1.599), (4_700, 10_000, "level-too-high", 3.401)]


@pytest.mark.parametrize(("top", "bottom", "kind", "arrives"), TRAPS)
@pytest.mark.parametrize("board", ["computer-3v3", "wide-3v3"])
def test_the_known_trap_is_caught_both_ways_round(
    board: str, top: float, bottom: float, kind: str, arrives: float
) -> None:
    made = rewired(
        rig(part("ultrasonic-ranger", "front"), board=board),
        "front",
        "echo",
        divider=DividerPart(top, bottom),
    )
    fault = one(made, kind)
    # Kirchhoff: 5·bottom/(top + bottom)
    assert fault.numbers["arrives_v"] == pytest.approx(arrives, abs=5e-4)
    assert f"{arrives:.2f} V" in fault.sentence
    mended = heals(made, fault).wire("front", "echo").divider
    assert mended is not None


@pytest.mark.parametrize(
    ("top", "bottom", "ok"),
    [
        (1_000, 2_000, False),
        (10_000, 15_000, True),
    ],  # trade practice: 3.33 V fails 3.3 V over 5 %, 2.88 to 3.12 V holds
)
def test_a_divider_is_judged_over_its_tolerance(top: float, bottom: float, ok: bool) -> None:
    made = rig(part("ultrasonic-ranger", "front"), board="computer-3v3")
    made = rewired(made, "front", "echo", divider=DividerPart(top, bottom))
    assert (not found(made, "level-too-high")) is ok
    assert found(made, "level-too-low") == []


def test_a_low_output_into_a_board_that_wants_more_is_found() -> None:
    # The other way round: a 3.3 V output into a 5 V input may miss 0.7·Vcc = 3.5 V (common practice).
    strict = replace(boards.board("small-5v"), kind="own", high_level_v=3.5)
    made = replace(rig(part("digital-line-sensor", "line")), board=strict)
    made = rewired(made, "line", "supply", to="3.3 V")
    fault = one(made, "level-too-low")
    assert fault.numbers["arrives_v"] == 3.3
    assert "3.50 V" in fault.sentence


def test_a_board_that_gives_more_than_a_bare_part_bears_is_found() -> None:
    made = rig(part("time-of-flight-ranger", "tof", regulator="no", shutdown="wired"))
    fault = one(made, "level-too-high")
    assert (fault.pin, fault.numbers) == ("shutdown", {"source_v": 5.0, "limit_v": 3.5})


# Pull-ups ---------------------------------------------------------------------------------------------------


def test_a_pull_up_that_is_missing_is_found_unless_the_module_has_one() -> None:
    bare = rewired(rig(part("hall-switch", "wheel")), "wheel", "output", pull_up=None)
    heals(bare, one(bare, "pull-up"))
    module = rig(part("hall-switch", "wheel", pull_up="module"))
    assert module.wire("wheel", "output").pull_up is None
    assert found(module, "pull-up") == []


def test_a_pull_up_too_weak_for_the_pulses_is_found_with_its_rise_time() -> None:
    made = rig(part("motor-halls", "motor"))
    slow = rewired(made, "motor", "h1", pull_up=PullUpPart(1_000_000.0, "5 V"))
    fault = one(slow, "pull-up-slow")
    # ln 9·R·C with 1 MΩ and 20 pF + 100 pF/m over 0.2 m
    assert fault.numbers["rise_us"] == pytest.approx(2.1972 * 1e6 * 40e-12 * 1e6, rel=1e-3)
    assert heals(slow, fault).wire("motor", "h1").pull_up.ohms <= 10_000
    strong = rewired(made, "motor", "h1", pull_up=PullUpPart(470.0, "5 V"))
    heals(strong, one(strong, "pull-up-strong", "hint"))


def test_a_pull_up_to_a_rail_above_the_board_is_found() -> None:
    made = rewired(
        rig(part("hall-switch", "wheel"), board="wide-3v3"),
        "wheel",
        "output",
        pull_up=PullUpPart(10_000, "5 V"),
    )
    assert heals(made, one(made, "level-too-high")).wire("wheel", "output").pull_up.rail == "3.3 V"


# Power ------------------------------------------------------------------------------------------------------


def test_the_wrong_rail_is_found_and_a_supply_that_is_not_there_is_said() -> None:
    made = rewired(rig(part("inertial-unit", "tilt", regulator="no")), "tilt", "supply", to="5 V")
    assert heals(made, one(made, "supply")).wire("tilt", "supply").to == "3.3 V"
    lone = rig(part("motor-driver", "wheels"), part("digital-line-sensor", "line"))
    lost = rewired(lone, "wheels", "motor supply", to="")
    assert "on no supply" in one(lost, "supply").sentence


def test_a_supply_is_judged_when_it_is_full() -> None:
    made = rig(part("digital-line-sensor", "line"), supplies=(Supply("cells", 5.0, 6.4, 2000),))
    made = rewired(made, "line", "supply", to="cells")
    fault = one(made, "supply")
    assert fault.numbers["highest_v"] == 6.4
    assert "when full" in fault.sentence


@pytest.mark.parametrize("kind", ["servo", "motor-driver"])
def test_a_servo_or_motor_fed_from_the_board_is_found_and_gets_a_supply_of_its_own(kind: str) -> None:
    made = rig_of("Fern", "", "small-5v", (part("digital-line-sensor", "line"), part(kind, "mover")), (PACK,))
    own = {"servo": "supply", "motor-driver": "motor supply"}[kind]
    made = rewired(made, "mover", own, to="5 V")
    fault = one(made, "fed-from-board")
    assert fault.fix is not None
    assert fault.fix.rig.wire("mover", own).to not in ("5 V", "3.3 V")
    assert [f.kind for f in checks.check(fault.fix.rig).faults] == []


def test_budgets_of_board_and_rail_are_added_up() -> None:
    rows = [part("line-sensors", f"row-{i}", count=8, light="visible", lamp_ohm=47) for i in range(2)]
    made = rig(*rows, part("i2c-adc", "adc"), part("i2c-adc", "more", address=73))
    fault = one(made, "supply-budget")
    assert fault.numbers["drawn_ma"] == pytest.approx(2 * 8 * (5 - 3) / 47 * 1000 + 0.6, rel=0.01)
    assert fault.numbers["allowed_ma"] == 400
    strong = replace(made.board, supply_ma=3000.0, rails=tuple(replace(r, ma=None) for r in made.board.rails))
    twice = replace(rig(*rows, *(replace(row, id=f"more-{row.id}") for row in rows)), board=strong)
    sentences = {one.sentence for one in checks.check(twice).assurances if one.kind == "supply-budget"}
    # 32 lamps, 2 V across 47 Ω each: 1361.7 mA, and what receivers take
    assert sentences == {"1363 of 3000 mA in all"}
    low = rig(*(part("inertial-unit", f"t{i}", regulator="no", address=104 + i) for i in range(2)))
    tight = replace(
        low.board, rails=tuple(replace(r, ma=8.0) if r.name == "3.3 V" else r for r in low.board.rails)
    )
    assert one(replace(low, board=tight), "supply-budget").numbers == {"drawn_ma": 10.0, "allowed_ma": 8.0}


def test_grounds_are_followed_from_part_to_part_and_a_supply_must_share_them() -> None:
    made = rig(part("hall-switch", "wheel"), part("digital-line-sensor", "line"), supplies=(PACK,))
    chained = rewired(made, "line", "ground", to="wheel.ground")
    assert found(chained, "common-ground") == []
    circle = rewired(chained, "wheel", "ground", to="line.ground")
    assert {f.sensor for f in found(circle, "common-ground")} == {"wheel", "line"}
    apart = replace(made, supplies=(replace(PACK, grounded=False),))
    fault = one(apart, "common-ground")
    assert "pack" in fault.sentence
    heals(apart, fault)


def test_a_lamp_needs_its_resistor_and_a_pin_only_gives_so_much() -> None:
    made = rig(part("led", "lamp", colour="red"), part("digital-line-sensor", "line"))
    ohms = made.wire("lamp", "anode").series.ohms
    assert ohms == 390  # (5 − 1.9) V / 8 mA = 387.5 Ω, the next E24 up
    bare = rewired(made, "lamp", "anode", series=None)
    assert heals(bare, one(bare, "lamp-current")).wire("lamp", "anode").series.ohms == ohms
    bright = rewired(made, "lamp", "anode", series=SeriesPart(100.0))
    fault = one(bright, "pin-current")
    assert fault.numbers["ma"] == pytest.approx(31.0)
    heals(bright, fault)
    bars = rig(part("led-bar", "bar", steps=10), part("digital-line-sensor", "line"), board="computer-3v3")
    # ten times (3.3 − 2.2) V / 180 Ω, where this board's pins together give 50 mA
    assert one(bars, "pins-current").numbers == pytest.approx({"ma": 10 * 1100 / 180, "pins_ma": 50})
    blue = rig(part("led", "lamp", colour="white"), part("digital-line-sensor", "line"), board="wide-3v3")
    assert [f.kind for f in checks.check(rewired(blue, "lamp", "anode", series=None)).faults] == [
        "lamp-current"
    ]


def test_port_totals_are_counted() -> None:
    made = rig(part("led-bar", "bar", steps=10), part("digital-line-sensor", "line"))
    hot = replace(made, board=replace(made.board, pins_ma=60.0))
    fault = one(hot, "pins-current")
    assert fault.numbers["ma"] == pytest.approx(
        10 * (5 - 2.2) / made.wire("bar", "step 1").series.ohms * 1000, rel=1e-6
    )


def test_what_stays_on_while_the_board_is_off_is_said() -> None:
    made = rig(part("battery-divider", "gauge", top_ohm=22_000), supplies=(PACK,))
    assert "power the board first" in one(made, "back-feed", "hint").sentence
    assert found(replace(made, board_from="pack"), "back-feed") == []


# Analogue ---------------------------------------------------------------------------------------------------


def test_the_converters_range_is_used_and_not_exceeded() -> None:
    tilt = rig(part("analogue-accelerometer", "tilt"), part("triangulation-ranger", "ir"))
    assert found(tilt, "adc-range") == []
    low = replace(tilt, board=replace(tilt.board, adc_reference_v=1.1))
    assert {f.numbers["reference_v"] for f in found(low, "adc-range")} == {1.1}
    wasted = rig(part("battery-divider", "gauge", top_ohm=47_000), supplies=(PACK,))
    hint = one(wasted, "adc-wasted", "hint")
    assert hint.numbers["most_v"] == pytest.approx(8.4 * 10 / 57, rel=1e-6)
    assert "71 %" in hint.sentence
    assert hint.sensor == "gauge"


def test_a_full_battery_over_its_divider_is_found_and_mended_by_a_divider_that_uses_the_range() -> None:
    whole = rig(
        part("digital-line-sensor", "line"),
        part("battery-divider", "gauge"),
        board="wide-3v3",
        supplies=(PACK,),
    )
    bare = rewired(whole, "gauge", "middle", divider=None)
    fault = one(bare, "level-too-high")
    assert fault.numbers["source_v"] == pytest.approx(4.2)
    heals(bare, fault)


def test_a_phototransistor_that_saturates_on_white_is_said_with_a_load_that_would_do() -> None:
    made = rig(part("line-sensors", "row", load_ohm=22_000.0))
    hint = one(made, "load-saturated", "hint")
    assert hint.numbers == pytest.approx({"drop_v": 13.2, "room_v": 4.6, "load_ohm": 22_000})
    assert "6.1\u2009kΩ" in hint.sentence  # 0.8·4.6 V / 0.6 mA
    assert one(rig(part("line-sensors", "row", load_ohm=1000.0)), "load-weak", "hint").numbers[
        "drop_v"
    ] == pytest.approx(0.6)
    assert found(rig(part("line-sensors", "row")), "load-saturated") == []


def test_a_board_without_a_converter_says_so_and_a_bus_converter_sets_bits_and_reference() -> None:
    bare = assignment(replace(rig(part("microphone", "mic")), board=boards.board("computer-3v3"))).rig
    fault = one(bare, "unwired")
    assert "fit a 4-channel converter" in fault.sentence.lower()
    mended = heals(bare, fault)
    assert mended.wire("mic", "output").to == "adc 1"
    assert mended.wire("adc", "data").to == "data"
    made = rig(part("microphone", "mic"), part("i2c-adc", "adc"), board="computer-3v3")
    assert made.wire("mic", "output").to == "adc 1"
    assert converter_of(made, "mic") == (15, 4.096)
    values = usual_values(kind("microphone"), made, made.sensors[0])
    assert (values["bits"].value, values["reference"].value) == (15, 4.096)


# Bus, timers, pins ------------------------------------------------------------------------------------------


def test_two_of_one_address_clash_until_one_can_be_held_in_shutdown() -> None:
    alike = [part("time-of-flight-ranger", "front"), part("time-of-flight-ranger", "rear")]
    assert one(rig(*alike), "i2c-address").numbers == {"address": 0x29}
    held = rig(alike[0], part("time-of-flight-ranger", "rear", shutdown="wired"))
    assert found(held, "i2c-address") == []
    assert found(rig(alike[0], part("time-of-flight-ranger", "rear", address=42)), "i2c-address") == []


def test_the_bus_needs_pull_ups_within_the_limits_of_um10204_and_to_the_lower_supply() -> None:
    bare = rig(part("inertial-unit", "tilt", regulator="no"), board="wide-3v3")
    assert {w.pull_up.ohms for w in bare.wires if w.pull_up} == {4700.0}
    none = rewired(bare, "tilt", "data", pull_up=None)
    heals(none, one(none, "i2c-pull-up"))
    weak = rewired(bare, "tilt", "data", pull_up=PullUpPart(47_000.0, "3.3 V"))
    fault = one(weak, "i2c-pull-up")
    # UM10204 table 10: at most t_r/(0.8473·C_b), 1 µs in standard mode
    assert fault.numbers["max_ohm"] == pytest.approx(
        1e-6 / (0.8473 * fault.numbers["bus_pf"] * 1e-12), rel=1e-3
    )
    strong = rewired(bare, "tilt", "data", pull_up=PullUpPart(470.0, "3.3 V"))
    assert one(strong, "i2c-pull-up", "hint").numbers["min_ohm"] == pytest.approx(
        (3.3 - 0.4) / 3e-3, rel=1e-3
    )
    mixed = rig(part("inertial-unit", "tilt", regulator="no"))
    high = rewired(mixed, "tilt", "data", pull_up=PullUpPart(4700.0, "5 V"))
    kinds = {f.kind for f in checks.check(high).faults}
    assert "i2c-pull-up" in kinds
    assert "level-too-high" in kinds  # the bare part itself bears 3.5 V


def test_a_bus_line_may_be_shared_and_no_other_pin() -> None:
    two = rig(part("inertial-unit", "tilt"), part("time-of-flight-ranger", "tof"))
    assert {two.wire("tilt", "data").to, two.wire("tof", "data").to} == {"data"}
    assert found(two, "doubled-pin") == []
    both = rewired(
        rig(part("hall-switch", "wheel"), part("hall-switch", "other")), "other", "output", to="int 1"
    )
    heals(both, one(both, "doubled-pin"))


def test_timers_that_servo_tone_pwm_and_capture_would_share_are_found() -> None:
    made = rig_of(
        "Fern",
        "",
        "small-5v",
        (part("ultrasonic-ranger", "front"), part("servo", "servo")),
        (Supply("servo supply", 5.0, 5.0, 2000),),
    )
    assert made.wire("front", "echo").to.startswith("int")  # kept off the timer that the servo takes
    shared = rewired(made, "front", "echo", to="capture")
    fault = one(shared, "timer-shared")
    assert "timer 1" in fault.sentence
    heals(shared, fault)
    tone = rig_of(
        "Fern",
        "",
        "small-5v",
        (
            part("digital-line-sensor", "line"),
            part("buzzer", "horn", drive="tone"),
            part("motor-driver", "wheels"),
        ),
        (PACK,),
    )
    assert found(tone, "timer-shared") == []
    assert found(rewired(tone, "wheels", "left speed", to="pwm 5"), "timer-shared")


def test_an_interrupt_that_is_missing_is_a_fault_and_a_polled_pin_a_hint() -> None:
    made = rewired(rig(part("hall-switch", "wheel")), "wheel", "output", to="digital 1")
    heals(made, one(made, "pin-ability"))
    asked = rewired(rig(part("rotary-encoder", "roller")), "roller", "a", to="digital 1")
    heals(asked, one(asked, "pin-ability", "hint"))


# Geometry ---------------------------------------------------------------------------------------------------


def test_a_low_beam_meets_the_floor_where_geometry_says() -> None:
    made = rig(placed("ultrasonic-ranger", "front", Mount(200, 0, 120)))
    hint = one(made, "floor-strike", "hint")
    assert hint.numbers["floor_from_mm"] == pytest.approx(120 / 0.13165250, rel=1e-6)  # h/tan(7.5°)
    high = rig(placed("ultrasonic-ranger", "front", Mount(200, 0, 900)))
    assert found(high, "floor-strike") == []


def test_a_measured_height_counts_for_the_floor() -> None:
    made = rig(placed("ultrasonic-ranger", "front", Mount(200, 0, 120)))
    values = dict(usual_values(kind("ultrasonic-ranger"), made, made.sensors[0], {"height": 60.0}))
    (hint,) = [f for f in checks.check(made, {"front": values}).findings if f.kind == "floor-strike"]
    assert hint.numbers["height_mm"] == 60


def test_rangers_that_look_the_same_way_hear_each_other() -> None:
    def two(turned: float) -> Rig:
        return rig(
            placed("ultrasonic-ranger", "left", Mount(200, 60, 900)),
            placed("ultrasonic-ranger", "right", Mount(200, -60, 900, turned)),
        )

    assert one(two(-10), "crosstalk", "hint").numbers == {
        "turned_deg": 10.0,
        "beam_deg": 15.0,
        "apart_mm": 120.0,
    }
    assert found(two(-350), "crosstalk")
    assert found(two(-90), "crosstalk") == []


@pytest.mark.parametrize(
    ("width", "what"), [(8.0, "between two of them"), (19.0, ""), (60.0, "wider than the whole row")]
)
def test_a_line_must_be_wider_than_the_pitch_and_narrower_than_the_row(width: float, what: str) -> None:
    made = replace(rig(part("line-sensors", "row")), geometry=Geometry(line_mm=width))
    hints = found(made, "line-width")
    assert bool(hints) is bool(what)
    assert all(what in hint.sentence for hint in hints)


# Labels, options --------------------------------------------------------------------------------------------


def test_two_alike_are_told_apart_by_their_names() -> None:
    made = rig(
        part("ultrasonic-ranger", "front"), part("ultrasonic-ranger", "rear"), part("air-temperature", "air")
    )
    assert set(labels(made).values()) == {"front_echo_us", "rear_echo_us", "air_c"}
    known = known_labels(made)
    assert known["echo_us"][0] == "front"
    assert known["rear_echo_us"][0] == "rear"


def test_a_row_has_as_many_channels_as_sensors() -> None:
    made = rig(part("line-sensors", "row", count=3))
    assert sorted(labels(made).values()) == ["line1_adc", "line2_adc", "line3_adc"]
    assert len([w for w in made.wires if w.pin.startswith("output")]) == 3


def test_options_tell_the_constants() -> None:
    made = rig(
        part("line-sensors", "row", count=3, load="ground"),
        part("motor-halls", "hub", magnets=28),
        part("inertial-unit", "tilt", accel="8"),
        board="wide-3v3",
    )
    row, hub, tilt = (usual_values(kind(s.kind), made, s) for s in made.sensors)
    assert row["sensors"].value == 3
    assert row["white"].value > row["black"].value  # load to ground: white reads high
    assert hub["pole_pairs"].value == 14
    assert tilt["accel_range"].value == 8


@pytest.mark.parametrize(
    ("options", "path"),
    [
        ({"count": 9.0}, "options.count"),
        ({"count": 2.5}, "options.count"),
        ({"load": "none"}, "options.load"),
        ({"count": "five"}, "options.count"),
        ({"colour": "red"}, "options.colour"),
    ],
)
def test_answers_that_cannot_be_are_refused_by_name(options: dict, path: str) -> None:
    with pytest.raises(BadInput) as refused:
        fit("line-sensors", "row", "row", options)
    assert refused.value.path == path


# The whole report -------------------------------------------------------------------------------------------


def kinds(made: Rig) -> set[tuple[str, str, str]]:
    return {(f.kind, f.sensor, f.pin) for f in checks.check(made).faults}


def test_a_five_volt_echo_harms_the_lower_board_until_the_divider_is_in() -> None:
    made = ranger_and_air("wide-3v3")
    assert kinds(made) == {("level-too-high", "front-ranger", "echo")}
    assert checks.verdict(checks.check(made)) == "One wire would harm the board"
    mended, said = checks.mend(made, "level-too-high", "front-ranger", "echo")
    assert kinds(mended) == set()
    divider = mended.wire("front-ranger", "echo").divider
    assert divider is not None
    assert {divider.top_ohm, divider.bottom_ohm} <= set(resistors.series_values("E24", 100, 1e6))
    tap = electrical.divider(5.0, divider.top_ohm, divider.bottom_ohm)
    assert tap.vout_max_v <= mended.board.limit_v
    assert tap.vout_min_v >= mended.board.high_level_v
    assert divider.top_bands == resistors.colour_bands(divider.top_ohm)
    assert "from the pin to ground" in said


@pytest.mark.parametrize(
    ("sensor", "pin", "to", "kind"),
    [
        ("front-ranger", "echo", "digital 1", "doubled-pin"),
        ("front-ranger", "trigger", "", "unwired"),
        ("front-ranger", "supply", "3.3 V", "supply"),
        ("front-ranger", "ground", "5 V", "common-ground"),
        ("air", "data", "", "unwired"),
    ],
)
def test_each_wiring_mistake_is_one_fault_with_a_working_fix(
    sensor: str, pin: str, to: str, kind: str
) -> None:
    made = ranger_and_air()
    made = made.with_wire(replace(made.wire(sensor, pin), to=to))
    wrong = [f for f in checks.check(made).faults if f.kind == kind]
    assert len(wrong) == 1
    assert wrong[0].fix is not None
    mended, _ = checks.mend(made, wrong[0].kind, wrong[0].sensor, wrong[0].pin)
    assert kinds(mended) == set()


def test_a_fault_that_is_gone_cannot_be_mended_twice() -> None:
    with pytest.raises(BadInput, match="any more"):
        checks.mend(ranger_and_air(), "level-too-high", "front-ranger", "echo")


def test_of_two_on_one_pin_the_one_that_is_no_bus_is_moved_where_there_is_room() -> None:
    made = rig(part("inertial-unit", "tilt"), part("hall-switch", "wheel"))
    home = made.wire("wheel", "output").to
    for bus in ("data", "clock"):
        doubled = one(rewired(made, "wheel", "output", to=bus), "doubled-pin")
        assert (doubled.sensor, doubled.pin) == ("wheel", "output")
        assert doubled.fix is not None
        assert doubled.fix.rig.wire("wheel", "output").to == home
        assert doubled.fix.rig.wire("tilt", bus).to == bus
    parts = [
        fit("line-sensors", "row", "row", {"count": 7.0}),
        fit("led-bar", "bar", "bar", {}),
        *(fit("ultrasonic-ranger", f"ranger-{i}", f"ranger {i}", {}) for i in (1, 2)),
    ]
    crowded = rig_of("Any", "", "wide-3v3", parts)
    assert [(each.fix, each.severity) for each in found(crowded, "doubled-pin")] == [
        (None, "fault")
    ] * 2  # every pin is taken


def test_an_echo_timed_by_a_general_purpose_computer_is_uneven_and_said_so() -> None:
    """Sound goes 0.343 mm a µs, there and back: 60 µs early or late are 10 mm."""
    uneven = ranger_and_air()
    assert found(uneven, "echo-jitter") == []
    for jitter_us, hinted in ((19.0, False), (20.0, True), (60.0, True)):
        slow = replace(uneven, board=replace(uneven.board, jitter_us=jitter_us))
        hints = found(slow, "echo-jitter")
        assert bool(hints) == hinted
        for hint in hints:
            assert (hint.sensor, hint.pin, hint.severity) == ("front-ranger", "echo", "hint")
            assert hint.numbers["off_mm"] == pytest.approx(0.343 * jitter_us / 2)


def test_two_pull_ups_on_one_wire_are_one_of_half_the_size() -> None:
    """4.7 kΩ on the board beside 10 kΩ on the module: 3.2 kΩ, 1.56 mA at 5 V, by Ohm's law."""
    module = rig(part("hall-switch", "wheel", pull_up="module"))
    own = pin_of(module, module.wire("wheel", "output")).own_pull_up_ohm
    assert own is not None
    strong = rewired(module, "wheel", "output", pull_up=PullUpPart(1000.0, "5 V"))
    hint = one(strong, "pull-up-strong", "hint")
    assert hint.numbers["ohms"] == pytest.approx(1 / (1 / 1000 + 1 / own))
    assert hint.numbers["low_ma"] == pytest.approx(5000 / hint.numbers["ohms"], rel=1e-6)
    nowhere = rewired(module, "wheel", "output", pull_up=PullUpPart(1000.0, "no such rail"))
    assert found(nowhere, "pull-up-strong") == []  # it goes nowhere: the module's own is all there is
    bare = rewired(
        rig(part("hall-switch", "wheel")), "wheel", "output", pull_up=PullUpPart(10_000.0, "ground")
    )
    assert one(bare, "pull-up").pin == "output"


def test_what_sounds_and_shines_counts_against_what_a_pin_gives() -> None:
    buzzer = rig(part("buzzer", "buzzer"))
    (load,) = power.pin_loads(buzzer)
    assert load[2] == pin_of(buzzer, load[0]).ma > 0
    weak = replace(buzzer, board=replace(buzzer.board, pin_ma=load[2] / 2))
    assert one(weak, "pin-current").numbers == {"ma": load[2], "pin_ma": load[2] / 2}
    lamp = rig(part("led", "lamp"))
    (load,) = power.pin_loads(lamp)
    wire, spec, ma = load
    # Ohm's law
    assert ma == pytest.approx(1000 * (lamp.board.logic_v - spec.lamp.forward_v) / wire.series.ohms)
    off = lamp.with_wire(replace(wire, series=None))
    assert power.pin_loads(off) == []
    assert one(off, "lamp-current").pin == wire.pin


def test_a_supply_that_gives_enough_comes_before_one_that_does_not() -> None:
    made = rig(part("servo", "arm"))
    weak, strong = Supply("weak", 5.0, 5.2, 10.0, True), Supply("strong", 5.0, 5.2, 3000.0, True)
    pin = next(pin for pin in part_of(made.part("arm")).pins if pin.role is Role.SUPPLY)
    for supplies in ((weak, strong), (strong, weak)):
        assert own_supplies(replace(made, supplies=supplies), pin) == ["strong", "weak"]
