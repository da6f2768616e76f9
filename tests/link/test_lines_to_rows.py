"""From bytes to rows: nothing shifts, nothing crashes, what is not understood is counted and kept."""

from __future__ import annotations

import socket
import threading
import time
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.rigs import ranger_and_air
from tickstone.core.rows import Batch
from tickstone.errors import BadInput, SourceLost, StoreAway
from tickstone.link import recorder as recorder_module
from tickstone.link.clock import WRAP_US, DeviceClock
from tickstone.link.interpreter import Interpreter, OddLine, Reading
from tickstone.link.lines import LONGEST_LINE, LineSplitter
from tickstone.link.reader import Reader
from tickstone.link.recorder import Recorder
from tickstone.link.sources import LineSource, ReplaySource, SerialSource, TcpSource
from tickstone.standin.board import SWALLOWED, SimBoard
from tickstone.standin.client import StandInProcess


@given(st.lists(st.text(st.characters(codec="ascii", categories=["L", "N", "P"]), min_size=1)), st.data())
def test_lines_come_out_whole_however_the_bytes_are_cut(lines: list[str], data: st.DataObject) -> None:
    ends = data.draw(
        st.lists(st.sampled_from([b"\n", b"\r\n", b"\r"]), min_size=len(lines), max_size=len(lines))
    )
    stream = b"".join(line.encode() + end for line, end in zip(lines, ends, strict=True))
    splitter, found = LineSplitter(), []
    while stream:
        size = data.draw(st.integers(1, len(stream)))
        found += splitter.feed(stream[:size])
        stream = stream[size:]
    assert found == lines


def test_an_endless_line_is_cut_and_memory_stays_bounded() -> None:
    splitter = LineSplitter()
    assert splitter.feed(b"x" * LONGEST_LINE) == []
    assert len(splitter.feed(b"x")[0]) == LONGEST_LINE
    assert splitter.feed(b"\xff\n") == ["\ufffd"]


def test_the_first_line_after_opening_may_have_lost_its_head_and_is_left_out() -> None:
    splitter = LineSplitter(midstream=True)
    assert splitter.feed(b"57\nt_us:") == []
    assert splitter.feed(b"1 echo_us:2\r\n") == ["t_us:1 echo_us:2"]


@pytest.mark.parametrize("size", [1, 7, 4096])
def test_garbled_lines_of_the_stand_in_never_pass_as_wrong_values(size: int) -> None:
    board = SimBoard(ranger_and_air(), seed=5)
    board.move({"board.fault.garbled": 1})
    interpreter, splitter, odd, good = Interpreter(ranger_and_air()), LineSplitter(), 0, 0
    stream = b"".join(
        line[:-1].encode() if line.endswith(SWALLOWED) else line.encode() + b"\n"
        for line in board.lines(200_000_000)
    )
    for start in range(0, len(stream), size):
        for text in splitter.feed(stream[start : start + size]):
            found = interpreter.read(text, 0.0)
            if isinstance(found, OddLine):
                odd += 1
                continue
            good += 1
            echo = found.values.get(("front-ranger", "echo"), 4928)
            assert echo == 0 or abs(echo - 4928) < 60
    assert odd > 300
    assert good > 3000


def test_the_clock_unwraps_a_roll_over() -> None:
    clock = DeviceClock()
    assert clock.place(WRAP_US - 20_000, 0.0).t_us == 0
    placed = clock.place(30_000, 0.05)
    assert (placed.t_us, placed.segment) == (50_000, 0)


def test_stamps_in_ms_roll_over_at_their_own_32_bits() -> None:
    clock, wrap = DeviceClock(), WRAP_US * 1000
    assert clock.place(wrap - 2_000, 0.0, wrap).t_us == 0
    assert clock.place(3_000, 0.005, wrap).t_us == 5_000


