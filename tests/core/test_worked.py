"""The worked line: the arithmetic of every kind, its shares, and the question backwards."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.rigs import part, rig
from tickstone.calculations import run
from tickstone.core.constants import Covariance, Provenance, Values, settle
from tickstone.core.rigs.kinds import KINDS, kind
from tickstone.core.rigs.kinds.base import VALUE, Ambient, Kind
from tickstone.core.rigs.rig import Supply
from tickstone.core.rigs.usual import usual_values
from tickstone.core.worked import check_asked, solve, work
from tickstone.errors import BadInput

AROUND = Ambient()
every_kind = pytest.mark.parametrize("what", KINDS.values(), ids=lambda k: k.id)


@every_kind
def test_the_shares_make_the_whole_and_the_words_a_sentence(what: Kind) -> None:
    values = usual_values(what)
    found = work(what, values, {}, AROUND)
    assert found.valid
    assert found.value is not None
    assert sum(share for _, share in found.shares) == pytest.approx(1 if found.shares else 0)
    assert found.sentence.endswith(".")
    assert found.terms
    names = [series.name for series in found.more]
    assert len(names) == len(set(names))
    assert set(what.working.bare) <= {VALUE, *names}


@every_kind
def test_one_reading_is_worked_as_a_million_are_converted(what: Kind) -> None:
    values = usual_values(what)
    numbers = check_asked(what, values, {})
    many = {name: np.full(5, number) for name, number in numbers.items()}
    found = what.working.read(many, values, AROUND)
    assert found.values == pytest.approx([work(what, values, {}, AROUND).value] * 5)


@pytest.mark.slow
@every_kind
@given(data=st.data())
def test_what_is_asked_backwards_reads_what_was_wanted(what: Kind, data: st.DataObject) -> None:
    values = usual_values(what)
    inverse = what.working.inverse
    assert inverse is not None
    wanted = data.draw(
        st.floats(what.quantity.low, what.quantity.high).filter(lambda w: inverse.low <= w <= inverse.high)
    )
    try:
        asked = solve(what, values, wanted, AROUND)
        found = work(what, values, asked, AROUND)
    except BadInput as refused:
        assert refused.path in ("wanted", *asked_names(what, values))  # noqa: PT017
        return
    if not found.valid or found.sd is None or what.id in ("line-sensors", "digital-line-sensor"):
        # at the end of a converter no ± is known; a row reads a line as wide as its pitch, a level is one of
        # two: closed forms are below
        return
    whole_counts = (
        any(ask.unit == "counts" for ask in what.working.asks(values)) and what.id != "inertial-unit"
    )
    rounding = 3 * (found.sd or 0.0) if whole_counts else 1e-6 * abs(wanted)
    # an arc cosine is blind about level
    flat = 0.0 if what.quantity.unit != "°" else 4.0 if whole_counts else 1e-3
    assert found.value == pytest.approx(wanted, abs=rounding + flat + 1e-6)


def asked_names(what: Kind, values: Values) -> list[str]:
    return [ask.name for ask in what.working.asks(values)]


@every_kind
def test_a_raw_number_out_of_its_span_is_refused_by_name(what: Kind) -> None:
    values = usual_values(what)
    ask = what.working.asks(values)[0]
    for wrong in (ask.low - 1, ask.high + 1, math.nan):
        with pytest.raises(BadInput) as refused:
            work(what, values, {ask.name: wrong}, AROUND)
        assert refused.value.path == ask.name
    with pytest.raises(BadInput, match="not asked for"):
        work(what, values, {"colour": 1.0}, AROUND)


def test_the_rangers_budget_is_that_of_the_public_calculation() -> None:
    """The general engine against echo-distance, whose shares are worked by closed forms."""
    ranger = kind("ultrasonic-ranger")
    values = {
        n: replace(v, sd=0.0) if n in ("offset", "humidity") else v for n, v in usual_values(ranger).items()
    }
    found = work(ranger, values, {"echo": 5000}, AROUND)
    theirs = run(
        "echo-distance",
        {
            "echo_us": 5000,
            "temperature_sd_k": values["air"].sd,
            "echo_sd_us": values["jitter"].value,
            "tick_us": values["tick"].value,
        },
    )
    assert found.value == pytest.approx(theirs["distance_mm"])
    assert found.sd == pytest.approx(theirs["uncertainty_mm"], rel=1e-6)
    shares = dict(found.shares)
    for ours, name in (
        ("air temperature", "temperature"),
        ("timer step", "tick"),
        ("jitter of this ranger", "echo"),
    ):
        assert shares[ours] == pytest.approx(theirs["shares"][name], rel=1e-5)
    assert {rule.name: rule.value for rule in found.rules} == {
        r["rule"]: pytest.approx(r["distance_mm"]) for r in theirs["rules"]
    }


def test_a_fitted_speed_and_offset_are_counted_together() -> None:
    ranger = kind("ultrasonic-ranger")
    values = dict(usual_values(ranger))
    values["sound"] = replace(
        values["sound"],
        value=345.0,
        sd=0.5,
        provenance=Provenance.MEASURED,
        condition={"air_c": 20.0},
        covariances=(Covariance("offset", -0.9 * 0.5 * 1.0),),
    )
    values["offset"] = replace(values["offset"], sd=1.0, provenance=Provenance.MEASURED)
    found = work(ranger, values, {"echo": 5000}, AROUND)
    alone = {name: share * (found.sd or 0) ** 2 for name, share in found.shares}
    assert alone["sound and offset"] == pytest.approx(2.5**2 * 0.25 + 1 + 2 * 2.5 * -0.45, rel=1e-6)


@pytest.mark.parametrize(
    ("kind_id", "asked", "constants", "value"),
    [
        ("triangulation-ranger", {"counts": 256}, {}, 260 / (1.25 - 0.05) - 9),
        ("time-of-flight-ranger", {"reading": 200}, {"offset": -4, "scale": 1.01}, 198.0),
        ("comparator-switch", {"period": 20_000}, {"marks": 2}, 1500.0),
        ("line-sensors", {"s1": 180, "s2": 180, "s3": 180, "s4": 760, "s5": 760}, {"pitch": 10}, 15.0),
        ("digital-line-sensor", {"level": 0}, {"dark_level": 0}, 1.0),
        ("encoder", {"count": 45}, {"steps": 30, "circumference": 100}, 150.0),
        ("hall-switch", {"period": 500_000}, {"magnets": 2, "circumference": 2000}, 2.0),
        ("motor-halls", {"edges": 700}, {"pole_pairs": 7}, 1000.0),
        ("inertial-unit", {"x": 0, "y": 0, "z": 16384}, {}, 0.0),
        ("inertial-unit", {"x": -8192, "y": 0, "z": 14189}, {}, 30.0),
        ("battery-divider", {"counts": 512}, {"top": 20_000, "bottom": 10_000}, 7.5),
        ("microphone", {"swing": 1023}, {"gain": 50}, 1000 * 1023 * 5 / 1024 / 50),
        ("air-temperature", {"air": 20}, {"offset": -0.5}, 19.5),
    ],
)
def test_closed_forms(
    kind_id: str, asked: dict[str, float], constants: dict[str, float], value: float
) -> None:
    what = kind(kind_id)
    assert work(what, usual_values(what, values=constants), asked, AROUND).value == pytest.approx(
        value, abs=1e-2
    )


def test_words_name_the_side() -> None:
    unit = kind("inertial-unit")
    values = usual_values(unit)
    said = work(unit, values, {"x": 1428, "y": 0, "z": 16322}, AROUND).sentence
    assert said == "Nose up 5.0°."
    moving = work(unit, values, {"x": 0, "y": 0, "z": 20_000}, AROUND)
    assert not moving.valid
    assert "moves" in moving.sentence
    halls = kind("motor-halls")
    assert "does not occur" in work(halls, usual_values(halls), {"code": 7}, AROUND).sentence


def test_each_line_sensor_may_have_a_white_and_black_of_its_own() -> None:
    row = kind("line-sensors")
    own = usual_values(row, values={"white_s1": 400, "black_s1": 900, "sensors": 3})
    found = work(row, own, {"s1": 900, "s2": 180, "s3": 180}, AROUND)
    assert {s.name: float(s.values[0]) for s in found.more}["dark_s1"] == 100
    assert found.value == pytest.approx(-12.0)


def test_the_boards_record_sets_the_converter() -> None:
    battery = kind("battery-divider")
    on = rig(part("battery-divider", "battery"), board="wide-3v3", supplies=(Supply("pack", 7.4, 8.4, 1000),))
    values = usual_values(battery, on, on.sensors[0])
    assert (values["bits"].value, values["reference"].value) == (12, 3.3)
    assert "rig's own record" in values["reference"].source
    said = usual_values(battery, on, on.sensors[0], {"reference": 3.28})
    assert (said["reference"].value, said["reference"].provenance) == (3.28, Provenance.MEASURED)
    with pytest.raises(BadInput, match="no constant"):
        usual_values(battery, values={"colour": 1})


def test_what_depends_on_nothing_unsure_has_no_shares() -> None:
    sensor = kind("digital-line-sensor")
    found = work(sensor, settle(sensor.constants, (), {}), {"level": 1}, AROUND)
    assert (found.sd, found.shares) == (0.0, ())


@pytest.mark.parametrize(
    ("name", "constants", "asked", "more", "rules"),
    [
        # 737 of 1024 steps of 5 V at the pin, twice that at the battery, 7.197 V over 20 kΩ; 0.797 of the 2 V
        # between
        (
            "battery-divider",
            {},
            {"counts": 737},
            {"level": 3.5986, "drain": 359.86, "left": 39.863},
            {"÷ 1023": 7.2043},
        ),
        (
            "battery-divider",
            {"top": 30_000},
            {"counts": 512},
            {"level": 2.5, "drain": 250.0, "left": 100.0},
            {},
        ),
        ("battery-divider", {}, {"counts": 0}, {"level": 0.0, "left": 0.0}, {}),
        # 60 000 000 µs a minute by 20 000 µs by 3 marks
        (
            "comparator-switch",
            {"marks": 3},
            {"period": 20_000},
            {"turns": 16.667},
            {"one mark": 3000.0, "both edges": 2000.0, "half the pulses": 500.0},
        ),
        # 1200 mm by 4 magnets in 0.1 s; π × 380 mm is 1193.8 mm
        (
            "hall-switch",
            {"magnets": 4},
            {"period": 100_000},
            {"rpm": 150.0},
            {"π ×": 2.98451, "one magnet": 12.0, "on change": 6.0},
        ),
        # half of 1024 steps of 5 V, by a gain of 100: 25 mV, by 2 √2 as an effective value; half of full
        # scale is −6.02 dB
        ("microphone", {}, {"swing": 512}, {"rms": 8.8388, "full": -6.0206}, {"effective": 8.8388}),
        # six edges a pole pair: 420 ÷ 6 ÷ 7 turns a second
        (
            "motor-halls",
            {},
            {"edges": 420},
            {"electrical": 70.0, "sector": 60 / 7},
            {"magnets taken": 300.0, "one sensor": 1800.0, "forgotten": 4200.0},
        ),
        # 256 of 1024 steps: 1.25 V; 260 ÷ 1.20 − 9; a step of 4.883 mV by the slope 216.67² ÷ 260 mm/V
        (
            "triangulation-ranger",
            {},
            {"counts": 256},
            {"level": 1.25, "per_count": 0.88162},
            {"without b": 216.667, "without c": 199.0},
        ),
        # 2 g by 32 768 codes: half of the range is 1 g
        (
            "inertial-unit",
            {},
            {"x": 8192, "y": 0, "z": 14_189, "gx": 16_384, "gy": 0, "gz": -8192},
            {"ax": 0.5, "az": 0.86603, "norm": 1.0, "pitch": -30.0, "rate_x": 125.0, "rate_z": -62.5},
            {"arcsine": 30.0, "57.3": 28.648},
        ),
        # (377 − 180) ÷ 580 and so on; only the middle one is dark by more than a half
        (
            "line-sensors",
            {"sensors": 3},
            {"s1": 377, "s2": 632, "s3": 354},
            {"width": 1.0, "dark_s1": 33.966, "dark_s2": 77.931},
            {"on or off": 0.0, "pale ones": -0.3356},
        ),
    ],
)
def test_what_else_a_reading_says_and_what_a_rule_of_thumb_would_have(
    name: str, constants: dict, asked: dict, more: dict, rules: dict
) -> None:
    """Each worked by hand: plain arithmetic on the kind's usual constants."""
    what = kind(name)
    found = work(what, usual_values(what, values=constants), asked, AROUND)
    seen = {series.name: float(series.values[0]) for series in found.more}
    assert {series: seen[series] for series in more} == pytest.approx(more, rel=1e-3)
    for words, value in rules.items():
        assert next(rule.value for rule in found.rules if words in rule.name) == pytest.approx(
            value, rel=1e-3, abs=1e-9
        )
