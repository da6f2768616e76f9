"""The catalogue of kinds: every kind keeps the house's promises, whatever file is added later."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tickstone.core import ranging
from tickstone.core.constants import Provenance, Value, settle
from tickstone.core.rigs.boards import BOARDS, board
from tickstone.core.rigs.kinds import FAMILIES, KINDS, kind
from tickstone.core.rigs.kinds.base import Ambient, Converted, Kind, Moment
from tickstone.core.rigs.kinds.ultrasonic_ranger import conversion_speed_m_s
from tickstone.core.rigs.outputs import OUTPUTS, OutputKind
from tickstone.core.rigs.part import Chosen, OptionSpec, Role, check_options
from tickstone.core.rigs.rig import ABILITIES
from tickstone.core.rigs.usual import usual_values
from tickstone.core.standing import STATIONS
from tickstone.errors import BadInput

every_kind = pytest.mark.parametrize("what", KINDS.values(), ids=lambda k: k.id)


def defaults(what: Kind) -> dict[str, Value]:
    return settle(what.constants, what.derived, {})


def every_answer(specs: tuple[OptionSpec, ...]) -> list[dict[str, str | float]]:
    """The usual answers, and each other answer alone."""
    found: list[dict[str, str | float]] = [{}]
    for spec in specs:
        found += [{spec.name: one.value} for one in spec.choices] or [
            {spec.name: spec.low},
            {spec.name: spec.high},
        ]
    return found


@pytest.mark.parametrize("what", [*KINDS.values(), *OUTPUTS.values()], ids=lambda k: k.id)
def test_pins_are_complete_whatever_the_answers(what: Kind | OutputKind) -> None:
    for options in every_answer(what.options):
        check_options(what.options, options, what.title)
        pins = what.part_of(options).pins
        assert [pin.role for pin in pins].count(Role.GROUND) == 1
        assert len({pin.name for pin in pins}) == len(pins)
        for pin in pins:
            assert (pin.draw is not None) == (pin.role is Role.SUPPLY)
            assert set(pin.needs) <= set(ABILITIES)
            assert bool(pin.needs) != pin.power


@every_kind
def test_every_channel_is_read_by_the_program(what: Kind) -> None:
    for options in every_answer(what.options):
        chosen = Chosen(what.options, options)
        pins = {pin.name for pin in what.part_of(options).pins}
        read, asked = set(), set()
        for reading in what.reads(chosen):
            for name, value in vars(reading).items():
                if name in ("channel", "air", "humidity"):
                    read.add(value)
                elif name in ("pin", "trigger", "echo", "shutdown"):
                    asked |= {value} - {""}
            for channel, pin in getattr(reading, "pairs", ()):
                read.add(channel)
                asked.add(pin)
            read |= {field.channel for field in getattr(reading, "fields", ())}
        names = [channel.name for channel in what.channels_of(options)]
        assert read <= set(names)
        assert names[0] in read
        assert asked <= pins


@every_kind
def test_constants_are_whole_and_their_defaults_lie_within_their_bounds(what: Kind) -> None:
    names = [spec.name for spec in what.constants]
    assert len(names) == len(set(names))
    for spec in what.constants:
        assert spec.low < spec.high
        assert spec.station in STATIONS
        assert set(spec.shown_at) <= set(STATIONS)
        assert spec.typed_as in (Provenance.MEASURED, Provenance.CHOSEN)
        if spec.default is not None:
            assert spec.low <= spec.default <= spec.high
            assert spec.source, f"{spec.name} must say where its default comes from"
    for rule in what.derived:
        assert set(rule.rests_on) <= set(names)


@every_kind
def test_defaults_settle_into_values_that_say_they_are_assumed(what: Kind) -> None:
    values = defaults(what)
    for spec in what.constants:
        if spec.default is not None:
            assert values[spec.name].provenance is Provenance.ASSUMED
    for rule in what.derived:
        assert values[rule.name].provenance is Provenance.DERIVED
        assert values[rule.name].rests_on == rule.rests_on
        assert np.isfinite(values[rule.name].value)


@every_kind
@given(data=st.data())
def test_conversion_keeps_shape_and_never_calls_nonsense_valid(what: Kind, data: st.DataObject) -> None:
    numbers = st.one_of(st.floats(0, 5e5), st.just(0.0), st.just(float("nan")), st.just(float("inf")))
    raw = np.array(data.draw(st.lists(numbers, max_size=40)))
    before = raw.copy()
    channels = {channel.name: raw for channel in what.channels}
    found = what.convert(channels, defaults(what), Ambient())
    np.testing.assert_array_equal(raw, before)
    assert found.values.shape == found.codes.shape == raw.shape
    assert np.isfinite(found.values[found.valid]).all()
    assert found.codes.max(initial=0) < len(what.reasons)
    assert what.reasons[0] == ""
    assert not found.valid[np.isnan(raw)].any()


@every_kind
def test_words_speak_at_every_moment(what: Kind) -> None:
    values = defaults(what)
    for series in ([], [20.0], [20.0] * 50, [np.nan] * 50, [20.0, np.nan] * 20):
        x = np.asarray(series, float)
        codes = np.isnan(x).astype(np.int8)
        said = what.words(Moment(np.arange(x.size) * 0.05, Converted(x, codes)), values)
        assert said.endswith(".")
        assert said[0].isupper()


@pytest.mark.parametrize(
    ("at_mm", "constants", "words"),
    [
        (math.nan, {}, "No line under the row."),
        (
            math.nan,
            {"sensors": 2, "pitch": 30.0, "tape": 19.0},
            "No sensor sees the line: it is between them, or lost.",
        ),
        (-4.0, {}, "Line under the middle, 4.0 mm to the left."),
        (5.9, {}, "Line under the middle, 5.9 mm to the right."),
        (6.1, {}, "Line 6.1 mm to the right of the middle."),  # half of the pitch of 12 mm
        (-24.0, {}, "Line 24.0 mm to the left of the middle."),
    ],
)
def test_where_the_line_is_in_words(at_mm: float, constants: dict[str, float], words: str) -> None:
    row = kind("line-sensors")
    seen = Converted(np.array([0.0, at_mm]), np.zeros(2, np.int8))
    assert row.words(Moment(np.arange(2.0), seen), usual_values(row, values=constants)) == words


@pytest.mark.parametrize(
    ("name", "readings", "words"),
    [
        ("air-temperature", [math.nan, math.nan], "No temperature yet."),
        ("air-temperature", [21.5], "Air at 21.5 °C."),
        ("air-temperature", [30.0] * 30 + [21.5] * 30, "Air at 21.5 °C over the last 30 readings."),
        ("air-temperature", [20.0, math.nan, 23.0], "Air at 21.5 °C over the last 2 readings."),
        ("air-temperature", [-8.0], "Air at −8.0 °C."),
        ("time-of-flight-ranger", [200.0] * 9 + [math.nan] * 2, "Something 200 mm ahead."),
        (
            "time-of-flight-ranger",
            [200.0] * 9 + [math.nan] * 3,
            "Nothing it is sure of within 300 mm. Not the same as clear.",
        ),
        (
            "triangulation-ranger",
            [200.0] * 9 + [math.nan] * 2,
            "Something 200 mm ahead, or nearer than 100 mm.",
        ),
        (
            "triangulation-ranger",
            [200.0] * 9 + [math.nan] * 3,
            "Nothing it can place. Not the same as clear.",
        ),
        ("microphone", [math.nan], "No reading yet."),
        ("microphone", [0.5, 2.5], "A sound, above the room."),  # more than the usual 2 mV
        ("microphone", [2.5, 1.5], "Quiet: no more than the room."),
    ],
)
def test_what_the_last_readings_say(name: str, readings: list[float], words: str) -> None:
    what, seen = kind(name), np.array(readings)
    said = what.words(
        Moment(np.arange(seen.size) * 1.0, Converted(seen, np.isnan(seen).astype(np.int8))),
        usual_values(what),
    )
    assert said == words


def test_a_measured_speed_is_carried_by_the_air_and_a_formula_follows_it() -> None:
    ranger = kind("ultrasonic-ranger")
    values = defaults(ranger)
    assert conversion_speed_m_s(values, 20.0) == pytest.approx(343.9944, rel=1e-6)  # Cramer, 50 %
    fitted = Value(
        "sound", "sound", "m/s", 350.0, 0.2, Provenance.MEASURED, "ruler", condition={"air_c": 20.0}
    )
    values["sound"] = fitted
    found = conversion_speed_m_s(values, np.array([20.0, 30.0, np.nan]))
    assert found[0] == pytest.approx(350.0)
    assert found[1] / found[0] == pytest.approx(350.3175 / 343.9944, rel=1e-5)
    assert found[2] == pytest.approx(found[0])  # unknown air: the rig's own air constant, 20 °C


def test_the_ranger_converts_with_the_air_of_each_sample() -> None:
    ranger = kind("ultrasonic-ranger")
    echoes = {"echo": np.array([4000.0, 4000.0, 0.0, 30_000.0])}
    found = ranger.convert(echoes, defaults(ranger), Ambient(np.array([0.0, 30.0, 20.0, 20.0])))
    assert found.values[:2] == pytest.approx([4000 * 331.6109 / 2000, 4000 * 350.3175 / 2000], rel=1e-5)
    assert found.codes.tolist() == [ranging.OK, ranging.OK, ranging.DROPOUT, ranging.TOO_FAR]


def test_what_is_not_in_the_catalogue_is_refused_by_name() -> None:
    for ask, path in ((lambda: kind("sonar"), "kind"), (lambda: board("none"), "board")):
        with pytest.raises(BadInput) as refused:
            ask()
        assert refused.value.path == path


@pytest.mark.parametrize("kind_of_board", BOARDS.values(), ids=lambda b: b.kind)
def test_boards_are_consistent(kind_of_board) -> None:
    names = [pin.name for pin in kind_of_board.pins] + [rail.name for rail in kind_of_board.rails]
    assert len(names) == len(set(names))
    assert (
        kind_of_board.low_level_v
        < kind_of_board.high_level_v
        < kind_of_board.logic_v
        <= kind_of_board.limit_v
    )
    assert any(rail.volts == 0 for rail in kind_of_board.rails)
    assert any(rail.volts == kind_of_board.logic_v for rail in kind_of_board.rails)


def test_every_family_of_kinds_is_listed_under_a_name() -> None:
    assert {what.family for what in KINDS.values()} == set(FAMILIES)
