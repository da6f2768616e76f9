"""Tables of raw readings converted: what a column is taken for, block by block, on the command line and over
HTTP."""

from __future__ import annotations

import csv
import io
import json
import os
import subprocess
import sys
from collections.abc import Mapping
from unittest.mock import patch

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.rigs import ranger_and_air
from tests.served import Served
from tickstone.calculations import run
from tickstone.core.rigs.meanings import CHANNEL, NOTHING, TIME, Meaning
from tickstone.errors import BadInput
from tickstone.formats import columns, converted, opening
from tickstone.formats import text as text_file
from tickstone.formats.mapping import mapped
from tickstone.formats.opening import open_readings
from tickstone.formats.rig_json import RIG_DOCUMENT, rig_from_json
from tickstone.launch.folders import ROOT

WALK = "t_us,echo_us,air_c,mark\n0,1748,20,\n50000,0,,wall\n100000,1750,30,\n150000,,,\n"


def convert(
    text: str,
    constants: dict[str, float] | None = None,
    said: dict[str, str] | None = None,
    block: int = 1 << 20,
) -> list[dict[str, str]]:
    with patch.object(text_file, "BLOCK_BYTES", block), patch.object(opening, "HEAD_BYTES", block):
        table = opening.open_table(io.BytesIO(text.encode("utf-8", "surrogatepass")))
        making = converted.Converting(
            table, columns.plan(table, columns.bare_candidates(constants or {}), said)
        )
        return rows_of(making)


def rows_of(making: converted.Converting) -> list[dict[str, str]]:
    lines = list(csv.reader(io.StringIO("".join(converted.csv_blocks(making)))))
    return [dict(zip(lines[0], line, strict=True)) for line in lines[1:]]


def test_echoes_with_the_air_read_last() -> None:
    first, dropout, warm, none = convert(WALK)
    assert list(first)[:4] == ["t_us", "echo_us", "air_c", "mark"]
    for row, air in ((first, 20), (warm, 30)):
        wanted = run("echo-distance", {"echo_us": float(row["echo_us"]), "temperature_c": air})["distance_mm"]
        assert float(row["distance_mm"]) == pytest.approx(wanted, rel=1e-7)
    assert (dropout["distance_mm"], dropout["distance_reason"], dropout["mark"]) == ("", "dropout", "wall")
    assert (none["distance_mm"], none["distance_reason"]) == ("", "")


@pytest.mark.slow
@given(st.integers(60, 300))
def test_blocks_of_any_size_give_the_same(block: int) -> None:
    rows = "".join(f"{1000 * i},{(i // 2) % 2},{i * 1000 + (i % 3)},{1700 + i}\n" for i in range(20))
    text = "t_us,hall,mark_edge_us,echo_us\n" + rows
    assert convert(text, block=block) == convert(text)


def test_edges_and_levels_become_rpm() -> None:
    edges = convert("hall_edge_us\n0\n20000\n60000\n")
    assert [row["rpm"] for row in edges] == ["", "3000", "1500"]
    levels = convert("t_ms,hall\n0,1\n10,0\n20,1\n30,0\n40,1\n70,0\n")
    assert [row["rpm"] for row in levels] == ["", "", "", "3000", "", "1500"]
    two = convert("hall_edge_us\n0\n20000\n", {"magnets": 2, "circumference": 600})
    assert (two[1]["rpm"], float(two[1]["speed_m_s"])) == ("1500", 15.0)


def test_columns_by_their_names_and_units() -> None:
    (row,) = convert("ax,ay,az,probe_adc,wall_distance_in,ax_g,ay_g,az_g\n0,0,16384,512,10,0.5,0,0.8660254\n")
    assert (float(row["tilt_deg"]), float(row["az_g_2"])) == (0, 1)
    assert (float(row["probe_v"]), float(row["wall_distance_mm"])) == (2.5, 254)
    assert float(row["pitch_deg_2"]) == pytest.approx(-30, abs=1e-6)
    assert "rate_x_dps" not in row  # no gyro column, no rate


