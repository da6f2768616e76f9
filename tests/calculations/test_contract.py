"""The public contract: names, fields, units, refusals; on the command line as in the program."""

from __future__ import annotations

import json
import os
import subprocess
import sys

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.calculations.contract import CONTRACT
from tickstone.calculations import calculations, find, listing, run
from tickstone.calculations.contents import SUBJECTS
from tickstone.calculations.registry import Inputs
from tickstone.errors import BadInput
from tickstone.launch.folders import ROOT


@pytest.mark.parametrize("name", CONTRACT)
def test_names_and_fields(name: str) -> None:
    inputs, fields = CONTRACT[name]
    assert fields | {"steps", "assumptions", "warnings"} <= set(run(name, inputs))


def test_the_table_of_contents_is_true() -> None:
    for subject, names in SUBJECTS.items():
        for name in names:
            assert find(name).function.__module__ == f"tickstone.calculations.{subject}"


def test_every_calculation_is_in_the_contract_and_listed() -> None:
    assert set(calculations()) == set(CONTRACT) == {entry["name"] for entry in listing()}


@pytest.mark.parametrize("name", CONTRACT)
@pytest.mark.parametrize("bad", [float("nan"), float("inf"), "three", "5", True, None])
def test_a_number_that_is_none_is_refused_by_name(name: str, bad: object) -> None:
    given = CONTRACT[name][0]
    for field, value in given.items():
        if isinstance(value, int | float):
            with pytest.raises(BadInput) as refused:
                run(name, {**given, field: bad})
            assert field in (refused.value.path, refused.value.path.split(".")[0])
            assert field in refused.value.message


@pytest.mark.parametrize("name", CONTRACT)
@pytest.mark.parametrize("bad", [[], [float("nan")], "many"])
def test_a_list_that_is_none_is_refused_by_name(name: str, bad: object) -> None:
    given = CONTRACT[name][0]
    for field, value in given.items():
        if isinstance(value, list):
            with pytest.raises(BadInput) as refused:
                run(name, {**given, field: bad})
            assert refused.value.path.split(".")[0] == field


@pytest.mark.parametrize("name", CONTRACT)
@given(data=st.data())
@settings(max_examples=15)
def test_whatever_numbers_come_the_answer_is_finite_or_names_a_field(name: str, data: st.DataObject) -> None:
    given, extreme = CONTRACT[name][0], st.floats(allow_nan=False, allow_infinity=False)
    asked = {
        field: data.draw(extreme) if isinstance(value, float | int) and data.draw(st.booleans()) else value
        for field, value in given.items()
    }
    fields = find(name).inputs.model_fields
    try:
        answer = run(name, asked)
    except BadInput as refused:
        answer = {"named": refused.path.split(".")[0] in fields}
    assert answer.get("named", True)
    json.dumps(answer, allow_nan=False)


def test_a_list_of_ten_million_numbers_is_refused_with_its_limit() -> None:
    with pytest.raises(BadInput, match="at most 1\u2009000\u2009000") as refused:
        run("otsu", {"counts": [1.0, 2.0] * 5_000_000})
    assert refused.value.path == "counts"


@pytest.mark.parametrize(
    ("name", "change", "path"),
    [
        ("echo-distance", {"echo_us": -1}, "echo_us"),
        ("echo-distance", {"temperature_c": -300}, "temperature_c"),
        ("echo-distance", {"min_mm": 500, "max_mm": 100}, "min_mm"),
        ("echo-distance", {"speed_m_s": 0}, "speed_m_s"),
        ("echo-distance", {"colour": 1}, "colour"),
        ("speed-of-sound", {"humidity_pct": 101}, "humidity_pct"),
        ("speed-of-sound", {"model": "guess"}, "model"),
        ("echo-time", {"distance_mm": -5}, "distance_mm"),
        ("beam-footprint", {"angle_deg": 180}, "angle_deg"),
        ("sound-calibration", {"pairs": []}, "pairs"),
        ("divider", {"bottom_ohm": -1}, "bottom_ohm"),
        ("divider-design", {"limit_v": 1.0}, "limit_v"),
        ("nearest-value", {"ohms": 0}, "ohms"),
        ("stop-distance", {"deceleration_m_s2": 0}, "deceleration_m_s2"),
        ("adc-volts", {"counts": 1024}, "counts"),
        ("adc-volts", {"counts": -1}, "counts"),
        ("adc-volts", {"bits": 0}, "bits"),
        ("counts-to-units", {"counts": 32768}, "counts"),
        ("rpm", {"period_us": 20_000}, "period_us"),
        ("rpm", {"frequency_hz": None}, "frequency_hz"),
        ("rpm", {"pulses_per_turn": 0}, "pulses_per_turn"),
        ("timer-plan", {"prescalers": [1], "rpm_min": 1}, "prescalers"),
        ("timer-plan", {"rpm_min": 7000}, "rpm_min"),
        ("wheel-speed", {"frequency_hz": 3}, "frequency_hz"),
        ("video-rpm", {"frames": 1}, "frames"),
        ("second-opinion", {"readings": [{"label": "a", "value": 1, "uncertainty": 0}] * 2}, "readings"),
        ("led-resistor", {"forward_v": 6}, "forward_v"),
        ("resistor-code", {"ohms": 4712}, "ohms"),
        ("resistor-code", {"tolerance_pct": 3}, "tolerance_pct"),
        ("ranger-fit", {"pairs": [[100, 1], [200, 0.5]]}, "pairs"),
        ("reflectance", {"white": 100}, "white"),
        ("line-threshold", {"white": [102]}, "white"),
        ("line-position", {"darkness": [1.2]}, "darkness"),
        ("six-pose", {"poses": {"+x": 1}}, "poses"),
        ("tilt", {"ax_g": 0, "az_g": 0}, "ax_g"),
        ("filter-tradeoff", {"length": None}, "length"),
        ("complementary", {"gyro_dps": [[0, 0, 0]] * 2}, "accel_g"),
        ("allan", {"averaging": [3]}, "averaging"),
        ("motor-hall-decode", {"codes": [8]}, "codes"),
        ("edges", {"edges_us": [0, 10, 5]}, "edges_us"),
        ("ticks-elapsed", {"start": 70_000}, "start"),
        ("i2c-pull-up", {"bus_pf": 400}, "bus_pf"),
        ("score-threshold", {"labels": [0, 0, 0, 0]}, "labels"),
        ("score-threshold", {"labels": [0, 1]}, "labels"),
        ("step-metrics", {"times_s": [0, 1, 1, 2]}, "times_s"),
        ("servo-map", {"in_low": 2}, "in_low"),
        ("relay", {"hysteresis": 0.5}, "hysteresis"),
        ("grade", {"angle_deg": 90}, "angle_deg"),
    ],
)
def test_what_cannot_be_is_refused_by_name(name: str, change: dict, path: str) -> None:
    with pytest.raises(BadInput) as refused:
        run(name, {**CONTRACT[name][0], **change})
    assert refused.value.path == path