def test_lines_without_a_time_are_placed_by_their_arrival_and_a_gap_is_a_segment() -> None:
    clock = DeviceClock()
    assert clock.arrived(10.0).t_us == 0
    assert clock.arrived(10.5).t_us == 500_000
    assert clock.place(77, 11.0).t_us == 1_000_000
    assert clock.place(50_077, 11.05).t_us == 1_050_000
    clock.interrupted()
    placed = clock.place(5, 13.05)
    assert (placed.t_us, placed.segment) == (3_050_000, 1)


def test_a_replay_may_run_faster_than_life() -> None:
    clock = DeviceClock(pace=20.0)
    clock.place(0, 0.0)
    assert clock.place(60_000_000, 3.0).t_us == 60_000_000


def test_a_silence_longer_than_the_counter_is_kept() -> None:
    clock = DeviceClock()
    clock.place(0, 0.0)
    assert clock.place(100, 2 * WRAP_US / 1e6).t_us == 2 * WRAP_US + 100


def test_a_reset_begins_a_segment_and_one_wrong_stamp_does_not() -> None:
    clock = DeviceClock()
    for ping in range(3):
        clock.place(100_000_000 + ping * 50_000, ping * 0.05)
    assert clock.place(900, 0.15) is None
    assert clock.place(100_200_000, 0.20).segment == 0
    assert clock.place(50, 0.25) is None
    placed = clock.place(50_050, 0.30)
    assert placed.segment == 1
    assert placed.t_us == pytest.approx(300_000, abs=1)


@dataclass(frozen=True)
class Told:
    """What a board printed: when, s of true time, and the stamp; ``segment`` counts its starts."""

    at_s: float
    stamp_us: int
    segment: int


EVERY_S, BOOT_S = 0.02, 0.8


def printed(begins_us: int, resets_s: Sequence[float], long_s: float) -> list[Told]:
    """A line every EVERY_S, the first with the stamp ``begins_us``; after a reset BOOT_S of silence."""
    told, starts = [], [(0.0, begins_us), *((at + BOOT_S, 0) for at in resets_s)]
    for segment, (start, stamp_us) in enumerate(starts):
        end = resets_s[segment] if segment < len(resets_s) else long_s
        for line in range(round((end - start) / EVERY_S)):
            at = line * EVERY_S
            told.append(Told(start + at, (stamp_us + round(at * 1e6)) % WRAP_US, segment))
    return told


def placed_late(told: Sequence[Told], stalls: Sequence[tuple[float, float]]) -> list[tuple[float, int]]:
    """Where a clock puts lines, s and segment, when the reader stands still for (from, long), s; lines that
    were refused at first are put where they belong."""
    clock, placed, refused = DeviceClock(), [], 0
    for line in told:
        arrival = max((at + long for at, long in stalls if at <= line.at_s < at + long), default=line.at_s)
        found = clock.place(line.stamp_us, arrival)
        if found is None:
            refused += 1
            continue
        if found.refused_us is not None:
            placed.append(((found.t_us - found.refused_us) / 1e6, found.segment))
            refused -= 1
        placed.append((found.t_us / 1e6, found.segment))
    assert refused == 0
    return placed


@pytest.mark.parametrize("stall_s", [0.5, 1.0, 2.0, 3.0, 10.0, 30.0])
@pytest.mark.parametrize("begins_us", [0, WRAP_US - 26_000_000, WRAP_US - 41_000_000])
def test_a_late_reader_bends_no_time_over_a_roll_over_or_not(stall_s: float, begins_us: int) -> None:
    told = printed(begins_us, [], 90.0)
    placed = placed_late(told, [(20.0, stall_s), (20.0 + stall_s + 0.4, 1.5), (60.0, stall_s)])
    assert {segment for _, segment in placed} == {0}
    assert [at for at, _ in placed] == pytest.approx([line.at_s for line in told], abs=2e-6)


