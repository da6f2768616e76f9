"""A rig file: it comes back as it went, has a schema, and what cannot be is refused by the name of its
field."""

from __future__ import annotations

import contextlib
import json
import os
import subprocess
import sys
from collections.abc import Callable
from pathlib import Path
from typing import Any

import jsonschema
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.rigs import part, rig
from tickstone.cli import main
from tickstone.core.rigs.boards import BOARDS
from tickstone.core.rigs.rig import SCHEMA
from tickstone.core.rigs.templates import TEMPLATES, fern, heron, template
from tickstone.errors import BadInput
from tickstone.formats.rig_json import rig_from_json, rig_schema, rig_to_json
from tickstone.launch.folders import ROOT


def plain() -> dict[str, Any]:
    found: dict[str, Any] = json.loads(rig_to_json(fern()))
    return found


def refused(document: Any) -> BadInput:
    with pytest.raises(BadInput) as error:
        rig_from_json(document if isinstance(document, str) else json.dumps(document))
    assert error.value.message.endswith(".")
    return error.value


@pytest.mark.parametrize("name", TEMPLATES)
def test_every_template_round_trips_and_fits_the_published_schema(name: str) -> None:
    made = template(name)
    text = rig_to_json(made)
    assert rig_from_json(text) == made
    assert rig_to_json(rig_from_json(text)) == text
    jsonschema.Draft202012Validator(rig_schema()).validate(json.loads(text))


def test_the_schema_is_itself_sound_and_closed() -> None:
    schema = rig_schema()
    jsonschema.Draft202012Validator.check_schema(schema)
    wrong = plain() | {"wheels": 4}
    assert not jsonschema.Draft202012Validator(schema).is_valid(wrong)
    assert refused(wrong).path == "wheels"


def test_an_older_document_is_read_with_what_it_lacks() -> None:
    old = plain()
    for name in ("outputs", "supplies", "geometry", "board_from"):
        del old[name]
    old["wires"] = [w for w in old["wires"] if w["sensor"] not in ("battery-gauge", "wheels")]
    old["sensors"] = [
        {k: s[k] for k in ("id", "kind", "name")} for s in old["sensors"] if s["id"] != "battery-gauge"
    ]
    made = rig_from_json(json.dumps(old | {"schema": 1}))
    assert made.schema == SCHEMA
    assert made.outputs == made.supplies == ()