def test_quadrature_and_motor_halls() -> None:
    found = convert("a,b\n0,0\n1,0\n1,1\n0,1\n0,0\n")
    assert [row["count_steps"] for row in found] == ["0", "1", "2", "3", "4"]
    halls = convert("t_us,h1,h2,h3\n0,1,0,1\n1000,1,0,0\n2000,1,1,0\n4000,0,1,0\n", {"pole_pairs": 7})
    assert [row["rotation_rpm"] for row in halls[:2]] == ["", ""]
    # over the edges there are: 1 in 1 ms, 2 in 3 ms
    assert [float(row["rotation_rpm"]) for row in halls[2:]] == pytest.approx([10_000 / 7, 20_000 / 21])


def test_what_a_person_says_goes_before_the_guess() -> None:
    (row,) = convert("echo_us,left\n1748,512\n", said={"echo_us": "", "left": "battery-divider.counts"})
    assert "distance_mm" not in row
    assert float(row["level_v"]) == 2.5
    for said, match in (({"nobody": ""}, "no column"), ({"left": "moon.phase"}, "nothing that a column")):
        with pytest.raises(BadInput, match=match):
            convert("left\n1\n", said=said)


def test_semicolons_decimal_commas_and_any_line_ending() -> None:
    found = convert("echo_us;air_c\r1748,5;21,5\r\n1750;\n")
    wanted = run("echo-distance", {"echo_us": 1748.5, "temperature_c": 21.5})["distance_mm"]
    assert float(found[0]["distance_mm"]) == pytest.approx(wanted, rel=1e-7)
    assert len(found) == 2


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("", "empty"),
        ("\x00\x01\x02", "no text"),
        ("1,2,3\n4,5,6\n", "no column names"),
        ("colour,mood\nred,good\n", "no reading"),
        ("echo_us\n", "no reading"),
        ("echo_us\n" + "7" * 1_100_000 + "\n", "Line 2 is longer"),
        ("echo_us\n1\x002\n\x00\n3\x00", "Line 2 holds bytes"),
    ],
)
def test_what_is_no_table_is_said_with_its_line(text: str, said: str) -> None:
    with pytest.raises(BadInput, match=said):
        convert(text)


@given(st.text(max_size=300))
def test_any_text_is_converted_or_refused(text: str) -> None:
    try:
        found = convert("echo_us,air_c\n" + text)
    except BadInput as refused:
        found = [{"refused": refused.message}]
    assert found


def test_ragged_rows_are_filled_cut_and_named() -> None:
    table = opening.open_table(io.BytesIO(b"echo_us,air_c\n1748\n1750,20,7\n1751,20\n"))
    (block,) = table.blocks(mend=True)
    assert block.cells is not None
    assert block.cells.rows() == [("1748", ""), ("1750", "20"), ("1751", "20")]
    assert (table.ragged.count, [one.line for one in table.ragged.first]) == (2, [2, 3])


def test_no_word_of_a_file_becomes_a_formula() -> None:
    rows = 'echo_us,mark,=name\n1748,=1+1,-2\n1749,"@now, later",+3\n1750,-5,4\n'
    found = convert(rows)
    assert [row["mark"] for row in found] == ["'=1+1", "'@now, later", "-5"]
    assert [row["'=name"] for row in found] == ["-2", "+3", "4"]


def command(*arguments: str, given: str = "") -> subprocess.CompletedProcess[str]:
    environment = {**os.environ, "PYTHONPATH": str(ROOT / "src")}
    return subprocess.run(
        [sys.executable, "-m", "tickstone.cli", "convert", *arguments],
        input=given,
        capture_output=True,
        text=True,
        env=environment,
    )