@pytest.mark.parametrize("stall_s", [0.5, 3.0, 10.0, 30.0])
@pytest.mark.parametrize("begins_us", [7_000_000, WRAP_US - 26_000_000, WRAP_US - 10_000_000])
@pytest.mark.parametrize("resets_s", [(22.0,), (20.1, 40.0), (55.0,)])
def test_a_reset_within_a_backlog_is_one_and_time_stays_true(
    stall_s: float, begins_us: int, resets_s: tuple[float, ...]
) -> None:
    told = printed(begins_us, resets_s, 90.0)
    placed = placed_late(told, [(20.0, stall_s)])
    assert [segment for _, segment in placed] == [line.segment for line in told]
    times = [at for at, _ in placed]
    assert times == sorted(times)
    # how long a board was away within a backlog nobody can know; it is never made longer
    short = [line.at_s - at for line, at in zip(told, times, strict=True)]
    assert min(short) > -0.05
    assert max(short) <= len(resets_s) * (BOOT_S + 0.05)


def test_a_buffer_that_ran_over_before_the_first_line_is_no_reset() -> None:
    told = [
        *printed(500_000, [], 40.0)[:40],
        *printed(500_000, [], 40.0)[1500:],
    ]  # ¾ s is kept, 29 s are lost
    placed = placed_late(told, [(0.0, 30.0)])
    assert {segment for _, segment in placed} == {0}
    assert placed[-1][0] == pytest.approx(told[-1].at_s, abs=1e-5)


def test_after_a_greeting_a_stamp_that_falls_back_is_a_reset_even_near_a_roll_over() -> None:
    clock = DeviceClock()
    clock.place(WRAP_US - 500_000, 0.0)
    clock.greeted()
    assert clock.place(200_000, 0.9).segment == 1
    assert clock.place(220_000, 0.92).segment == 1
    clock.greeted()  # words, and stamps go on: it did not start
    assert clock.place(240_000, 0.94).segment == 1


class Listening:
    """Collects what a reader hands on."""

    def __init__(self) -> None:
        self.lines: list[str] = []
        self.lost: list[str] = []
        self.back = 0

    def _came_back(self) -> None:
        self.back += 1

    def start(self, source: LineSource) -> Reader:
        source.open()
        reader = Reader(source, lambda lines, _: self.lines.extend(lines), self.lost.append, self._came_back)
        reader.start()
        return reader

    def wait(self, condition) -> None:
        deadline = time.monotonic() + 10
        while not condition(self) and time.monotonic() < deadline:
            time.sleep(0.01)
        assert condition(self)


@pytest.fixture(scope="module")
def standin() -> Iterator[StandInProcess]:
    process = StandInProcess(ranger_and_air(), seed=3, lines_per_s=50)
    yield process
    process.stop()


def told_again() -> Iterator[tuple[float, str]]:
    return ((i * 0.02, f"t_us:{i * 20_000} echo_us:4928") for i in range(500))


@pytest.fixture(params=["serial", "tcp", "replay"])
def source(request: pytest.FixtureRequest, standin: StandInProcess) -> LineSource:
    standin.hands({"board.fault.unplug": 0})
    if request.param == "serial":
        return SerialSource(standin.serial_path)
    return (
        TcpSource(*standin.tcp_address) if request.param == "tcp" else ReplaySource("told again", told_again)
    )


def test_every_source_gives_lines_in_order_and_stops_when_asked(source: LineSource) -> None:
    heard = Listening()
    reader = heard.start(source)
    heard.wait(lambda h: len(h.lines) > 60)
    reader.stop()  # returns: it waits for no line
    interpreter = Interpreter(ranger_and_air())
    found = [
        read for read in (interpreter.read(line, 0.0) for line in heard.lines) if isinstance(read, Reading)
    ]
    stamps = [read.stamp_us for read in found if ("front-ranger", "echo") in read.values]
    assert len(found) == len(heard.lines)
    assert len(set(np.diff(stamps))) == 1
    assert heard.lost == []
    with pytest.raises(SourceLost, match="closed"):
        source.read()


def test_every_source_opens_again_after_it_was_closed(source: LineSource) -> None:
    for _ in range(3):
        heard = Listening()
        reader = heard.start(source)
        heard.wait(lambda h: len(h.lines) > 5)
        reader.stop()


