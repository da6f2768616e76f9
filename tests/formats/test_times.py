"""Times of files: what a column of them counts, and the stamps that terminals write before each line."""

from __future__ import annotations

import io

import numpy as np
import pytest

from tickstone.core.rigs.meanings import TIME, Meaning
from tickstone.core.rigs.templates import fern
from tickstone.errors import BadInput
from tickstone.formats.mapping import mapped, wanting
from tickstone.formats.opening import open_readings, open_table
from tickstone.formats.pace import MICROS_US, MILLIS_US, SECONDS_US, time_unit
from tickstone.formats.readings import FileSource
from tickstone.formats.summary import summary

ROWS = 40


def opened(text: str) -> FileSource:
    return open_readings(io.BytesIO(text.encode()))


def clock(seconds: float) -> str:
    seconds %= 86_400
    return f"{int(seconds // 3600):02}:{int(seconds // 60) % 60:02}:{seconds % 60:06.3f}"


# What times count -------------------------------------------------------------------------------------------


@pytest.mark.parametrize("rate_hz", [2.0, 10.0, 50.0, 400.0])
@pytest.mark.parametrize(
    ("unit_us", "decimals"), [(SECONDS_US, 4), (MILLIS_US, 0), (MICROS_US, 0)], ids=["s", "ms", "us"]
)
def test_what_a_column_called_time_counts_is_seen_from_its_spacing(
    unit_us: float, decimals: int, rate_hz: float
) -> None:
    """Every unit at every usual rate: rightly told, or asked with the right one among the two."""
    seconds = 12.5 + np.arange(ROWS) / rate_hz
    stamps = np.round(seconds * 1e6 / unit_us, decimals)
    seen = time_unit(stamps)
    assert unit_us in (seen.unit_us, seen.other_us)
    rows = "".join(f"{stamp:.{decimals}f},{1700 + i}\n" for i, stamp in enumerate(stamps))
    said = summary(opened(f"Time,echo_us\n{rows}"))
    if seen.other_us is None:
        assert said["duration_s"] == pytest.approx((ROWS - 1) / rate_hz, rel=0.02)
        assert said["time_doubt"] == ""
    else:
        assert "say which" in said["time_doubt"]


def test_what_may_count_two_things_is_asked_with_what_follows() -> None:
    rows = "".join(f"{i},{1700 + i}\n" for i in range(ROWS))
    source = opened(f"Time,echo_us\n{rows}")
    made = mapped(fern(), source, {})
    asked = wanting(made, None)
    assert asked == (
        "Time may count milliseconds (1000 rows a second) or seconds (1 row a second): say which."
    )
    answered = mapped(fern(), source, {"Time": Meaning(TIME, unit_us=SECONDS_US)})
    assert wanting(answered, None) == ""
    assert answered.time == ("Time", SECONDS_US)


def test_a_name_or_a_unit_that_tells_is_believed() -> None:
    rows = "".join(f"{i},{1700 + i}\n" for i in range(ROWS))
    for name, seconds in (("t_ms", 0.039), ("time (s)", 39.0), ("millis", 0.039)):
        said = summary(opened(f"{name},echo_us\n{rows}"))
        assert said["duration_s"] == pytest.approx(seconds)
        assert said["time_doubt"] == ""


def test_few_rows_or_equal_times_ask_nothing() -> None:
    assert time_unit([]).unit_us == MILLIS_US
    assert time_unit([5, 5, 5, 5]).other_us is None
    assert time_unit([1.5, np.nan]).other_us is None


# Arrival stamps ---------------------------------------------------------------------------------------------

STAMPS = {
    "bracketed": lambda s: f"[{clock(s)}] ",
    "bare": lambda s: f"{clock(s)} -> ",
    "date": lambda s: f"2026-05-14T{clock(s)} ",
    "date in brackets": lambda s: f"[2026-05-14 {clock(s)}] ",
    "epoch": lambda s: f"[{1_700_000_000 + s:.3f}] ",
    "epoch in ms": lambda s: f"[{1_700_000_000_000 + 1000 * s:.0f}] ",
    "uptime": lambda s: f"[{s:12.3f}] ",
}
LINES = {
    "labelled": lambda i: f"echo:{1700 + i}",
    "sentences": lambda i: f"Distance: {23 + i / 10:.1f} cm",
    "json-lines": lambda i: f'{{"echo": {1700 + i}}}',
    "csv": lambda i: f"{1700 + i},20",
}


