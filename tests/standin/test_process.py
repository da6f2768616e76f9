"""The stand-in as a process: its control socket, its lifeline, a serial line read at the wrong speed, and
every template streaming through the real chain: pseudo-terminal, reader, interpreter, conversion."""

from __future__ import annotations

import json
import os
import signal
import socket
import subprocess
import sys
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.conftest import until
from tests.rigs import ranger_and_air
from tickstone import scratch
from tickstone.actions.live.rig import LiveRig
from tickstone.core.rigs.kinds import kind
from tickstone.core.rigs.kinds.base import Ambient
from tickstone.core.rigs.labels import labels
from tickstone.core.rigs.rig import Rig
from tickstone.core.rigs.templates import TEMPLATES, fern, heron, plume, template
from tickstone.core.rigs.usual import usual_values
from tickstone.core.worked import work
from tickstone.errors import BadInput, SourceLost
from tickstone.launch.folders import ROOT
from tickstone.link.sources import SerialSource
from tickstone.standin.client import GRACE_S, StandInProcesses
from tickstone.standin.serial_line import misread

TABLE = ROOT / "docs" / "streams.md"
RIGS = {
    "Fern": fern,
    "Heron": heron,
    "Plume": plume,
    **{one: lambda one=one: template(one) for one in TEMPLATES},
}


@pytest.fixture(scope="module")
def standins():
    made = StandInProcesses(seed=11)
    yield made
    made.stop()


def test_the_control_socket_takes_changes_and_answers_nonsense_with_a_sentence(
    standins: StandInProcesses,
) -> None:
    process = standins.for_rig("control", ranger_and_air())

    def target() -> float:
        return next(hand["value"] for hand in process.hands() if hand["id"] == "front-ranger.target_mm")

    process.hands({"front-ranger.target_mm": 640})
    assert target() == 640
    with pytest.raises(BadInput, match=r"front-ranger\.target must lie between 20 and 6000 mm") as refused:
        process.hands({"front-ranger.target_mm": -1})
    assert refused.value.path == "front-ranger.target_mm"
    with pytest.raises(BadInput, match="no hand"):
        process.hands({"colour": 1})
    with pytest.raises(BadInput, match="does not understand"):
        process.ask(rig={"title": "half a rig"})
    for nonsense in (b"not json\n", b"[1]\n", b'{"set": 3}\n'):
        with socket.socket(socket.AF_UNIX) as line:
            line.connect(str(process.folder / "control"))
            line.sendall(nonsense)
            assert "error" in json.loads(line.makefile().readline())
    with socket.socket(socket.AF_UNIX) as line:
        line.connect(str(process.folder / "control"))
    assert target() == 640
    assert process.truth()["front-ranger"]["distance"] == pytest.approx(640, abs=4)
    assert standins.for_rig("control", fern()) is process
    assert "line-row" in process.truth()
    assert target() == 640  # what was set and still can be stays set
    process.stop()
    with pytest.raises(SourceLost):
        process.hands()
    assert standins.for_rig("control", ranger_and_air()) is not process


def test_it_ends_a_minute_after_nobody_uses_it_and_is_another_when_asked_for_again() -> None:
    now = 0.0
    made = StandInProcesses(clock=lambda: now)
    try:
        first, other = made.for_rig("a", ranger_and_air()), made.for_rig("b", ranger_and_air())
        now = GRACE_S - 1.0
        made.end_unused(["a"])
        now = GRACE_S + 1.0
        made.end_unused([])
        assert (first.running, other.running) == (True, False)
        assert not other.folder.exists()
        assert made.running("b") is None
        now += GRACE_S - 2.0
        assert made.running("a") is first  # somebody looks at it
        now += GRACE_S - 1.0
        made.end_unused([])
        assert first.running
        now += 2.0
        made.end_unused([])
        assert not first.running
        assert made.for_rig("a", ranger_and_air()) is not first
    finally:
        made.stop()


def test_hands_are_shown_before_it_is_started(standins: StandInProcesses) -> None:
    told = standins.for_rig("shown", fern()).hands()
    assert json.loads(json.dumps(standins.at_rest(fern()))) == told


def test_folders_of_a_killed_app_are_taken_away_at_the_next_start(tmp_path: Path, monkeypatch) -> None:
    monkeypatch.setattr("tempfile.tempdir", str(tmp_path))
    ended = subprocess.Popen([sys.executable, "-c", ""])
    ended.wait()
    (tmp_path / f"tick-stone-standin-{ended.pid}-ab12cd34" / "deep").mkdir(parents=True)
    (tmp_path / f"tick-stone-bench-{ended.pid}-ab12cd34").mkdir()
    foreign = tmp_path / "tick-stone-notes"
    foreign.mkdir()
    ours = scratch.folder("standin")
    assert scratch.clean() == 2
    assert sorted(tmp_path.iterdir()) == sorted([foreign, ours])


def test_it_ends_with_the_process_that_started_it() -> None:
    program = (
        "import os, signal\nfrom tickstone.core.rigs.templates import template\n"
        "from tickstone.standin.client import StandInProcesses\n"
        "made = StandInProcesses().for_rig('x', template('T04'))\nprint(made._process.pid, flush=True)\n"
        "os.kill(os.getpid(), signal.SIGKILL)\n"
    )
    found = subprocess.run(
        [sys.executable, "-c", program],
        capture_output=True,
        text=True,
        cwd=ROOT,
        env={**os.environ, "PYTHONPATH": str(ROOT / "src")},
    )
    assert found.returncode == -signal.SIGKILL
    pid = int(found.stdout)
    until(lambda: not _runs(pid))