def test_the_command_line_with_a_rig_and_its_constants(tmp_path) -> None:
    rig = tmp_path / "fern.json"
    rig.write_bytes(RIG_DOCUMENT.dump_json(ranger_and_air()))
    done = command("-", "--rig", str(rig), "--set", "offset=-3", "--column", "air_c=", given=WALK)
    assert done.returncode == 0, done.stderr
    first = next(csv.DictReader(io.StringIO(done.stdout)))
    wanted = run("echo-distance", {"echo_us": 1748, "offset_mm": -3})["distance_mm"]
    assert float(first["front_ranger_distance_mm"]) == pytest.approx(wanted, rel=1e-7)


@pytest.mark.parametrize(
    ("arguments", "said"),
    [
        (["/no/such/file"], "cannot be read"),
        (["-", "--set", "offset=far"], "must be a number"),
        (["-", "--set", "colour=1"], "No sensor has"),
        (["-", "--set", "magnets=0"], "between 1 and 100"),
        (["-", "--column", "x=y.z"], "no column"),
    ],
)
def test_bad_input_exits_two_with_a_sentence(arguments: list[str], said: str) -> None:
    done = command(*arguments, given=WALK)
    assert (done.returncode, done.stdout) == (2, "")
    assert said in done.stderr


def test_a_rig_that_is_none_names_its_field() -> None:
    document = json.loads(RIG_DOCUMENT.dump_json(ranger_and_air()))
    document["board"]["supply_ma"] = "much"
    with pytest.raises(BadInput, match="supply_ma"):
        rig_from_json(json.dumps(document))


def test_the_same_over_http(served: Served) -> None:
    given = WALK * 1
    preview = (
        served.client.post("/api/convert-file/preview", params={"rig": "fern"}, content=given)
        .raise_for_status()
        .json()
    )
    assert [column["role"] for column in preview["columns"]] == ["time", "channel", "channel", ""]
    assert "front_ranger_distance_mm" in preview["header"]
    beside = "t_us,echo_us,distance_in,mark\n0,1748,11.8,\n50000,1750,11.9,wall\n"
    shown = served.client.post("/api/convert-file/preview", content=beside).raise_for_status().json()
    assert [column["role"] for column in shown["columns"]] == ["time", "channel", "plain", ""]
    bare = served.client.post("/api/convert-file", content=given).raise_for_status()
    assert bare.text == command("-", given=given).stdout
    for query, content, code in (
        ({"rig": "moon"}, given, 404),
        ({"column": "echo_us"}, given, 422),
        ({}, "", 422),
    ):
        assert served.client.post("/api/convert-file", params=query, content=content).status_code == code


def test_the_time_is_what_a_person_says_it_is_and_else_what_looks_like_it() -> None:
    rig, text = ranger_and_air(), b"t_ms,stamp,echo_us\n0,7,1748\n50,8,1750\n100,9,1752\n"

    def meanings(**said: Meaning) -> Mapping[str, Meaning | None]:
        return mapped(rig, open_readings(io.BytesIO(text)), said).meanings

    assert meanings()["t_ms"] == Meaning(TIME, unit_us=1000.0)
    echo = Meaning(CHANNEL, "front-ranger", "echo")
    assert meanings(echo_us=echo)["t_ms"] == Meaning(TIME, unit_us=1000.0)
    told = meanings(stamp=Meaning(TIME, unit_us=50_000.0))
    assert (told["t_ms"], told["stamp"]) == (NOTHING, Meaning(TIME, unit_us=50_000.0))


def test_a_distance_in_another_unit_is_given_in_mm_under_its_own_name() -> None:
    first, _ = convert("left_distance_cm,right_distance_in\n23.4,10\n,2\n")
    assert float(first["left_distance_mm"]) == pytest.approx(234)
    assert float(first["right_distance_mm"]) == pytest.approx(254)
    told, _ = convert("echo_us,far_distance_cm,far_distance_mm\n1748,23.4,250\n1750,5,50\n")
    assert told["far_distance_mm"] == "250"  # what the file tells itself is left as it is
