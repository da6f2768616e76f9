"""Rows that wait for the store, in a file beside the data: what would be lost if the app ended while the
store is away. One file a recording, one JSON object a line: the heading, batches, how the recording ended."""

from __future__ import annotations

import json
import os
from collections.abc import Iterable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from tickstone.core.rows import Batch, Rows


@dataclass(frozen=True)
class Waiting:
    """A journal as it was read: of which recording, when that began (it tells one database's recordings from
    another's), its batches, and how it ended, where it did."""

    path: Path
    recording_id: int
    began: str
    batches: tuple[Batch, ...]
    ending: tuple[str, str] | None

    @property
    def count(self) -> int:
        """Rows in all batches."""
        return sum(batch.count for batch in self.batches)


class Journal:
    """The journal of one recording; its file is there only while something waits in it."""

    def __init__(self, folder: Path, recording_id: int, began: str) -> None:
        self._path = folder / f"recording-{recording_id}.jsonl"
        self._heading = {"recording": recording_id, "began": began}

    def write(self, batches: Iterable[Batch]) -> None:
        """Add batches; when this returns, they are on disk. Raises OSError where they cannot be."""
        self._add([_packed(batch) for batch in batches])

    def end(self, status: str, why: str) -> None:
        """Write how the recording ended. Raises OSError."""
        self._add([{"status": status, "why": why}])

    def remove(self) -> None:
        """Nothing waits any more."""
        self._path.unlink(missing_ok=True)

    def _add(self, entries: list[dict[str, Any]]) -> None:
        self._path.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
        handle = os.open(self._path, os.O_WRONLY | os.O_CREAT | os.O_APPEND, 0o600)
        before = os.fstat(handle).st_size
        with os.fdopen(handle, "ab") as file:
            try:
                for entry in entries if before else [self._heading, *entries]:
                    file.write(json.dumps(entry).encode() + b"\n")
                file.flush()
                os.fsync(file.fileno())
            except OSError:  # a half line would spoil what comes after it
                os.ftruncate(handle, before)
                raise


def _packed(batch: Batch) -> dict[str, Any]:
    streams = {key: [rows.segments, rows.times, rows.values] for key, rows in batch.rows.items()}
    return {"number": batch.number, "streams": streams, "odd": batch.odd_lines}


def _unpacked(entry: dict[str, Any]) -> Batch:
    rows = {
        key: Rows(segments, times, [tuple(row) for row in values])
        for key, (segments, times, values) in entry["streams"].items()
    }
    return Batch(entry["number"], rows, [(t_us, text, why) for t_us, text, why in entry["odd"]])


def waiting_in(folder: Path) -> list[Path]:
    """The journals in a folder, oldest recording first."""
    return sorted(folder.glob("recording-*.jsonl"), key=lambda path: (len(path.name), path.name))


def read(path: Path) -> Waiting | None:
    """A journal; None where not even its heading can be read. A last line that was cut off is left out: it
    was never called written."""
    entries = []
    for line in path.read_bytes().split(b"\n"):
        try:
            entries.append(json.loads(line))
        except ValueError:
            break
    try:
        heading, *rest = entries
        batches = tuple(_unpacked(entry) for entry in rest if "number" in entry)
        endings = [(entry["status"], entry["why"]) for entry in rest if "status" in entry]
        return Waiting(
            path, heading["recording"], heading["began"], batches, endings[-1] if endings else None
        )
    except (ValueError, KeyError, TypeError):
        return None
