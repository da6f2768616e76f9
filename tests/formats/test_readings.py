"""Files of readings of every shape: what they hold, what is not understood by line, what is refused in a
sentence."""

from __future__ import annotations

import io
import json
import os
import subprocess
import sys
from typing import Any
from unittest.mock import Mock, patch

import numpy as np
import polars as pl
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.rigs import ranger_and_air
from tickstone.core.rigs.labels import channels
from tickstone.core.rigs.meanings import CHANNEL, TIME
from tickstone.errors import BadInput
from tickstone.formats import tables
from tickstone.formats import text as text_file
from tickstone.formats.layout import layout_of
from tickstone.formats.mapping import mapped
from tickstone.formats.opening import open_readings
from tickstone.formats.readings import NUMBER, TEXT
from tickstone.formats.summary import summary
from tickstone.formats.vcd import DumpSource
from tickstone.launch.folders import ROOT

NUMBERS = {"t_ms": [0, 20, 40], "echo_us": [1748, 1749.5, 1750], "air_c": [21.5, None, 21.6]}
DUMP = (
    "$date today $end $timescale 10 us $end $scope module wheel $end $var wire 1 ! hall $end $var wire 4 # "
    "code [3:0] $end\n$var real 64 % volts $end $upscope $end $enddefinitions $end\n#0 $dumpvars x! b0 # "
    "r0.5 % $end\n#5 1!\n#7 0! b1010 #\n#9 z! bx01 #\n#12 1! r2.5 %\n"
)


def opened(content: bytes | str) -> tuple[Any, dict[str, list[float | None]]]:
    """A source read whole, and its numbers with None for NaN."""
    source = open_readings(io.BytesIO(content.encode() if isinstance(content, str) else content))
    found: dict[str, list[float | None]] = {}
    for block in source.blocks():
        for name, values in block.numbers.items():
            found.setdefault(name, []).extend(None if v != v else v for v in values.tolist())
    return source, found


def table(separator: str, decimal: str = ".") -> str:
    def cell(value: float | None) -> str:
        return "" if value is None else f"{value:g}".replace(".", decimal)

    rows = [list(NUMBERS), *[[cell(v) for v in row] for row in zip(*NUMBERS.values(), strict=True)]]
    return "".join(separator.join(row) + "\n" for row in rows)


SHAPES = {
    "csv": table(","),
    "tsv": table("\t", ","),
    "semicolons": table(";", ","),
    "bars": table("|"),
    "labelled": "t_ms:0 echo_us:1748 air_c:21.5\nt_ms=20,echo_us=1749.5\nt_ms:40 echo_us:1750 air_c:21.6\n",
    "json-lines": "".join(
        json.dumps(dict(zip(NUMBERS, row, strict=True))) + "\n" for row in zip(*NUMBERS.values(), strict=True)
    ),
}


@pytest.mark.parametrize(
    ("wide", "strange", "encoding"),
    [("le", 0.1, "utf-16-le"), ("be", 0.1, "utf-16-be"), ("le", 0.3, "utf-8"), ("be", 0.3, "utf-8")],
)
def test_text_of_two_bytes_a_letter_has_every_other_byte_empty_and_few_beside(
    wide: str, strange: float, encoding: str
) -> None:
    letters = np.full(1000, ord("7"), f"{'<' if wide == 'le' else '>'}u2")
    letters[: int(1000 * strange)] = 0
    assert text_file.encoding_of(letters.tobytes()) == (encoding, 0)


@pytest.mark.parametrize("format_", list(SHAPES))
@pytest.mark.parametrize(
    "encoding", ["utf-8", "utf-8-sig", "utf-16", "utf-16-le", "utf-16-be", "utf-32", "cp1252"]
)
@pytest.mark.parametrize("end", ["\n", "\r\n", "\r"])
def test_every_shape_in_every_encoding_with_every_ending(format_: str, encoding: str, end: str) -> None:
    source, found = opened(SHAPES[format_].replace("\n", end).encode(encoding))
    assert source.format == format_
    assert found == NUMBERS
    assert source.bad.count == 0


def test_rows_of_plain_numbers_are_read_at_once(monkeypatch: pytest.MonkeyPatch) -> None:
    cell_by_cell = Mock(side_effect=AssertionError("each cell was looked at"))
    monkeypatch.setattr(tables.TableSource, "_block", cell_by_cell)
    assert opened(SHAPES["csv"])[1] == NUMBERS
    with pytest.raises(AssertionError, match="each cell"):
        opened(SHAPES["csv"] + "60,much,21.7\n")


