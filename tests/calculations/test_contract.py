"""The public contract: names, fields, units, refusals; on the command line as in the program."""

from __future__ import annotations

import json
import os
import subprocess
import sys

import pytest

from tickstone.calculations import CALCULATIONS, listing, run
from tickstone.calculations.registry import Inputs
from tickstone.errors import BadInput
from tickstone.launch.folders import ROOT

CONTRACT = {
    "speed-of-sound": ({"temperature_c": 20}, {"speed_m_s", "sensitivity_m_s_per_k"}),
    "echo-distance": (
        {"echo_us": 1457},
        {"distance_mm", "uncertainty_mm", "valid", "reason", "speed_m_s", "shares", "rules"},
    ),
    "echo-time": ({"distance_mm": 250}, {"echo_us"}),
    "ping-plan": ({}, {"timeout_us", "interval_ms", "step_mm", "rate_hz"}),
    "beam-footprint": ({"distance_mm": 500}, {"diameter_mm", "floor_from_mm"}),
    "sound-calibration": (
        {"pairs": [[100, 600], [200, 1180], [300, 1761]]},
        {"speed_m_s", "speed_sd", "offset_mm", "offset_sd", "residual_sd_mm", "equivalent_temperature_c"},
    ),
    "divider": (
        {"vin_v": 5, "top_ohm": 1000, "bottom_ohm": 2000},
        {"vout_v", "vout_min_v", "vout_max_v", "current_ma", "source_ohm"},
    ),
    "divider-design": ({"vin_max_v": 5, "limit_v": 3.3, "high_level_v": 2}, {"pairs"}),
    "nearest-value": ({"ohms": 230}, {"nearest_ohm", "next_up_ohm", "next_down_ohm"}),
    "resistor-code": ({"ohms": 4700}, {"colours"}),
    "stop-distance": (
        {"speed_m_s": 0.4, "sample_s": 0.05, "reaction_s": 0.05, "deceleration_m_s2": 0.8},
        {"trip_mm", "clear_mm", "parts_mm"},
    ),
}


@pytest.mark.parametrize("name", CONTRACT)
def test_names_and_fields(name: str) -> None:
    inputs, fields = CONTRACT[name]
    assert fields | {"steps", "assumptions", "warnings"} <= set(run(name, inputs))


def test_every_calculation_is_in_the_contract_and_listed() -> None:
    assert set(CALCULATIONS) == set(CONTRACT) == {entry["name"] for entry in listing()}


@pytest.mark.parametrize("name", CONTRACT)
@pytest.mark.parametrize("bad", [float("nan"), float("inf"), "three", None])
def test_a_number_that_is_none_is_refused_by_name(name: str, bad: object) -> None:
    entry = CALCULATIONS[name]
    numbers = [n for n, f in entry.inputs.model_fields.items() if f.is_required() and n != "pairs"]
    for field in numbers:
        with pytest.raises(BadInput) as refused:
            run(name, {**CONTRACT[name][0], field: bad})
        assert refused.value.path == field


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
    environment = {**os.environ, "PYTHONPATH": str(ROOT / "src"), "DATABASE_URL": "postgresql://nobody@127.0.0.1:1/x"}
    return subprocess.run([sys.executable, "-m", "tickstone.cli", "calc", *arguments], input=given,
                          capture_output=True, text=True, env=environment)  # fmt: skip


def test_the_command_line_prints_one_object() -> None:
    done = command("echo-distance", "echo_us=1457", "temperature_c=20", "humidity_pct=0")
    found = json.loads(done.stdout)
    assert done.returncode == 0
    assert found["distance_mm"] == pytest.approx(250, abs=0.5)
    assert found["steps"]
    assert command("echo-time", given='{"distance_mm": 250}').stdout == command("echo-time", "distance_mm=250").stdout


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
    lines = ['{"calc": "echo-time", "inputs": {"distance_mm": 250}}', "not json", '{"calc": "no-such", "inputs": {}}',
             '{"calc": "echo-distance", "inputs": {"echo_us": -1}}', "[]"]  # fmt: skip
    answers = [json.loads(line) for line in command("--batch", given="\n".join(lines)).stdout.splitlines()]
    assert "result" in answers[0]
    assert answers[1]["error"]["message"].startswith("Not JSON")
    assert answers[2]["error"]["field"] == "calc"
    assert answers[3]["error"]["field"] == "echo_us"
    assert "object" in answers[4]["error"]["message"]
