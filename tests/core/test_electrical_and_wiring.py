"""Resistors against IEC tables (tests/reference); wiring checks on rigs with one thing wrong each."""

from __future__ import annotations

from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.rigs import ranger_and_air
from tests.tables import rows
from tickstone.core import electrical, resistors
from tickstone.core.rigs.boards import BOARDS
from tickstone.core.rigs.rig import DividerPart, Rig
from tickstone.core.wiring import checks
from tickstone.errors import BadInput


@pytest.mark.parametrize("row", rows("l_circuits", "divider"))
def test_divider_against_kirchhoff(row: dict) -> None:
    found = electrical.divider(row["Vin"], row["R1"], row["R2"], 5, row["R load"])
    assert found.vout_v == pytest.approx(row["Vout loaded"] if row["R load"] else row["Vout unloaded"], rel=1e-8)
    assert found.source_ohm == pytest.approx(row["Thevenin R"], rel=1e-8)
    assert found.current_ma == pytest.approx(row["source current mA"], rel=1e-8)


@pytest.mark.parametrize("row", rows("l_circuits", "divider_tolerance"))
def test_divider_corners(row: dict) -> None:
    found = electrical.divider(row["Vin"], row["R1"], row["R2"], row["tolerance %"])
    assert (found.vout_v, found.vout_min_v, found.vout_max_v) == pytest.approx(
        (row["nominal"], row["worst low"], row["worst high"]), rel=1e-8
    )


@pytest.mark.parametrize("row", rows("b_resistor", "nearest_preferred"))
def test_e24_neighbours_against_the_eseries_library(row: dict) -> None:
    _, up, down = resistors.nearest_values(row["value"])
    assert (up, down) == (row["E24 >="], row["E24 <="])


def test_colours_of_common_resistors() -> None:
    # IEC 60062; the examples are common practice
    assert resistors.colour_bands(220) == ("red", "red", "brown", "gold")
    assert resistors.colour_bands(4700) == ("yellow", "violet", "red", "gold")
    assert resistors.colour_bands(4700, 1, 5) == ("yellow", "violet", "black", "brown", "brown")
    for bad in (0, 123.4, 1e12):
        with pytest.raises(BadInput):
            resistors.colour_bands(bad)


@given(st.sampled_from(resistors.series_values("E24", 1, 9.1e6)))
def test_every_e24_value_has_colours_that_mean_it(ohms: float) -> None:
    *digits, multiplier, _ = resistors.colour_bands(ohms)
    value = int("".join(str(resistors.DIGITS.index(d)) for d in digits))
    power = next(p for p, colour in resistors.MULTIPLIERS.items() if colour == multiplier)
    assert value * 10.0**power == pytest.approx(ohms, rel=1e-9)


@given(st.floats(4, 6), st.floats(2.6, 3.6), st.floats(1.0, 2.2))
def test_every_designed_divider_holds_over_tolerance(vin: float, limit: float, high: float) -> None:
    values = resistors.series_values("E24", 100, 1e6)
    try:
        found = electrical.design_divider(vin, limit, high)
    except BadInput:
        some = [electrical.divider(vin, top, bottom) for top in values[24:72:3] for bottom in values[24:72:3]]
        assert not [d for d in some if d.vout_max_v <= limit and d.vout_min_v >= high and d.current_ma <= 1]
        return
    for one in found:
        assert one.vout_max_v <= limit + 1e-9
        assert one.vout_min_v >= high - 1e-9
        assert one.current_ma <= 1.0 + 1e-9
    margins = [round(min(limit - d.vout_max_v, d.vout_min_v - high), 8) for d in found]
    assert margins == sorted(margins, reverse=True)


def wide() -> Rig:
    return ranger_and_air("wide-3v3")


def kinds(rig: Rig) -> set[tuple[str, str, str]]:
    return {(f.kind, f.sensor, f.pin) for f in checks.check(rig).faults}


@pytest.mark.parametrize("kind", list(BOARDS))
def test_assignment_leaves_no_pin_without_the_ability_it_needs(kind: str) -> None:
    rig = ranger_and_air(kind)
    assert {f[0] for f in kinds(rig)} <= {"level-too-high"}