@pytest.mark.parametrize("content", ["12\n13\n", "air_c\n21,5\n22,5\n", "echo_us\n1748\n1749.5\n"])
def test_a_column_alone_has_nothing_between(content: str) -> None:
    assert opened(content)[0].format == "column"


def test_sentences_carry_their_unit() -> None:
    source, found = opened(
        "Greenhouse cart 2\nDistance: 23.4 cm, air is 21 C\nDistance: 23.9 cm, air is 21 C\nDist#nce 7\n"
    )
    assert source.format == "sentences"
    assert [(one.name, one.unit) for one in source.columns] == [("Distance", "cm"), ("air", "C")]
    assert found == {"Distance": [23.4, 23.9], "air": [21, 21]}
    assert [one.line for one in source.bad.first] == [1, 4]


def test_parquet_with_dates_gaps_and_words() -> None:
    file = io.BytesIO()
    when = pl.Series([0, 20_000, 40_000]).cast(pl.Datetime("us"))
    pl.DataFrame(
        {
            "when": when,
            "x": [1.5, None, float("inf")],
            "n": pl.Series([1, 2, 3], dtype=pl.Int16),
            "mark": ["a", None, "b"],
        }
    ).write_parquet(file)
    source, found = opened(file.getvalue())
    assert found == {"when": [0, 20_000, 40_000], "x": [1.5, None, None], "n": [1, 2, 3]}
    assert [one.type for one in source.columns] == ["clock", "number", "number", "text"]


def test_a_value_change_dump_holds_what_did_not_change() -> None:
    """IEEE 1364-2005, clause 18: scalars, vectors, reals; x and z are unknown."""
    source, found = opened(DUMP)
    assert isinstance(source, DumpSource)
    assert source.time == ("time", 10.0)
    assert found == {
        "time": [0, 5, 7, 9, 12],
        "hall": [None, 1, 0, None, 1],
        "code[3:0]": [0, 0, 10, None, None],
        "volts": [0.5, 0.5, 0.5, 0.5, 2.5],
    }
    told = next(iter(open_readings(io.BytesIO(DUMP.encode())).blocks())).is_present("volts")
    assert told.tolist() == [True, False, False, False, True]


def test_dates_are_times() -> None:
    source, found = opened("time,left\n2026-05-14 10:00:00.5,312\n2026-05-14T10:00:01.25Z,313\n")
    assert found["time"][1] - found["time"][0] == 750_000  # type: ignore[operator]
    assert source.columns[0].type == "clock"


@pytest.mark.parametrize(
    ("content", "names"),
    [
        ("12\n13\n", ["1"]),
        ("312 400 780\n313  401 779\n", ["1", "2", "3"]),
        ("s;V\n", None),
        ("time;volts\ns;V\n0,5;1,2\n1,0;1,3\n", ["time", "volts"]),
        ("# a note\n# another\n\nleft,right\n1,2\n", ["left", "right"]),
        ("left,right,\n1,2,\n3,4,\n", ["left", "right", "column 3"]),
        ("left,left\n1,2\n", ["left", "left (2)"]),
        ("air_c\n21,5\n22,5\n", ["air_c"]),
        ('"a ""b""","x, y"\n"1","2"\n', ['a "b"', "x, y"]),
    ],
)
def test_names_of_columns(content: str, names: list[str] | None) -> None:
    if names is None:
        with pytest.raises(BadInput, match="no reading"):
            opened(content)
    else:
        assert [one.name for one in opened(content)[0].columns] == names


def test_what_is_not_understood_is_told_by_line() -> None:
    rows = "t_ms,echo_us\n0,17\n20,x9\n\n40\n# pause\n60,18,5\nt_ms,echo_us\n80,19\n"
    source, found = opened(rows.replace("40\n", "40\xb0\n").encode("cp1252"))
    assert found == {"t_ms": [0, 80], "echo_us": [17, 19]}
    assert [(one.line, one.text) for one in sorted(source.bad.first, key=lambda one: one.line)] == [
        (3, "20,x9"),
        (5, "40°"),
        (7, "60,18,5"),
    ]


@pytest.mark.slow
@given(st.integers(40, 400), st.sampled_from(["\n", "\r\n", "\r"]))
def test_blocks_of_any_size_give_the_same(size: int, end: str) -> None:
    content = (
        "t_us,echo_us,mark\n" + "".join(f"{i * 1000},{1700 + i % 7},m{i}\n" for i in range(60)) + "spoilt\n"
    ).replace("\n", end)
    whole = opened(content)
    with patch.object(text_file, "BLOCK_BYTES", size), patch("tickstone.formats.opening.HEAD_BYTES", size):
        pieces = opened(content)
    assert pieces[1] == whole[1]
    assert [one.line for one in pieces[0].bad.first] == [one.line for one in whole[0].bad.first] == [62]


