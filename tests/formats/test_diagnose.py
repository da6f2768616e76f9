"""``diagnose`` on files: with a rig, without one, garbled, healthy, and none at all."""

from __future__ import annotations

import io
import json
import subprocess
import sys
from typing import Any

import numpy as np
import pytest

from tests.simulated.score import seeded
from tickstone.core.diagnosis.examine import examine
from tickstone.core.diagnosis.finding import Finding
from tickstone.core.rigs import templates
from tickstone.formats.examined import record_of
from tickstone.formats.opening import open_readings
from tickstone.formats.rig_json import rig_to_json
from tickstone.launch.folders import ROOT

ECHO = np.round(2900 + seeded("echo").normal(0, 8, 400))
HEAD = "t_ms,echo_us"


def lines(values: Any = ECHO) -> list[str]:
    return [HEAD, *(f"{50 * i},{value:.0f}" for i, value in enumerate(values))]


def found(text: str, rig: Any = None) -> list[Finding]:
    return [one for one in examine(record_of(open_readings(io.BytesIO(text.encode())), rig)) if one.accuses]


def diagnose(*arguments: str, given: str = "") -> subprocess.CompletedProcess[str]:
    """The command as a person calls it."""
    return subprocess.run(
        [sys.executable, "-m", "tickstone.cli", "diagnose", *arguments],
        input=given,
        capture_output=True,
        cwd=ROOT,
        env={"PYTHONPATH": "src"},
        text=True,
        timeout=60,
    )


def test_findings_are_json_lines_and_a_healthy_file_has_none(tmp_path: Any) -> None:
    assert diagnose("-", given="\n".join(lines())).stdout == ""
    gone = ECHO.copy()
    gone[seeded("gone").random(400) < 0.1] = 0
    file = tmp_path / "walk.csv"
    file.write_text("\n".join(lines(gone)))
    answer = diagnose(str(file))
    assert (answer.returncode, answer.stderr) == (0, "")
    (one,) = [json.loads(line) for line in answer.stdout.splitlines()]
    assert (one["kind"], one["channel"]) == ("dropouts", "echo_us")
    assert 0.5 <= one["confidence"] <= 1
    assert 0 <= one["start_s"] < one["end_s"] <= 20
    assert set(one) == {
        "kind",
        "channel",
        "start_s",
        "end_s",
        "confidence",
        "evidence",
        "causes",
        "advice",
        "also",
    }


@pytest.mark.parametrize("given", ["", "hello\n", "t_ms,echo_us\n", "\x00\x01\x02"])
def test_what_is_no_file_of_readings_is_refused_in_a_sentence(given: str) -> None:
    answer = diagnose("-", given=given)
    assert (answer.returncode, answer.stdout) == (2, "")
    assert answer.stderr.strip().endswith(".")
    assert "Traceback" not in answer.stderr


def test_what_a_time_counts_is_asked_and_the_choice_told() -> None:
    rows = [f"{second},{300 + second % 7}" for second in range(300)]
    answer = diagnose("-", given="\n".join(["Time,distance_mm", *rows]))
    assert answer.returncode == 0
    assert "milliseconds (1000 rows a second) or seconds (1 row a second)" in answer.stderr
    assert answer.stderr.strip().endswith("taken as milliseconds.")
    assert diagnose("-", given="\n".join(["t_ms,distance_mm", *rows])).stderr == ""


def test_garbled_lines_are_told_from_words_and_from_headings_that_come_again() -> None:
    broken = lines()
    for at in range(20, 400, 30):
        broken[at] = broken[at][:4] + "#~" + broken[at][6:]
    (one,) = found("\n".join(broken))
    assert (one.kind, one.channel) == ("garbled", "line")
    assert "13 of 400 lines" in one.evidence
    assert found("\n".join([*lines()[:200], "Board ready to measure", *lines()[200:]])) == []


def test_a_heading_that_comes_again_is_a_board_that_began_anew() -> None:
    (one,) = found("\n".join([*lines()[:250], *lines()[:120]]))
    assert one.kind == "reset"
    assert one.start_s == pytest.approx(12.45, abs=0.1)


def test_a_rig_tells_what_names_do_not() -> None:
    """A column called left is nothing by itself; to Fern it is the first of its row, where pale reads low."""
    rig = templates.fern()
    random = seeded("row")
    at = 30 * np.sin(np.arange(800) / 90)
    dark = [np.clip(1.3 - np.abs(at - (i - 2) * 12) / 10, 0, 1) for i in range(5)]
    # pale and dark changed over
    counts = [np.round(760 - 580 * one + random.normal(0, 4, 800)) for one in dark]
    names = [f"s{i}" for i in range(1, 6)]
    text = "\n".join(
        [
            ",".join(["t_ms", *names]),
            *(",".join([str(20 * i), *(f"{c[i]:.0f}" for c in counts)]) for i in range(800)),
        ]
    )
    assert found(text) == []
    (one,) = found(text, rig)
    assert (one.kind, one.stream, one.channel) == ("inverted", "line-row", "s1")
    assert rig_to_json(rig)


def test_scales_of_a_rig_are_its_own() -> None:
    """16 384 counts are 1 g in the range of ±2 g alone: a unit set to ±4 g says half."""
    random = seeded("unit")
    rows = [
        f"{20 * i},{random.normal(0, 40):.0f},{random.normal(0, 40):.0f},{8192 + random.normal(0, 40):.0f}"
        for i in range(500)
    ]
    text = "\n".join(["t_ms,ax,ay,az", *rows])
    assert found(text) == []  # ±4 g, for all that a bare file says
    (one,) = found(text, templates.fern())
    assert (one.kind, one.channel) == ("wrong-scale", "az")
    assert "half" in one.evidence


def test_labelled_lines_and_value_change_dumps_are_looked_at_too() -> None:
    values = ECHO.copy()
    values[100:200] = values[100]
    labelled = "\n".join(f"t_us:{50_000 * i} echo_us:{value:.0f}" for i, value in enumerate(values))
    assert [one.kind for one in found(labelled)] == ["stuck"]
    changes = "\n".join(
        f"#{time} {level}!" for at in range(0, 90_000, 3000) for time, level in ((at, 0), (at + 300, 1))
    )
    dump = f"$timescale 10 us $end $var wire 1 ! hall $end $enddefinitions $end\n{changes}\n"
    assert found(dump) == []


def test_the_encoder_of_the_open_recordings_is_healthy() -> None:
    """A hand turned it: periods differ widely, and nothing is wrong with them."""
    for name in ("rotary_encoder_real_us_A.csv", "rotary_encoder_real_us_A.vcd"):
        with (ROOT / "tests" / "reference" / "data" / name).open("rb") as file:
            assert not [one for one in examine(record_of(open_readings(file))) if one.accuses]