def test_a_five_volt_echo_harms_the_lower_board_until_the_divider_is_in() -> None:
    rig = wide()
    assert kinds(rig) == {("level-too-high", "front-ranger", "echo")}
    assert checks.verdict(checks.check(rig)) == "One wire would harm the board"
    mended, said = checks.mend(rig, "level-too-high", "front-ranger", "echo")
    assert kinds(mended) == set()
    part = mended.wire("front-ranger", "echo").divider
    assert part is not None
    assert {part.top_ohm, part.bottom_ohm} <= set(resistors.series_values("E24", 100, 1e6))
    tap = electrical.divider(5.0, part.top_ohm, part.bottom_ohm)
    assert tap.vout_max_v <= mended.board.limit_v
    assert tap.vout_min_v >= mended.board.high_level_v
    assert part.top_bands == resistors.colour_bands(part.top_ohm)
    assert "from the pin to ground" in said


@pytest.mark.parametrize(
    ("top", "bottom", "kind"), [(10_000, 4_700, "level-too-low"), (4_700, 15_000, "level-too-high")]
)
def test_dividers_the_wrong_way_round_are_found(top: float, bottom: float, kind: str) -> None:
    # Common practice: 10 kΩ with 4.7 kΩ gives 1.6 V one way round, below many inputs' high level.
    wire = replace(wide().wire("front-ranger", "echo"), divider=DividerPart(top, bottom))
    rig = wide().with_wire(wire)
    assert kinds(rig) == {(kind, "front-ranger", "echo")}
    assert kinds(checks.mend(rig, kind, "front-ranger", "echo")[0]) == set()


def test_a_divider_that_is_not_needed_comes_out_again() -> None:
    rig = ranger_and_air()
    rig = rig.with_wire(replace(rig.wire("front-ranger", "echo"), divider=DividerPart(10_000, 4_700)))
    mended, _ = checks.mend(rig, "level-too-low", "front-ranger", "echo")
    assert mended.wire("front-ranger", "echo").divider is None


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
def test_each_wiring_mistake_is_one_fault_with_a_working_fix(sensor: str, pin: str, to: str, kind: str) -> None:
    rig = ranger_and_air()
    rig = rig.with_wire(replace(rig.wire(sensor, pin), to=to))
    wrong = [f for f in checks.check(rig).faults if f.kind == kind]
    assert len(wrong) == 1
    assert wrong[0].fix is not None
    mended, _ = checks.mend(rig, wrong[0].kind, wrong[0].sensor, wrong[0].pin)
    assert kinds(mended) == set()


def test_an_ability_that_a_pin_lacks_is_a_fault() -> None:
    analogue = replace(ranger_and_air().board.pins[0], name="analogue only", abilities=("analogue",))
    rig = replace(
        ranger_and_air(), board=replace(ranger_and_air().board, pins=(*ranger_and_air().board.pins, analogue))
    )
    rig = rig.with_wire(replace(rig.wire("front-ranger", "trigger"), to="analogue only"))
    assert ("pin-ability", "front-ranger", "trigger") in kinds(rig)


def test_an_echo_on_a_polled_pin_is_a_hint_and_not_a_fault() -> None:
    rig = ranger_and_air()
    rig = rig.with_wire(replace(rig.wire("front-ranger", "echo"), to="digital 3"))
    assert [f.severity for f in checks.check(rig).findings] == ["hint"]


def test_a_pull_up_that_is_missing_or_too_high_is_found() -> None:
    rig = ranger_and_air()
    bare = rig.with_wire(replace(rig.wire("air", "data"), pull_up=None))
    assert kinds(bare) == {("pull-up", "air", "data")}
    low = wide()
    high = low.with_wire(replace(low.wire("air", "data"), pull_up=ranger_and_air().wire("air", "data").pull_up))
    assert ("level-too-high", "air", "data") in kinds(high)


def test_a_fault_that_is_gone_cannot_be_mended_twice() -> None:
    with pytest.raises(BadInput, match="any more"):
        checks.mend(ranger_and_air(), "level-too-high", "front-ranger", "echo")