class Endless(io.RawIOBase):
    """A file that never ends, of one byte; counts what was read of it."""

    def __init__(self, begin: bytes, byte: bytes) -> None:
        super().__init__()
        self.begin, self.byte, self.given = begin, byte, 0

    def read(self, size: int = -1) -> bytes:
        part = self.begin[:size] or self.byte * size
        self.begin = self.begin[size:]
        self.given += len(part)
        return part


@pytest.mark.parametrize(
    "begin", [b"", b"t_us,echo_us\n0,17\n", b"$timescale 1 us $end $var wire 1 ! a $end $comment "]
)
def test_a_line_without_an_end_is_refused_before_it_fills_the_memory(begin: bytes) -> None:
    file = Endless(begin, b"7")
    with pytest.raises(BadInput, match="longer than"):
        for _ in open_readings(file).blocks():  # type: ignore[arg-type]
            pass
    assert file.given < 20_000_000


@pytest.mark.parametrize(
    ("content", "said"),
    [
        (b"", "empty"),
        (b"\n\n", "empty"),
        (b"hello there\n", "Line 1 is 'hello there'"),
        (bytes(range(256)) * 9, "Line 1 holds bytes"),
        (b"PAR1\x00\x01", "damaged or cut short"),
        (b"$timescale 1 us $end $var wire 1 ! a $end", "ends within"),
        (b"$timescale 1 us $end $var wire 1 ! a $end $enddefinitions $end\n#0\n1!\nq\n", "Line [45]"),
        (b"t_us,echo_us\n", "no reading"),
        (b"colour,mood\nred,good\n", "no reading"),
    ],
)
def test_what_cannot_be_read_is_refused_in_a_sentence(content: bytes, said: str) -> None:
    with pytest.raises(BadInput, match=said):
        opened(content)


def test_the_summary_tells_what_stands_there() -> None:
    stamps = [0, 20, 40, 61, 80, 400, 420]
    content = "t_ms,echo_us,supply_v\n" + "".join(
        f"{t},{1700 + t},{5 if i else ''}\n" for i, t in enumerate(stamps)
    )
    found = summary(open_readings(io.BytesIO(content.encode())))
    assert found["channels"] == [
        {"name": "echo_us", "kind": "ultrasonic-ranger", "unit": "µs", "count": 7, "min": 1700, "max": 2120},
        {"name": "supply_v", "kind": "voltage", "unit": "V", "count": 6, "min": 5, "max": 5},
    ]
    assert (found["rows"], found["duration_s"], found["gaps"], found["time"]) == (7, 0.42, 1, "t_ms")
    regular = np.diff(stamps)[np.diff(stamps) < 50]
    assert found["rate_hz"] == pytest.approx(1000 / regular.mean())
    assert found["jitter"] == pytest.approx(regular.std() / regular.mean(), abs=1e-6)
    edges = summary(open_readings(io.BytesIO(b"hall_edge_us\n0\n20000\n60000\n")))
    assert (edges["duration_s"], edges["time"]) == (0.06, "hall_edge_us")
    clock = summary(
        open_readings(
            io.BytesIO(
                b"at,echo_us\n2026-03-01 23:59:59.5,1\n2026-03-02 00:00:00.5,2\n2026-03-02 00:00:02.0,3\n"
            )
        )
    )
    assert (clock["duration_s"], clock["time"], clock["gaps"]) == (2.5, "at", 0)


def read(*files: str, given: bytes = b"") -> subprocess.CompletedProcess[bytes]:
    environment = {**os.environ, "PYTHONPATH": str(ROOT / "src")}
    return subprocess.run(
        [sys.executable, "-m", "tickstone.cli", "read", *files],
        input=given,
        capture_output=True,
        env=environment,
    )


def test_the_command_line_reads_files_and_refuses_the_rest(tmp_path: Any) -> None:
    good, bad = tmp_path / "good.txt", tmp_path / "bad.bin"
    good.write_text("Distance: 23.4 cm\nDist%%\nDistance: 23.5 cm\n")
    bad.write_bytes(os.urandom(4000))
    done = read("-", given=good.read_bytes())
    found = json.loads(done.stdout)
    assert (done.returncode, found["format"], found["bad_lines"]) == (
        0,
        "sentences",
        {"count": 1, "first": [{"line": 2, "text": "Dist%%"}]},
    )
    both = read(str(good), str(bad))
    assert both.returncode == 2
    assert json.loads(both.stdout)["file"] == str(good)
    assert b"bad.bin: " in both.stderr


