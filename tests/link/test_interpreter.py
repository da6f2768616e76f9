"""Lines as people's programs print them: what is read, what is guessed, what is set aside and why."""

from __future__ import annotations

import json

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.rigs import part, ranger_and_air, rig
from tickstone.core.rigs.meanings import CHANNEL, IGNORED, TIME, Meaning, guess
from tickstone.core.rigs.rig import Rig
from tickstone.core.rigs.templates import fern, template
from tickstone.formats.shapes import Heading, LabelledNumber, Pieces, Unread, take_apart
from tickstone.link.interpreter import GARBLED, UNUSED, WORDS, Interpreter, OddLine, Reading

ECHO, AIR = ("front-ranger", "echo"), ("air", "air")
ROW = tuple(("line-row", f"s{n}") for n in (1, 2, 3))


def heard(rig_of: Rig, *lines: str, said: dict[str, Meaning] | None = None, every_s: float = 0.1) -> list:
    """What an interpreter makes of lines that come one after the other."""
    interpreter = Interpreter(rig_of, said)
    return [interpreter.read(line, i * every_s) for i, line in enumerate(lines)]


@pytest.mark.parametrize(
    ("line", "wanted"),
    [
        ("t_us:5 echo_us:1457", [("t_us", 5, ""), ("echo_us", 1457, "")]),
        ("t_us:5,echo_us:1457", [("t_us", 5, ""), ("echo_us", 1457, "")]),
        ("t_us:5\techo_us:-1.5e3", [("t_us", 5, ""), ("echo_us", -1500, "")]),
        ("s1=100; s2=200;", [("s1", 100, ""), ("s2", 200, "")]),
        ("dist:23.4cm", [("dist", 23.4, "cm")]),
        ("Distance: 23.4 cm", [("Distance", 23.4, "cm")]),
        ("Distance is 23.4 cm.", [("Distance", 23.4, "cm")]),
        ("Temp = 21.5 °C, Humidity = 40 %", [("Temp", 21.5, "°C"), ("Humidity", 40, "%")]),
        ("Sensor 1: 345 | Sensor 2: 290", [("Sensor 1", 345, ""), ("Sensor 2", 290, "")]),
        ("X: -0.02 Y: .98 Z: 0", [("X", -0.02, ""), ("Y", 0.98, ""), ("Z", 0, "")]),
        (
            '{"t":12,"air":{"c":21.5},"s":[1,2],"on":true}',
            [("t", 12, ""), ("air.c", 21.5, ""), ("s1", 1, ""), ("s2", 2, ""), ("on", 1, "")],
        ),
    ],
)
def test_shapes_with_labels(line: str, wanted: list) -> None:
    assert take_apart(line) == Pieces(tuple(LabelledNumber(*one) for one in wanted))


@pytest.mark.parametrize(
    ("line", "numbers"),
    [
        ("512", [512]),
        ("12,940,31.5", [12, 940, 31.5]),
        ("12, 940, 31.5,", [12, 940, 31.5]),
        ("12\t940", [12, 940]),
        ("12;940", [12, 940]),
        ("12 940", [12, 940]),
        ("1,nan,3", [1, None, 3]),
        ("1,,3", [1, None, 3]),
    ],
)
def test_bare_numbers_are_labelled_by_their_place(line: str, numbers: list) -> None:
    wanted = tuple(LabelledNumber(str(place), number) for place, number in enumerate(numbers, 1))
    assert take_apart(line) == Pieces(wanted, bare=True)


def test_a_heading_and_words_are_told_apart_from_garbling() -> None:
    assert take_apart("time (ms),left,right") == Heading(("time (ms)", "left", "right"))
    assert take_apart("Board ready, firmware started!") == Unread("words, no reading", words=True)
    for line in (
        "echo_us:14?7",
        "t_us:1 echo_us:1457 1457",
        "\x00\x00",
        "t_us:1 echo~us:5",
        '{"t":1',
        "14:57:03 ~",
    ):
        assert isinstance(found := take_apart(line), Unread)
        assert not found.words, line


@given(st.text(max_size=200))
def test_no_text_crashes_and_no_text_gives_what_is_not_in_it(text: str) -> None:
    found = Interpreter(fern()).read(text, 0.0)
    assert isinstance(found, Reading | OddLine)
    if isinstance(found, Reading) and not text.strip().startswith("{"):
        assert any(character.isdigit() for character in text)