def test_echo_distance_by_the_definitions() -> None:
    found = run("echo-distance", {"echo_us": 1457, "temperature_c": 20, "humidity_pct": 0})
    assert found["distance_mm"] == pytest.approx(1457 * 343.3672 / 2000, rel=1e-6)
    assert sum(found["shares"].values()) == pytest.approx(1)
    assert set(found["shares"]) == {"temperature", "tick", "echo"}
    for rule in found["rules"]:
        assert rule["error_mm"] == pytest.approx(rule["distance_mm"] - found["distance_mm"])
    exact = {rule["rule"]: rule["exact_at_c"] for rule in found["rules"]}
    assert run("speed-of-sound", {"temperature_c": exact["343 m/s"]})["speed_m_s"] == pytest.approx(343.0)
    nothing = run("echo-distance", {"echo_us": 0})
    assert (nothing["distance_mm"], nothing["valid"], nothing["reason"]) == (None, False, "dropout")
    still = run("echo-distance", {"echo_us": 1457, "temperature_sd_k": 0, "tick_us": 0})
    assert set(still["shares"].values()) == {0.0}
    given = run("echo-distance", {"echo_us": 1457, "speed_m_s": 345.0})
    assert given["shares"]["temperature"] == 0
    far = run("echo-distance", {"echo_us": 25_000})
    assert not far["valid"]
    assert far["distance_mm"] > 4000


def test_out_of_the_stated_range_is_computed_with_a_warning() -> None:
    assert "outside" in run("echo-distance", {"echo_us": 1457, "temperature_c": -5})["warnings"][0]


def test_trip_beyond_the_reach_is_warned_of() -> None:
    fast = {**CONTRACT["stop-distance"][0], "speed_m_s": 4.0}
    assert "beyond" in run("stop-distance", fast)["warnings"][0]


def test_inputs_refuse_what_they_do_not_know() -> None:
    assert Inputs.model_config["extra"] == "forbid"


def command(*arguments: str, given: str = "") -> subprocess.CompletedProcess[str]:
    environment = {
        **os.environ,
        "PYTHONPATH": str(ROOT / "src"),
        "DATABASE_URL": "postgresql://nobody@127.0.0.1:1/x",
    }
    return subprocess.run(
        [sys.executable, "-m", "tickstone.cli", "calc", *arguments],
        input=given,
        capture_output=True,
        text=True,
        env=environment,
    )


def test_the_command_line_prints_one_object() -> None:
    done = command("echo-distance", "echo_us=1457", "temperature_c=20", "humidity_pct=0")
    found = json.loads(done.stdout)
    assert done.returncode == 0
    assert found["distance_mm"] == pytest.approx(250, abs=0.5)
    assert found["steps"]
    assert (
        command("echo-time", given='{"distance_mm": 250}').stdout
        == command("echo-time", "distance_mm=250").stdout
    )


@pytest.mark.parametrize(
    ("arguments", "said"),
    [
        (["echo-distance", "echo_us=-1"], "echo_us"),
        (["no-such"], "no calculation"),
        (["echo-distance", "echo_us"], "not field=value"),
        (["echo-distance", "echo_us=NaN"], "echo_us"),
    ],
)
def test_bad_input_exits_two_with_a_sentence(arguments: list[str], said: str) -> None:
    done = command(*arguments)
    assert done.returncode == 2
    assert said in done.stderr
    assert done.stdout == ""


def test_batch_answers_line_by_line_in_order() -> None:
    lines = [
        '{"calc": "echo-time", "inputs": {"distance_mm": 250}}',
        "not json",
        '{"calc": "no-such", "inputs": {}}',
        '{"calc": "echo-distance", "inputs": {"echo_us": -1}}',
        "[]",
    ]
    answers = [json.loads(line) for line in command("--batch", given="\n".join(lines)).stdout.splitlines()]
    assert "result" in answers[0]
    assert answers[1]["error"]["message"].startswith("Not JSON")
    assert answers[2]["error"]["field"] == "calc"
    assert answers[3]["error"]["field"] == "echo_us"
    assert "object" in answers[4]["error"]["message"]
