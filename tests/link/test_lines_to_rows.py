"""From bytes to rows: nothing shifts, nothing crashes, what is not understood is counted and kept."""

from __future__ import annotations

import socket
import threading
import time
from collections.abc import Iterator

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tickstone.core.rows import Batch
from tickstone.errors import BadInput, SourceLost, StoreAway
from tickstone.link import recorder as recorder_module
from tickstone.link.clock import WRAP_US, DeviceClock
from tickstone.link.lines import LONGEST_LINE, LineSplitter
from tickstone.link.parser import Field, OddLine, Reading, parse
from tickstone.link.reader import Reader
from tickstone.link.recorder import Recorder
from tickstone.link.sources import SerialSource, Source, TcpSource
from tickstone.standin.bench import Bench, Hands
from tickstone.standin.client import StandInProcess

FIELDS = {"echo_us": Field("front-ranger", "echo", 0, 400_000), "air_c": Field("air", "air", -273, 1000)}


@given(st.lists(st.text(st.characters(codec="ascii", categories=["L", "N", "P"]), min_size=1)), st.data())
def test_lines_come_out_whole_however_the_bytes_are_cut(lines: list[str], data: st.DataObject) -> None:
    ends = data.draw(st.lists(st.sampled_from([b"\n", b"\r\n", b"\r"]), min_size=len(lines), max_size=len(lines)))
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
    assert len(splitter.feed(b"x")[0]) == LONGEST_LINE + 1
    assert splitter.feed(b"\xff\n") == ["\ufffd"]


def test_our_own_line_format() -> None:
    assert parse("t_us:50000 echo_us:1457 air_c:21.5", FIELDS) == Reading(50000, {"echo_us": 1457.0, "air_c": 21.5})
    assert parse("air_c:-3 t_us:0", FIELDS) == Reading(0, {"air_c": -3.0})


@pytest.mark.parametrize(
    ("line", "why"),
    [
        ("echo_us:1457", "no t_us"),
        ("t_us:1", "no reading"),
        ("t_us:1 echo_us:14?7", "not a label:number pair"),
        ("t_us:1 echo_us:14t_us:2 echo_us:1460", "not a label:number pair"),
        ("t_us:1 echo_us:1 echo_us:2", "stands twice"),
        ("t_us:1 t_us:2 echo_us:1", "stands twice"),
        ("t_us:1 ecno_us:1457", "no sensor"),
        ("t_us:1 echo_us:1457 1457", "not a label:number pair"),
        ("t_us:1 echo_us:400001", "cannot be"),
        ("t_us:1 echo_us:-5", "cannot be"),
        ("t_us:1 echo_us:nan", "not a label:number pair"),
        ("t_us:4294967296 echo_us:1", "32-bit"),
        ("t_us:1.5 echo_us:1", "32-bit"),
        ("boot ok", "not a label:number pair"),
        ("\x00\x00", "not a label:number pair"),
    ],
)
def test_a_garbled_line_is_kept_as_text_with_why(line: str, why: str) -> None:
    found = parse(line, FIELDS)
    assert isinstance(found, OddLine)
    assert why in found.why
    assert "\x00" not in found.text


@given(st.text(max_size=300))
def test_no_text_crashes_the_parser(text: str) -> None:
    assert isinstance(parse(text, FIELDS), Reading | OddLine)


def test_garbled_lines_of_the_stand_in_never_pass_as_wrong_values() -> None:
    bench = Bench(seed=5)
    bench.set(Hands(target_mm=850, faults=("garbled",)))
    splitter, wrong, odd, good = LineSplitter(), 0, 0, 0
    for ping in range(4000):
        line = bench.line(ping * 50_000)
        data = line.rstrip("\x00") + ("" if line.endswith("\x00") else "\n")
        for text in splitter.feed(data.encode()):
            found = parse(text, FIELDS)
            if isinstance(found, OddLine):
                odd += 1
            else:
                good += 1
                echo = found.values.get("echo_us", 4928)
                wrong += not (echo == 0 or abs(echo - 4928) < 60)
    assert odd > 300
    assert good > 3000
    assert wrong == 0


def test_the_clock_unwraps_a_roll_over() -> None:
    clock = DeviceClock()
    assert clock.place(WRAP_US - 20_000, 0.0).t_us == 0
    placed = clock.place(30_000, 0.05)
    assert (placed.t_us, placed.segment) == (50_000, 0)


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


class Listening:
    """Collects what a reader hands on."""

    def __init__(self) -> None:
        self.lines: list[str] = []
        self.lost: list[str] = []

    def start(self, source: Source) -> Reader:
        source.open()
        reader = Reader(source, lambda lines, _: self.lines.extend(lines), self.lost.append)
        reader.start()
        return reader

    def wait(self, condition) -> None:
        deadline = time.monotonic() + 10
        while not condition(self) and time.monotonic() < deadline:
            time.sleep(0.01)
        assert condition(self)


@pytest.fixture(scope="module")
def standin() -> Iterator[StandInProcess]:
    process = StandInProcess(seed=3, rate_hz=50)
    yield process
    process.stop()


@pytest.fixture(params=["serial", "tcp"])
def source(request: pytest.FixtureRequest, standin: StandInProcess) -> Source:
    standin.hands(faults=[])
    if request.param == "serial":
        return SerialSource(standin.serial_path)
    return TcpSource(*standin.tcp_address)


def test_every_source_gives_lines_in_order(source: Source) -> None:
    heard = Listening()
    reader = heard.start(source)
    heard.wait(lambda h: len(h.lines) > 60)
    reader.stop()
    stamps = [r.stamp_us for r in (parse(line, FIELDS) for line in heard.lines[1:]) if isinstance(r, Reading)]
    assert np.all(np.diff(stamps) == 20_000)
    assert heard.lost == []


def test_every_source_says_when_it_is_lost_and_opens_again(source: Source, standin: StandInProcess) -> None:
    heard = Listening()
    heard.start(source)
    heard.wait(lambda h: len(h.lines) > 5)
    standin.hands(faults=["unplug"])
    heard.wait(lambda h: len(h.lost) == 1)
    standin.hands(faults=[])
    again = Listening()
    reader = again.start(source)
    again.wait(lambda h: len(h.lines) > 5)
    reader.stop()


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
    assert (recorder.progress.committed, recorder.progress.store_away) == (0, True)
    sink.away = False
    assert recorder.flush()
    assert sink.rows == [1, 2]
    assert (recorder.progress.committed, recorder.progress.store_away) == (2, False)


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
