"""A recording told again, line by line, as the board told it."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator

from tickstone.core.rigs.labels import labels
from tickstone.errors import BadInput
from tickstone.link.sources import ReplaySource
from tickstone.store import recordings, rigs, samples
from tickstone.store.database import Database

BLOCK_US = 10_000_000
WRAP_US = 2**32


def replay(database: Database, slug: str, recording_id: int, speed: float) -> ReplaySource:
    """A source that tells a rig's recording again. Raises NotFound, and BadInput for a recording that cannot
    be replayed."""
    with database.transaction() as session:
        recording = recordings.recording(session, recording_id)
        if recording.rig_id != rigs.rig_named(session, slug).id:
            raise BadInput("This recording is of another rig.", "recording")
        if recording.status == "live":
            raise BadInput("This recording is still running: stop it first.", "recording")
        if not any(stream.n for stream in recording.streams):
            raise BadInput("This recording is empty: there is nothing to replay.", "recording")
        label_of = labels(rigs.rig_of_revision(session, recording.rig_revision_id))
    return ReplaySource(f"replay of {recording.name}", _lines(database, recording, label_of), speed)


def _lines(
    database: Database, recording: recordings.StoredRecording, label_of: dict[tuple[str, str], str]
) -> Callable[[], Iterator[tuple[float, str]]]:
    streams = [stream for stream in recording.streams if stream.n]
    begin = min(stream.t0 or 0 for stream in streams)
    end = max(stream.t1 or 0 for stream in streams)

    def lines() -> Iterator[tuple[float, str]]:
        for start in range(begin, end + 1, BLOCK_US):
            block: list[tuple[int, str]] = []
            with database.transaction() as session:
                for stream in streams:
                    names = [
                        label_of.get((stream.key, column.channel), column.label) for column in stream.columns
                    ]
                    times, values = samples.rows_between(session, stream, start, start + BLOCK_US - 1)
                    for t, row in zip(times.tolist(), values.T.tolist(), strict=True):
                        block.append((t, _line(t, names, row)))
            block.sort(key=lambda item: item[0])
            for t, line in block:
                yield (t - begin) / 1e6, line

    return lines


def _line(t_us: int, names: list[str], row: list[float]) -> str:
    pairs = [
        f"{name}:{number:.10g}" for name, number in zip(names, row, strict=True) if not math.isnan(number)
    ]
    return " ".join([f"t_us:{t_us % WRAP_US}", *pairs])