def test_a_newer_or_damaged_file_is_refused_in_words() -> None:
    assert "version 9" in refused(plain() | {"schema": 9}).message
    text = rig_to_json(fern())
    for cut in (0, 1, len(text) // 2, len(text) - 3):
        assert refused(text[:cut]).path == "rig"
    assert refused("[" * 100_000).path == "rig"
    assert refused([1, 2]).path == "rig"
    assert "too long" in refused(" " * 3_000_000).message


Change = Callable[[dict[str, Any]], None]


def put(*path: str | int, to: Any) -> Change:
    def change(document: dict[str, Any]) -> None:
        at: Any = document
        for step in path[:-1]:
            at = at[step]
        at[path[-1]] = to

    return change


WIRES = {(w.sensor, w.pin): i for i, w in enumerate(fern().wires)}
GROUND = WIRES["wheel", "ground"]


@pytest.mark.parametrize(
    ("change", "path", "word"),
    [
        (put("board", "pins", 0, "abilities", to=["digital", "telepathy"]), "board.pins", "telepathy"),
        (put("board", "pins", 1, "name", to="int 1"), "board.pins", "name of its own"),
        (put("board", "rails", to=[{"name": "5 V", "volts": 5.0}]), "board.rails", "no ground rail"),
        (put("board", "high_level_v", to=6.0), "board", "Levels must rise"),
        (put("board", "adc_bits", to=99), "board.adc_bits", "24"),
        (put("board", "adc_bits", to=None), "board.adc_bits", "both bits and a reference"),
        (put("board", "supply_ma", to="much"), "board.supply_ma", "number"),
        (put("board", "services", to=[{"name": "radio", "timer": "timer 1"}]), "board.services", "radio"),
        (put("sensors", 0, "kind", to="sonar"), "sensors.front-ranger.kind", "sonar"),
        (put("sensors", 1, "id", to="front-ranger"), "sensors", "id of its own"),
        (put("sensors", 2, "options", to={"count": 40.0}), "sensors.line-row.options.count", "8"),
        (put("sensors", to=[]), "sensors", "one sensor at least"),
        (put("outputs", to=[{"id": "x", "kind": "hall-switch", "name": "x"}]), "outputs", "is no output"),
        (put("wires", 0, "pin", to="antenna"), "wires.0", "begins nowhere"),
        (put("wires", 1, "to", to="digital 99"), "wires.1.to", "digital 99"),
        (put("wires", GROUND, "to", to="wheel.ground"), f"wires.{GROUND}.to", "circle"),
        (put("wires", 2, "divider", to={"top_ohm": 0, "bottom_ohm": 5}), "wires.2.divider", "above 0"),
        (put("geometry", "wheel_mm", to=-5), "geometry.wheel_mm", "above 0"),
        (put("geometry", "track_mm", to=900), "geometry.track_mm", "300 mm wide"),
        (put("geometry", "front_mm", to=9000), "geometry.front_mm", "bumper"),
        (put("sensors", 0, "mount", "height_mm", to=-2), "front-ranger.mount.height_mm", "from 0"),
        (put("sensors", 0, "mount", "heading_deg", to=1e9), "front-ranger.mount.heading_deg", "360"),
        (put("supplies", 0, "most_v", to=1.0), "supplies", "volts"),
        (put("supplies", 0, "name", to="5 V"), "supplies", "5 V"),
        (put("board_from", to="the wall"), "board_from", "the wall"),
        (put("title", to="  "), "title", "characters"),
        (put("wires", 0, "length", to=3), "wires.0.length", "no field"),
    ],
)
def test_what_no_rig_can_be_is_refused_by_its_field(change: Change, path: str, word: str) -> None:
    document = plain()
    change(document)
    error = refused(document)
    assert error.path == path
    assert word in error.message


def test_grounds_that_go_round_in_a_circle_of_two_are_refused_and_a_chain_is_not() -> None:
    document = plain()
    document["wires"][GROUND]["to"] = "air.ground"
    assert rig_from_json(json.dumps(document)).wire("wheel", "ground").to == "air.ground"
    document["wires"][WIRES["air", "ground"]]["to"] = "wheel.ground"
    assert "circle" in refused(document).message


TREES = st.recursive(
    st.none() | st.booleans() | st.floats(allow_nan=False) | st.text(max_size=8),
    lambda inner: st.lists(inner, max_size=3) | st.dictionaries(st.text(max_size=6), inner, max_size=3),
    max_leaves=6,
)


@pytest.mark.slow
@settings(max_examples=150)
@given(st.data())
def test_any_value_in_any_place_is_a_rig_or_a_sentence(data: st.DataObject) -> None:
    document = plain()
    at: Any = document
    while True:
        keys = list(at) if isinstance(at, dict) else list(range(len(at)))
        key = data.draw(st.sampled_from(keys))
        if not isinstance(at[key], dict | list) or not at[key] or data.draw(st.integers(0, 3)) == 0:
            break
        at = at[key]
    at[key] = data.draw(TREES)
    made = None
    with contextlib.suppress(BadInput):  # anything but a sentence fails
        made = rig_from_json(json.dumps(document))
    if made is not None:
        assert rig_from_json(rig_to_json(made)) == made


# On the command line ----------------------------------------------------------------------------------------


def command(capsys: pytest.CaptureFixture[str], *arguments: str) -> tuple[int, str, str]:
    code = main(list(arguments))
    said = capsys.readouterr()
    return code, said.out, said.err


def test_template_lists_and_gives(capsys: pytest.CaptureFixture[str]) -> None:
    code, out, _ = command(capsys, "template")
    assert code == 0
    assert [one["id"] for one in json.loads(out)] == [f"T{n:02d}" for n in range(1, 22)]
    code, out, _ = command(capsys, "template", "T20")
    assert rig_from_json(out) == template("T20")
    code, _, err = command(capsys, "template", "T99")
    assert (code, "T99" in err) == (2, True)


def test_check_says_findings_as_lines(capsys: pytest.CaptureFixture[str], tmp_path: Path) -> None:
    file = tmp_path / "rig.json"
    made = json.loads(rig_to_json(template("T20")))
    wire = next(w for w in made["wires"] if w["pin"] == "echo")
    wire["divider"] = {"top_ohm": 10_000, "bottom_ohm": 4_700}
    file.write_text(json.dumps(made))
    code, out, _ = command(capsys, "check", str(file))
    first = json.loads(out.splitlines()[0])
    assert code == 0
    assert set(first) == {"kind", "severity", "sensor", "pin", "sentence", "numbers", "fix"}
    assert (first["kind"], first["severity"], first["sensor"], first["pin"]) == (
        "level-too-low",
        "fault",
        "front-ranger",
        "echo",
    )
    assert first["numbers"]["arrives_v"] == pytest.approx(1.599, abs=1e-3)
    assert "ground" in first["fix"]


def test_assign_places_every_wire_or_says_why_not(capsys: pytest.CaptureFixture[str], tmp_path: Path) -> None:
    file = tmp_path / "rig.json"
    made = json.loads(rig_to_json(heron()))
    loose = made | {"wires": [w | {"to": "nowhere at all"} for w in made["wires"]]}
    file.write_text(json.dumps(loose))
    code, out, _ = command(capsys, "assign", str(file))
    assert code == 0
    assert rig_from_json(out) == heron()
    small = json.loads(
        rig_to_json(rig(*(part("hall-switch", f"wheel-{i}") for i in range(3)), board="wide-3v3"))
    )
    small["board"] = json.loads(rig_to_json(fern()))["board"]
    file.write_text(json.dumps(small))
    code, out, err = command(capsys, "assign", str(file))
    assert (code, out) == (1, "")
    assert "Three wires need an interrupt pin" in err


def test_program_and_schema(capsys: pytest.CaptureFixture[str], tmp_path: Path) -> None:
    file = tmp_path / "rig.json"
    file.write_text(rig_to_json(heron()))
    assert "void loop()" in command(capsys, "program", str(file), "--language", "cpp")[1]
    assert "def loop():" in command(capsys, "program", str(file), "--language", "python")[1]
    file.write_text(rig_to_json(fern()))
    code, _, err = command(capsys, "program", str(file), "--language", "python")
    assert (code, "does not run python" in err) == (2, True)
    code, out, _ = command(capsys, "schema", "rig")
    assert json.loads(out) == rig_schema()


def test_a_rig_comes_in_by_standard_input_and_a_bad_one_exits_2() -> None:
    asked = [sys.executable, "-m", "tickstone.cli", "check", "-"]
    environment = os.environ | {"PYTHONPATH": str(ROOT / "src")}
    good = subprocess.run(
        asked, input=rig_to_json(template("T04")), capture_output=True, text=True, env=environment
    )
    assert (good.returncode, good.stdout) == (0, "")
    bad = subprocess.run(asked, input="{", capture_output=True, text=True, env=environment)
    assert bad.returncode == 2
    assert bad.stderr.strip().endswith(".")


@pytest.mark.parametrize("kind", BOARDS)
def test_every_board_of_the_catalogue_passes_its_own_door(kind: str) -> None:
    made = rig(part("digital-line-sensor", "line"), board=kind)
    assert rig_from_json(rig_to_json(made)) == made