@given(
    st.dictionaries(st.sampled_from(["echo_us", "air_c", "line1_adc", "ax"]), st.integers(0, 80), min_size=1)
)
def test_every_shape_of_the_same_reading_is_the_same_reading(values: dict[str, int]) -> None:
    shapes = [
        " ".join(f"{name}:{number}" for name, number in values.items()),
        ",".join(f"{name}={number}" for name, number in values.items()),
        ", ".join(f"{name}: {number}" for name, number in values.items()),
        json.dumps(values),
    ]
    found = [heard(fern(), shape)[0] for shape in shapes]
    assert all(isinstance(one, Reading) and one.values == found[0].values for one in found)
    assert len(found[0].values) == len(values)


def test_our_own_format_is_read_whole_or_not_at_all() -> None:
    good, *odd = heard(
        ranger_and_air(),
        "t_us:50000 echo_us:1457 air_c:21.5",
        "t_us:1 echo_us:14?7",
        "t_us:1 echo_us:14t_us:2 echo_us:1460",
        "t_us:1 echo_us:1 echo_us:2",
        "t_us:1 ecno_us:1457",
        "t_us:1 echo_us:400001",
        "t_us:1 echo_us:-5",
        "t_us:4294967296 echo_us:1",
        "t_us:1.5 echo_us:1",
    )
    assert good == Reading({ECHO: 1457.0, AIR: 21.5}, 50_000)
    assert all(isinstance(one, OddLine) and one.kind == GARBLED for one in odd)
    assert [one.why.split()[-1] for one in odd[2:4]] == ["twice", "ecno_us"]
    assert "cannot be" in odd[4].why
    assert "32-bit" in odd[6].why


def test_a_line_that_has_lost_its_time_is_garbled_where_all_had_one() -> None:
    *_, last = heard(ranger_and_air(), *(f"t_us:{i} echo_us:1457" for i in range(20)), "echo_us:1457")
    assert isinstance(last, OddLine)
    assert "no t_us" in last.why


def test_half_a_line_of_numbers_is_no_reading_where_others_have_labels_or_more_columns() -> None:
    *_, last = heard(ranger_and_air(), *(f"t_us:{i} echo_us:1457" for i in range(5)), "457")
    assert isinstance(last, OddLine)
    *_, last = heard(template("T01"), *["312,400,780"] * 5, "80")
    assert isinstance(last, OddLine)


@pytest.mark.parametrize(
    ("label", "unit", "wanted"),
    [
        ("echo_us", "", Meaning(CHANNEL, *ECHO)),
        ("Distance", "cm", Meaning(CHANNEL, *ECHO, factor=58.0)),
        ("distance_mm", "", Meaning(CHANNEL, *ECHO, factor=5.8)),
        ("dist (in)", "", Meaning(CHANNEL, *ECHO, factor=25.4 * 5.8)),
        ("duration", "", Meaning(CHANNEL, *ECHO)),
        ("pulse", "ms", Meaning(CHANNEL, *ECHO, factor=1000.0)),
        ("Temp", "C", Meaning(CHANNEL, *AIR)),
        ("Temperature", "°F", Meaning(CHANNEL, *AIR, 1 / 1.8, -32 / 1.8)),
        ("Sensor 3", "", Meaning(CHANNEL, "line-row", "s3")),
        ("accel_x", "", Meaning(CHANNEL, "tilt", "x")),
        ("gyro_z", "", Meaning(CHANNEL, "tilt", "gz")),
        ("battery", "V", Meaning(CHANNEL, "battery-gauge", "counts", 1024 / 5)),
        ("t_us", "", Meaning(TIME, unit_us=1.0)),
        ("millis", "", Meaning(TIME, unit_us=1000.0)),
        ("time (ms)", "", Meaning(TIME, unit_us=1000.0)),
        ("Time", "s", Meaning(TIME, unit_us=1e6)),
        ("time", "", Meaning(TIME)),
        ("voltage of the moon", "", None),
        ("Temp", "V", None),
    ],
)
def test_labels_are_guessed_by_words_and_units(label: str, unit: str, wanted: Meaning | None) -> None:
    found = guess(label, unit, fern())
    if wanted is None or found is None:
        assert found == wanted
        return
    assert (found.role, found.sensor, found.channel) == (wanted.role, wanted.sensor, wanted.channel)
    assert (found.factor, found.zero, found.unit_us) == pytest.approx(
        (wanted.factor, wanted.zero, wanted.unit_us)
    )