def test_columns_without_names_are_the_channels_in_order_where_their_number_fits() -> None:
    small = ranger_and_air()
    count = len([one for _, one in channels(small) if one.form != "edge"])
    for columns, time, taken in (
        (count, 0, count),
        (count + 1, 1, count),
        (count + 2, 0, 0),
        (count - 1, 0, 0),
    ):
        text = "".join(",".join(str(900 + 10 * i + j) for j in range(columns)) + "\n" for i in range(30))
        source = open_readings(io.BytesIO(text.encode()))
        meanings = list(mapped(small, source, {}).meanings.values())
        assert sum(one is not None and one.role == TIME for one in meanings) == time
        assert sum(one is not None and one.role == CHANNEL for one in meanings) == taken


@pytest.mark.parametrize(
    ("lines", "types"),
    [
        (["0,red,12", "50,green,13", "100,red,15"], [NUMBER, TEXT, NUMBER]),  # no names
        (["t_ms colour dist", "0 red 12", "50 green 13", "100 red 15"], [NUMBER, TEXT, NUMBER]),
    ],
)
def test_words_in_a_column_are_no_sentence(lines: list[str], types: list[str]) -> None:
    found = layout_of(lines)
    assert found is not None
    assert [column.type for column in found.columns] == types


def test_words_and_numbers_in_turn_are_a_sentence_and_no_table() -> None:
    assert layout_of(["echo 1748 us", "echo 1750 us", "echo 1752 us"]) is None


def test_some_lines_that_end_in_a_separator_are_rows_like_the_others() -> None:
    source, numbers = opened("t_ms,echo_us\n0,1748,\n20,1749\n40,1750,\n60,1751,,\n80\n")
    assert numbers == {"t_ms": [0, 20, 40], "echo_us": [1748, 1749, 1750]}
    assert [line.line for line in source.bad.first] == [5, 6]


def test_a_column_alone_may_have_decimal_commas() -> None:
    source, numbers = opened("level_v\n17,5\n18\n17,6\n17,5\n16\n17,25\n")
    assert [column.name for column in source.columns] == ["level_v"]
    assert numbers["level_v"] == [17.5, 18, 17.6, 17.5, 16, 17.25]


def test_the_line_right_above_the_rows_names_as_many_columns_as_there_are() -> None:
    source, numbers = opened("Trip one\nt_ms,echo_us\n0,1748,\n20,1749,\n40,1750\n60,1751,\n")
    assert [column.name for column in source.columns] == ["t_ms", "echo_us"]
    assert numbers["echo_us"] == [1748, 1749, 1750, 1751]


WRAPPED = "t_us,echo_us\n" + "".join(f"{(2**32 - 2_500_000 + i * 50_000) % 2**32},1748\n" for i in range(100))


@pytest.mark.parametrize("begun", ["8,17\n", "48\n", "us:12 ech,\n", "\xf0~k,3;\n", "0,1748\n50000,1749\n"])
def test_what_was_caught_of_a_line_before_the_names_costs_nothing(begun: str) -> None:
    rows = "".join(f"{i * 50_000},{1748 + i}\n" for i in range(40))
    told = summary(open_readings(io.BytesIO((begun + "t_us,echo_us\n" + rows).encode("latin-1"))))
    assert (told["rows"], told["time"], told["duration_s"]) == (40, "t_us", 1.95)
    assert told["bad_lines"]["count"] == begun.count("\n")
    assert told["bad_lines"]["first"][0]["line"] == 1


def test_a_counter_that_rolls_over_goes_on() -> None:
    told = summary(open_readings(io.BytesIO(WRAPPED.encode())))
    assert (told["duration_s"], told["backward"], told["gaps"], told["rate_hz"]) == (4.95, 0, 0, 20.0)
    began_anew = WRAPPED.replace("4294917296", "4294917")  # far from the end of the counter
    assert summary(open_readings(io.BytesIO(began_anew.encode())))["backward"] == 1


@pytest.mark.parametrize("line", ["{t},{e}", "t_us:{t} echo_us:{e}"])
def test_a_few_bytes_that_no_text_has_cost_their_lines_and_no_more(line: str) -> None:
    head = "t_us,echo_us\n" if "," in line else ""
    lines = [line.format(t=i * 50_000, e=1748 + i).encode() for i in range(40)]
    for at in (0, 9, 20):
        lines[at] = lines[at][:3] + b"\0\0" + lines[at][3:]
    told = summary(open_readings(io.BytesIO(head.encode() + b"\n".join(lines))))
    assert (told["rows"], told["bad_lines"]["count"]) == (37, 3)
    with pytest.raises(BadInput, match="no file of readings"):
        open_readings(io.BytesIO(b"\0".join(lines * 3)))
