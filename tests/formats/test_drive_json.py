"""Worlds and runs as documents, and the commands that work on them."""

from __future__ import annotations

import csv
import json
import subprocess
import sys
from pathlib import Path
from typing import Any

import pytest
from jsonschema import Draft202012Validator

from tickstone.core.drive.run import run
from tickstone.core.drive.worlds import WORLDS
from tickstone.errors import BadInput
from tickstone.formats.run_json import request_of, run_to_plain, trace_csv
from tickstone.formats.world_json import world_from_json, world_of, world_schema, world_to_json
from tickstone.launch.folders import ROOT

RUN: dict[str, Any] = {"template": "T15", "world": "oval", "behaviour": "follow-pid", "seconds": 2}


def test_every_world_is_what_the_schema_says_and_comes_back_the_same() -> None:
    check = Draft202012Validator(dict(world_schema()))
    for place in WORLDS.values():
        document = json.loads(world_to_json(place))
        check.validate(document)
        assert world_of(document) == place


OVAL = json.loads(world_to_json(WORLDS["oval"]))
ROOM = json.loads(world_to_json(WORLDS["room"]))


@pytest.mark.parametrize(
    ("document", "path"),
    [
        ({"kind": "moon"}, "kind"),
        ({**OVAL, "colour": "green"}, "colour"),
        ({**OVAL, "lines": [{"points": [[0, 0], [5, 5]], "width_mm": -3}]}, "lines[0].width_mm"),
        ({**OVAL, "lines": [{"points": [[0, 0]]}]}, "lines[0].points"),
        ({**OVAL, "lines": [{"points": [[0, 0], [5, "x"]]}]}, "lines.0.points.1.1"),
        ({**OVAL, "size_mm": [1e9, 5]}, "size_mm[0]"),
        ({**OVAL, "start": {"x_mm": -5, "y_mm": 0}}, "start"),
        ({**OVAL, "patches": [{"polygon": [[0, 0], [1, 1]]}]}, "patches[0].polygon"),
        ({**ROOM, "walls": [[0, 0, 900, 900], [0, 900, 900, 0]]}, "walls[1]"),
        ({**ROOM, "walls": [[5, 5, 5, 5]]}, "walls[0]"),
        ({**ROOM, "start": {"x_mm": 1450, "y_mm": 1100}}, "start"),
        ({"kind": "table", "name": "t", "polygon": [[0, 0], [9, 0], [9, 9]], "start": {"x_mm": 50}}, "start"),
        ({"kind": "rail", "name": "r", "plant": "beam", "length_mm": 0}, "length_mm"),
        ({"kind": "rail", "name": "r", "plant": "pipe", "length_mm": 10}, "plant"),
    ],
)
def test_a_world_that_cannot_be_is_refused_by_its_field(document: dict[str, Any], path: str) -> None:
    with pytest.raises(BadInput) as refused:
        world_of(document)
    assert refused.value.path == path


def test_text_that_is_no_world_is_refused_in_a_sentence() -> None:
    for text in ("", "{", "[]", "3", '{"kind": ' + "[" * 5000):
        with pytest.raises(BadInput, match="world"):
            world_from_json(text)


@pytest.mark.parametrize(
    ("change", "path"),
    [
        ({"world": 3}, "world"),
        ({"world": "moon"}, "world"),
        ({"behaviour": "fly"}, "behaviour"),
        ({"template": "T99"}, "template"),
        ({"rig": {}}, "rig"),
        ({"speed": 3}, "speed"),
        ({"seconds": "long"}, "seconds"),
        ({"seed": None}, "seed"),
        ({"numbers": "decimal"}, "numbers"),
        ({"set": [1]}, "set"),
        ({"set": {"kp": "much"}}, "kp"),
    ],
)
def test_a_run_that_cannot_be_is_refused_by_its_field(change: dict[str, Any], path: str) -> None:
    with pytest.raises(BadInput) as refused:
        request_of({**RUN, **change})
    assert refused.value.path == path


def test_a_choice_is_named_by_its_words() -> None:
    asked = request_of({"template": "T06", "world": "room", "behaviour": "wander", "set": {"side": "random"}})
    assert asked.given == {"side": 1.0}


def test_the_trace_is_a_table_of_every_loop() -> None:
    done = run(request_of(RUN))
    rows = list(csv.DictReader("".join(trace_csv(done)).splitlines()))
    assert len(rows) == 200
    assert [row["t_us"] for row in rows[:3]] == ["0", "10000", "20000"]
    assert list(rows[0])[1:6] == ["s1", "s2", "s3", "s4", "s5"]
    assert rows[-1]["state"] == "follow"
    assert len(run_to_plain(done)["path"]) == 200
    assert set(run_to_plain(done)["assumed"]) >= {"white", "thresholds", "lag_s", "grip_mm_s2"}


def tick_stone(*arguments: str, given: str = "") -> subprocess.CompletedProcess[str]:
    return subprocess.run(
        [sys.executable, "-m", "tickstone.cli", *arguments],
        input=given,
        capture_output=True,
        text=True,
        cwd=ROOT,
        check=False,
    )


def test_the_command_line_drives_lists_and_publishes(tmp_path: Path) -> None:
    trace = tmp_path / "trace.csv"
    done = tick_stone("drive", "-", "--trace", str(trace), given=json.dumps(RUN))
    assert done.returncode == 0, done.stderr
    answer = json.loads(done.stdout)
    assert set(answer) == {"score", "verdict", "events", "why", "assumed", "path"}
    assert answer == json.loads(json.dumps(run_to_plain(run(request_of(RUN)))))
    assert trace.read_text().count("\n") == 201
    assert [each["name"] for each in json.loads(tick_stone("worlds").stdout)] == list(WORLDS)
    behaviours = json.loads(tick_stone("behaviours").stdout)
    assert {each["id"] for each in behaviours} >= {"follow-pid", "wander", "edge-guard", "hold-distance"}
    Draft202012Validator.check_schema(json.loads(tick_stone("schema", "world").stdout))


@pytest.mark.parametrize(
    ("given", "words"),
    [
        ("{", "not JSON"),
        (json.dumps({**RUN, "behaviour": "fly"}), "behaviour must be"),
        ("{}", "either a rig"),
    ],
)
def test_bad_runs_exit_two_with_a_sentence(given: str, words: str) -> None:
    done = tick_stone("drive", "-", given=given)
    assert done.returncode == 2
    assert words in done.stderr
    assert not done.stdout