def test_columns_are_guessed_by_their_place_with_and_without_a_heading_and_a_time() -> None:
    plain = heard(template("T01"), "312,400,780")[0]
    assert plain.values == dict(zip(ROW, (312, 400, 780), strict=True))
    headed = heard(template("T01"), "time (ms),left,middle,right", "100,312,400,780")
    assert headed[0].kind == WORDS
    assert headed[1] == Reading(plain.values, 100_000, 2**32 * 1000)
    interpreter = Interpreter(template("T01"))
    interpreter.read("time (ms),left,middle,right", 0.0)
    interpreter.refresh(template("T01"), {})
    assert interpreter.read("100.5,312,400,780", 0.0) == Reading(plain.values, 100_500, 2**32 * 1000)
    timed = heard(template("T01"), *(f"{100 * i},312,400,780" for i in range(10)))
    assert timed[0].stamp_us is None  # its unit is not known yet
    assert timed[-1].stamp_us == 900_000


@pytest.mark.parametrize(("per_s", "stamp"), [(1e6, 2_000_000), (1000.0, 2_000_000), (1.0, 2_000_000)])
def test_the_unit_of_a_time_is_told_by_how_fast_it_rises(per_s: float, stamp: int) -> None:
    *_, last = heard(ranger_and_air(), *(f"time:{i * per_s / 10:.6g} echo_us:1457" for i in range(21)))
    assert last.stamp_us == stamp


def test_what_a_person_says_goes_before_the_guess_and_unknown_labels_wait_until_they_are_real() -> None:
    said = {"u": Meaning(CHANNEL, *ECHO, factor=2.0, zero=1.0), "echo_us": Meaning(IGNORED)}
    assert heard(ranger_and_air(), "u:700 echo_us:5", said=said)[0].values == {ECHO: 1401.0}
    found = heard(ranger_and_air(), *["echo_us:1457 moon:3"] * 5)
    assert [isinstance(one, Reading) for one in found] == [False, False, True, True, True]
    interpreter = Interpreter(ranger_and_air())
    for _ in range(5):
        interpreter.read("echo_us:1457 moon:3", 0.0)
    assert {label.name: label.meaning for label in interpreter.labels}["moon"] is None
    interpreter.refresh(ranger_and_air(), {"moon": Meaning(CHANNEL, *AIR)})
    assert interpreter.read("echo_us:1457 moon:3", 0.0).values == {ECHO: 1457.0, AIR: 3.0}
    only = heard(ranger_and_air(), *["moon:3"] * 4)
    assert only[-1].kind == UNUSED


def test_garbled_labels_never_crowd_out_real_ones() -> None:
    interpreter = Interpreter(ranger_and_air())
    for i in range(2000):
        interpreter.read(f"t_us:{i} echo_us:1457 x{i}:3", 0.0)
    assert [label.name for label in interpreter.labels] == ["t_us", "echo_us"]


def test_two_sensors_of_a_kind_are_told_apart_by_their_names() -> None:
    two = rig(part("ultrasonic-ranger", "front-ranger"), part("ultrasonic-ranger", "rear-ranger"))
    found = heard(two, "front distance: 20 cm, rear distance: 40 cm")[0]
    assert found.values == pytest.approx({("front-ranger", "echo"): 1160.0, ("rear-ranger", "echo"): 2320.0})


def test_a_sensors_own_word_goes_before_the_name_of_another_part() -> None:
    lamp, ranger = part("comparator-switch", "front-lamp"), part("ultrasonic-ranger", "front")
    for parts in ((lamp, ranger), (ranger, lamp)):
        meaning = guess("front distance", "cm", rig(*parts))
        assert meaning is not None
        assert (meaning.sensor, meaning.channel) == ("front", "echo")
    alone = guess("front level 2", "", rig(part("hall-switch", "wheel"), part("air-temperature", "cabin")))
    assert alone is None or alone.sensor == "wheel"
    assert guess("cabin", "", rig(part("hall-switch", "wheel"), part("air-temperature", "cabin"))) == Meaning(
        CHANNEL, "cabin", "air"
    )