@pytest.mark.parametrize("source", ["serial", "tcp"], indirect=True)
def test_a_lost_source_says_so_and_goes_on_by_itself(source: LineSource, standin: StandInProcess) -> None:
    heard = Listening()
    reader = heard.start(source)
    for times in (1, 2, 3):
        before = len(heard.lines)
        heard.wait(lambda h, before=before: len(h.lines) > before + 5)
        standin.hands({"board.fault.unplug": 1})
        heard.wait(lambda h, times=times: len(h.lost) == times)
        standin.hands({"board.fault.unplug": 0})
        heard.wait(lambda h, times=times: h.back == times)
    reader.stop()


def test_a_replay_keeps_its_pace_and_says_when_it_is_over() -> None:
    for speed in (100.0, 10.0):
        heard = Listening()
        begun = time.monotonic()
        heard.start(ReplaySource("told again", told_again, speed))
        heard.wait(lambda h: h.lost)
        took = time.monotonic() - begun
        assert took >= 9.98 / speed * 0.9
        assert heard.lines == [line for _, line in told_again()]
        assert "to its end" in heard.lost[0]
    for wrong in (0.0, -1.0, float("nan"), 1e9):
        with pytest.raises(BadInput, match="speed"):
            ReplaySource("told again", told_again, wrong)


def test_a_source_on_the_net_is_called_by_its_name_or_else_by_its_address() -> None:
    assert TcpSource("127.0.0.1", 7001).title == "127.0.0.1:7001"
    assert TcpSource("127.0.0.1", 7001, "the stand-in").title == "the stand-in"


def test_a_source_that_is_not_there_says_so() -> None:
    with pytest.raises(SourceLost, match="no such port"):
        SerialSource("/dev/tick-stone-none").open()
    with socket.create_server(("127.0.0.1", 0)) as taken:
        port = taken.getsockname()[1]
    with pytest.raises(SourceLost, match="nothing listens"):
        TcpSource("127.0.0.1", port).open()
    with pytest.raises(BadInput, match="baud"):
        SerialSource("/dev/null", 1234)
    with pytest.raises(BadInput, match="port"):
        TcpSource("127.0.0.1", 0)


class Sink:
    """A store that can be away."""

    def __init__(self) -> None:
        self.away = False
        self.rows: list[int] = []
        self.odd: list[str] = []

    def append(self, recording_id: int, batch: Batch) -> None:
        assert recording_id == 1
        if self.away:
            raise StoreAway("away")
        for rows in batch.rows.values():
            self.rows += rows.times
        self.odd += [text for _, text, _ in batch.odd_lines]


def test_the_counter_moves_only_after_a_commit() -> None:
    sink = Sink()
    recorder = Recorder(1, sink)
    recorder.take("a", 0, 1, (5.0,))
    assert recorder.progress.committed == 0
    sink.away = True
    assert not recorder.flush()
    recorder.take("a", 0, 2, (6.0,))
    assert (recorder.progress.committed, recorder.progress.away) == (0, "store-away")
    sink.away = False
    assert recorder.flush()
    assert sink.rows == [1, 2]
    assert (recorder.progress.committed, recorder.progress.away) == (2, "")


def test_the_buffer_is_bounded_and_counts_what_it_could_not_hold(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(recorder_module, "MOST_WAITING", 10)
    monkeypatch.setattr(recorder_module, "MOST_ODD_LINES", 3)
    sink = Sink()
    sink.away = True
    recorder = Recorder(1, sink)
    for t in range(25):
        recorder.take("a", 0, t, (1.0,))
        recorder.take_odd(t, "?", "why")
    assert recorder.progress.lost == 15
    sink.away = False
    recorder.flush()
    assert sink.rows == list(range(10))
    assert len(sink.odd) == 3


def test_rows_taken_while_another_thread_flushes_are_neither_lost_nor_doubled() -> None:
    sink = Sink()
    recorder = Recorder(1, sink)
    done = threading.Event()
    flusher = threading.Thread(target=lambda: [recorder.flush() for _ in iter(done.is_set, True)])
    flusher.start()
    for t in range(20_000):
        recorder.take("a", 0, t, (1.0,))
    done.set()
    flusher.join()
    recorder.flush()
    assert sink.rows == list(range(20_000))
