"""Constants as code: names that compile, numbers that keep their value, comments that cannot break out."""

from __future__ import annotations

import ast
import json
import math
import struct
from datetime import UTC, datetime

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tickstone.core import units
from tickstone.core.rigs.kinds import KINDS
from tickstone.core.stones import StoneConstant, compare
from tickstone.firmware import constants as firmware

WHEN = datetime(2026, 5, 4, 9, 30, tzinfo=UTC)
HEADER = firmware.Header("Fern", 3, WHEN, "after the new wheels")


def line(**changes) -> StoneConstant:
    base = {
        "sensor": "front-ranger",
        "name": "offset",
        "label": "offset",
        "value": -3.14159265,
        "unit": "mm",
        "sd": 0.5,
        "provenance": "measured",
        "source": "ruler, 5 places",
        "made_at": WHEN,
        "condition": {},
        "stale": "",
        "value_id": 1,
    }
    return StoneConstant(**{**base, **changes})


@given(st.floats(allow_nan=False, allow_infinity=False, width=32))
def test_numbers_keep_what_a_32_bit_float_holds(value: float) -> None:
    text = firmware.number(value)
    assert "." in text or "e" in text
    assert float(text) == pytest.approx(value, rel=1e-6, abs=1e-45)
    if abs(float(text)) <= 3.4028234e38:
        assert math.isfinite(struct.unpack("f", struct.pack("f", float(text)))[0])


def test_every_unit_of_the_catalogue_has_a_word() -> None:
    for kind in KINDS.values():
        for spec in (*kind.constants, *kind.derived):
            assert spec.unit in units.CONSTANTS, spec.unit
            name = firmware.identifier(line(name=spec.name, unit=spec.unit))
            assert name.isidentifier()
            assert name.isupper()


def test_a_line_says_unit_spread_provenance_source_and_date() -> None:
    assert firmware.remark(line(), WHEN) == "offset ± 1 mm, measured, ruler, 5 places, 2026-05-04"
    assert firmware.remark(line(sd=None, made_at=None, stale="board changed since"), WHEN).endswith(
        "2026-05-04; STALE: board changed since"
    )


@pytest.mark.parametrize(
    "nasty", ["*/ int x;", "two\nlines", "back\\slash \\", "tab\there", "\r\n#include <x>"]
)
def test_nothing_typed_by_a_person_escapes_its_comment(nasty: str) -> None:
    header = firmware.Header("Fern */ \n x", 1, WHEN, nasty)
    lines = [line(source=nasty, label=nasty)]
    c = firmware.c_header(header, lines)
    for row in c.splitlines():
        assert row == "" or row.startswith(("//", "#ifndef", "#define", "#endif", "static const float"))
        assert not row.endswith("\\")
    assert len([row for row in c.splitlines() if row.startswith("static")]) == 1
    module = ast.parse(firmware.python_module(header, lines))
    assert [type(node) for node in module.body] == [ast.Assign]
    assert json.loads(firmware.json_document(header, lines))["constants"]


def test_the_three_forms_agree() -> None:
    lines = [line(), line(name="trip", label="trip", value=265.0, sd=None, provenance="chosen")]
    c = firmware.c_header(HEADER, lines)
    python = {
        node.targets[0].id: ast.literal_eval(node.value)
        for node in ast.parse(firmware.python_module(HEADER, lines)).body
    }
    data = json.loads(firmware.json_document(HEADER, lines))
    assert set(python) == set(data["constants"]) == {"FRONT_RANGER_OFFSET_MM", "FRONT_RANGER_TRIP_MM"}
    for name, value in python.items():
        assert f"static const float {name} = {firmware.number(value)}f;" in c
        assert data["constants"][name]["value"] == pytest.approx(value, rel=1e-6)
    assert data["constants"]["FRONT_RANGER_OFFSET_MM"]["uncertainty_95"] == 1.0
    assert data["constants"]["FRONT_RANGER_TRIP_MM"]["uncertainty_95"] is None
    assert data["stone"] == {
        "rig": "Fern",
        "number": 3,
        "cut_at": WHEN.isoformat(),
        "why": "after the new wheels",
    }
    assert "Stone 3 of Fern" in c


def test_comparing_puts_what_changed_first_and_counts_what_came_and_went() -> None:
    before = [line(name="gone"), line(name="same"), line(name="other", value=1.0)]
    after = [line(name="same"), line(name="other", value=2.0), line(name="new", provenance="chosen")]
    found = [(change.name, change.changed) for change in compare(before, after)]
    assert set(found[:3]) == {("gone", True), ("other", True), ("new", True)}
    assert found[3:] == [("same", False)]
    assert not any(change.changed for change in compare(before, before))
    assert compare([line(sd=0.5)], [line(sd=0.4)])[0].changed
    assert compare([], []) == []
