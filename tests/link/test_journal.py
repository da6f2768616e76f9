"""Rows that wait for the store: in memory, and in a file that outlives the app."""

from __future__ import annotations

import math
from pathlib import Path

import pytest

from tickstone.core.rows import Batch
from tickstone.errors import DiskFull, StoreAway
from tickstone.link import journal
from tickstone.link import recorder as recorder_module
from tickstone.link.journal import Journal
from tickstone.link.recorder import Recorder

BEGAN = "2026-05-04T09:30:00+00:00"


class Sink:
    """A store that can be away, or full; a batch that comes twice is kept once, as the real one does."""

    def __init__(self) -> None:
        self.trouble: StoreAway | None = None
        self.batches: dict[int, Batch] = {}

    def append(self, _: int, batch: Batch) -> None:
        if self.trouble is not None:
            raise self.trouble
        self.batches.setdefault(batch.number, batch)

    @property
    def times(self) -> list[int]:
        return [t for batch in self.batches.values() for t in batch.rows["a"].times]


@pytest.fixture(autouse=True)
def at_once(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(recorder_module, "AWAY_S", 0.0)


def recorder_in(folder: Path) -> tuple[Recorder, Sink]:
    sink = Sink()
    return Recorder(7, sink, Journal(folder, 7, BEGAN)), sink


def waiting(folder: Path) -> journal.Waiting:
    read = journal.read(journal.waiting_in(folder)[0])
    assert read is not None
    return read


def test_what_the_store_does_not_take_is_in_the_file_until_it_does(tmp_path: Path) -> None:
    recorder, sink = recorder_in(tmp_path)
    recorder.take("a", 0, 10, (1.5, math.nan))
    assert recorder.flush()
    assert journal.waiting_in(tmp_path) == []
    sink.trouble = StoreAway("away")
    for t in range(20, 50, 10):
        recorder.take("a", 1, t, (0.1 + 0.2, math.nan))
        recorder.take_odd(t, "µ?", "no reading")
        assert not recorder.flush()
    assert (recorder.progress.waiting, recorder.progress.away) == (3, "store-away")
    left = waiting(tmp_path)
    assert (left.recording_id, left.began, left.count, left.ending) == (7, BEGAN, 3, None)
    rows = [row for batch in left.batches for row in batch.rows["a"].values]
    assert [row[0] for row in rows] == [0.1 + 0.2] * 3
    assert all(math.isnan(row[1]) for row in rows)
    assert [batch.odd_lines for batch in left.batches] == [[(t, "µ?", "no reading")] for t in (20, 30, 40)]
    sink.trouble = None
    assert recorder.flush()
    assert sink.times == [10, 20, 30, 40]
    assert journal.waiting_in(tmp_path) == []
    assert (recorder.progress.waiting, recorder.progress.away) == (0, "")


def test_the_file_alone_is_enough_and_nothing_comes_twice(tmp_path: Path) -> None:
    recorder, sink = recorder_in(tmp_path)
    sink.trouble = DiskFull("full")
    for t in range(5):
        recorder.take("a", 0, t, (1.0,))
        recorder.flush()
    assert recorder.progress.away == "disk-full"
    recorder.take("a", 0, 5, (1.0,))
    recorder.rest("cut", "Tick Stone was stopped.")
    recorder.rest("cut", "Tick Stone was stopped.")  # tried again at the next turn
    left = waiting(tmp_path)
    assert left.ending == ("cut", "Tick Stone was stopped.")
    sink.trouble = None
    sink.append(7, left.batches[0])  # it had come, and the answer was lost
    for batch in left.batches:
        sink.append(7, batch)
    assert sink.times == [0, 1, 2, 3, 4, 5]


def test_a_recording_that_has_ended_keeps_its_file_until_it_is_closed(tmp_path: Path) -> None:
    recorder, sink = recorder_in(tmp_path)
    sink.trouble = StoreAway("away")
    recorder.take("a", 0, 1, (1.0,))
    assert not recorder.flush()
    recorder.rest("closed", "")
    sink.trouble = None
    assert recorder.flush()
    assert waiting(tmp_path).ending == ("closed", "")
    recorder.settled()
    assert journal.waiting_in(tmp_path) == []


@pytest.mark.parametrize(("cut", "left"), [(1, 4), (2, 3), (20, 3), (60, 3)])
def test_a_line_that_was_cut_off_takes_nothing_else_with_it(tmp_path: Path, cut: int, left: int) -> None:
    recorder, sink = recorder_in(tmp_path)
    sink.trouble = StoreAway("away")
    for t in range(4):
        recorder.take("a", 0, t, (1.0,))
        recorder.flush()
    (path,) = journal.waiting_in(tmp_path)
    path.write_bytes(path.read_bytes()[:-cut])
    assert [t for batch in waiting(tmp_path).batches for t in batch.rows["a"].times] == [0, 1, 2, 3][:left]


@pytest.mark.parametrize("text", ["", "{}\n", "not a journal\n", '{"recording": 3}\n', "[]\n", '"x"\n'])
def test_a_file_that_is_no_journal_is_none(tmp_path: Path, text: str) -> None:
    path = tmp_path / "recording-3.jsonl"
    path.write_text(text)
    assert journal.read(path) is None


def test_without_room_for_the_file_rows_wait_in_memory(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, caplog: pytest.LogCaptureFixture
) -> None:
    recorder, sink = recorder_in(tmp_path)
    sink.trouble = StoreAway("away")

    def full(_: int) -> None:
        raise OSError(28, "No space left on device")

    recorder.take("a", 0, 1, (1.0,))
    with monkeypatch.context() as patched:
        patched.setattr("tickstone.link.journal.os.fsync", full)
        assert not recorder.flush()
    assert "wait in memory only" in caplog.text
    recorder.take("a", 0, 2, (1.0,))
    assert not recorder.flush()
    assert waiting(tmp_path).count == 2  # what could not be written came with the next
    sink.trouble = None
    assert recorder.flush()
    assert sink.times == [1, 2]
