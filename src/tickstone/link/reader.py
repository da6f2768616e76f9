"""The thread that reads a source and hands on lines with their time of arrival."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable

from tickstone.errors import SourceLost
from tickstone.link.lines import LineSplitter
from tickstone.link.sources import Source

OnLines = Callable[[list[str], float], None]
OnLost = Callable[[str], None]


class Reader:
    """Reads an open source until told to stop or until it is lost."""

    def __init__(self, source: Source, on_lines: OnLines, on_lost: OnLost) -> None:
        self._source, self._on_lines, self._on_lost = source, on_lines, on_lost
        self._stop = threading.Event()
        self._thread = threading.Thread(target=self._run, name=f"reader {source.title}", daemon=True)

    def start(self) -> None:
        """Begin reading; the source must be open."""
        self._thread.start()

    def stop(self) -> None:
        """Stop reading and close the source."""
        self._stop.set()
        if threading.current_thread() is not self._thread:
            self._thread.join(timeout=3)

    def _run(self) -> None:
        splitter = LineSplitter()
        try:
            while not self._stop.is_set():
                lines = splitter.feed(self._source.read())
                if lines:
                    self._on_lines(lines, time.monotonic())
        except SourceLost as error:
            self._source.close()
            if not self._stop.is_set():
                self._on_lost(error.message)
        finally:
            self._source.close()