def _runs(pid: int) -> bool:
    try:
        with open(f"/proc/{pid}/stat") as file:
            return file.read().split()[2] != "Z"
    except FileNotFoundError:
        return False


@given(
    st.binary(max_size=40), st.sampled_from([9600, 19_200, 57_600, 115_200]), st.sampled_from([9600, 115_200])
)
def test_any_bytes_can_be_misread(data: bytes, written_at: int, read_at: int) -> None:
    assert len(misread(data, written_at, read_at)) <= len(data) * max(1, read_at / written_at) + 1


def test_a_line_read_at_its_own_speed_is_itself_and_at_another_no_text() -> None:
    said = b"t_us:123456 echo_us:1457\n" * 20
    assert misread(said, 115_200, 115_200) == said
    slow = misread(said, 9600, 115_200)
    assert len(slow) > len(said)
    for wrong in (slow, misread(said, 115_200, 9600)):
        assert wrong
        assert sum(byte < 9 or byte > 126 for byte in wrong) > 0.2 * len(wrong)


# Every template ---------------------------------------------------------------------------------------------


def watched(
    standins: StandInProcesses, slug: str, rig: Rig, seconds: float = 1.2
) -> tuple[LiveRig, dict[str, dict[str, float]]]:
    """A live rig that has heard a rig's stand-in for a while over its serial port, and what was really so at
    the end."""
    process = standins.for_rig(slug, rig)
    live = LiveRig(rig, {one.id: usual_values(kind(one.kind), rig, one) for one in rig.sensors})
    process.hands(LIVELY.get(slug, {}))
    live.connect(SerialSource(process.serial_path))
    until(lambda: live.view.now_s() > seconds and all(w.readings >= 2 for w in live.intake.watched.values()))
    truth = process.truth()
    live.disconnect()
    process.stop()
    return live, truth


LIVELY: dict[str, dict[str, float]] = {
    "T02": {"wheel.speed_m_s": 4.0, "wheel.gain_m_s2": 10.0},
    "T17": {"wheel.speed_m_s": 5.0, "wheel.gain_m_s2": 10.0},
    "T18": {"encoder-wheel.speed_mm_s": 60.0},
    "T04": {"line.moves_mm_s": 150.0},
}


def right(live: LiveRig, sensor: str, truth: dict[str, float]) -> tuple[str, bool]:
    """What was compared for a sensor in words, and whether it agrees within its own ± (95 %, doubled)."""
    seen, what = live.intake.watched[sensor], live.intake.watched[sensor].kind
    now = live.view.now(sensor)
    asked = {name: number for name, number in now.asked.items() if np.isfinite(number)}
    name, unit = what.quantity.name, what.quantity.unit
    if name not in truth:
        return f"{name}: not told", False
    values = seen.ring.since(0, 20).values
    said = float(np.median(values[np.isfinite(values)]))
    worked = work(what, live.intake.values[sensor], asked, Ambient())
    allowed = max(4 * (worked.sd or 0.0), 0.02 * abs(truth[name]), 10.0**-what.quantity.digits)
    if name == "distance" and what.family == "turning":
        said = float(values[-1])
        allowed = max(allowed, 20.0)  # it goes on while the truth is asked for
    return f"{name}, {unit}".rstrip(", "), abs(said - truth[name]) <= allowed


@pytest.fixture(scope="module")
def table(standins: StandInProcesses) -> list[str]:
    """One line a sensor of every rig: what it sends, what it is turned into, and whether all of it is
    right."""

    def lines_of(slug: str) -> list[str]:
        rig, lines = RIGS[slug](), []
        live, truth = watched(standins, slug, rig)
        names = labels(rig)
        assert live.view.state().garbled == 0, slug
        heard = {label.name for label in live.intake.labels}
        for one in rig.sensors:
            what = kind(one.kind)
            sent = [names[one.id, channel.name] for channel in what.channels_of(one.options)]
            said = [label for label in sent if label in heard]
            compared, agrees = right(live, one.id, truth[one.id])
            lines.append(
                f"| {slug} | {what.title} | {' '.join(said)} | {compared} | {'yes' if agrees else 'NO'} |"
            )
        return lines

    with ThreadPoolExecutor(4) as pool:  # most of it is waiting for readings
        return [line for lines in pool.map(lines_of, RIGS) for line in lines]


@pytest.mark.slow
def test_every_template_streams_with_every_channel_right(table: list[str]) -> None:
    head = [
        "# What every rig streams",
        "",
        "Made by `tests/standin/test_process.py`: each rig's stand-in prints over a pseudo-terminal, the "
        "app reads, converts",
        "with constants that nobody has measured, and what it says is held against what was really so on "
        "the bench, within",
        "twice its own ± (95 %).",
        "",
        "| rig | sensor | labels on the line | compared | right |",
        "|---|---|---|---|---|",
    ]
    made = "\n".join([*head, *table]) + "\n"
    if os.environ.get("TICK_STONE_RENEW"):
        TABLE.write_text(made)
    assert "| NO |" not in made, made
    assert TABLE.read_text() == made, "run with TICK_STONE_RENEW=1 to make the table anew"