@pytest.mark.parametrize("stamp", STAMPS)
@pytest.mark.parametrize("format_name", LINES)
def test_stamps_of_a_terminal_are_the_time_of_what_stands_behind_them(stamp: str, format_name: str) -> None:
    text = "".join(f"{STAMPS[stamp](36_000 + i * 0.05)}{LINES[format_name](i)}\n" for i in range(ROWS))
    said = summary(opened(text))
    assert said["format"] == format_name
    assert said["rows"] == ROWS
    assert said["time"] == "arrival"
    assert said["duration_s"] == pytest.approx((ROWS - 1) * 0.05, abs=1e-6)
    assert said["bad_lines"]["count"] == 0


def test_a_night_at_the_terminal_goes_over_midnight() -> None:
    text = "".join(f"[{clock(86_399 + i * 0.05)}] echo:{1700 + i}\n" for i in range(ROWS))
    said = summary(opened(text))
    assert said["duration_s"] == pytest.approx((ROWS - 1) * 0.05, abs=1e-6)
    assert said["backward"] == 0


def test_the_board_s_own_time_goes_before_that_of_arrival() -> None:
    text = "[10:00:00.100] t_ms,echo_us\n" + "".join(
        f"[{clock(36_000 + i * 0.05 + (i % 3) * 0.01)}] {i * 50},{1700 + i}\n" for i in range(ROWS)
    )
    said = summary(opened(text))
    assert (said["time"], said["rows"]) == ("t_ms", ROWS)
    assert said["jitter"] == pytest.approx(0, abs=1e-6)
    with_header = open_table(io.BytesIO(text.encode()))
    assert [column.name for column in with_header.columns] == ["t_ms", "echo_us"]


def test_a_line_without_its_stamp_costs_itself() -> None:
    lines = [f"[{clock(36_000 + i * 0.05)}] echo:{1700 + i}" for i in range(ROWS)]
    lines[7] = "3:59.500] ech"
    lines[20] = lines[20][:11]
    said = summary(opened("\n".join(lines) + "\n"))
    assert said["rows"] == ROWS - 2
    assert said["bad_lines"]["count"] == 2


def test_long_logs_keep_each_line_s_time() -> None:
    """Longer than a block that is read at once."""
    count = 120_000
    text = "".join(
        f"[{clock(1000 + i * 0.01)}] echo:{1700 + i % 50} air:21.5 a:{i % 1024}\n" for i in range(count)
    )
    said = summary(opened(text))
    assert said["rows"] == count
    assert said["duration_s"] == pytest.approx((count - 1) * 0.01, abs=1e-3)
    assert said["gaps"] == 0


def test_a_table_whose_first_column_is_its_time_is_no_log() -> None:
    text = "time,left\n" + "".join(f"2026-05-14 {clock(36_000 + i)},{312 + i}\n" for i in range(ROWS))
    said = summary(opened(text))
    assert (said["time"], said["rows"]) == ("time", ROWS)


def test_lines_that_are_numbered_are_no_log() -> None:
    said = summary(opened("".join(f"[{i}],{1700 + i},20\n" for i in range(1, ROWS))))
    assert said["time"] is None


def test_stamps_before_words_alone_are_no_readings() -> None:
    with pytest.raises(BadInput, match="no reading"):
        opened("".join(f"[{clock(i)}] ready\n" for i in range(ROWS)))


# Words among numbers ----------------------------------------------------------------------------------------


def test_a_word_behind_numbers_costs_nothing() -> None:
    text = "".join(f"dist=23.{i % 10} speed=1.2 state={'left' if i % 2 else 'right'}\n" for i in range(ROWS))
    said = summary(opened(text))
    assert [channel["name"] for channel in said["channels"]] == ["dist", "speed"]
    assert (said["rows"], said["bad_lines"]["count"]) == (ROWS, 0)


def test_a_garbled_number_is_no_word() -> None:
    lines = [f"dist=23.{i % 10} speed=1.2" for i in range(ROWS)]
    lines[5] = "dist=2x.4 speed=1.2"
    said = summary(opened("\n".join(lines) + "\n"))
    assert (said["rows"], said["bad_lines"]["count"]) == (ROWS - 1, 1)
