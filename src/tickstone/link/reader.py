"""The thread that reads a source, hands on lines with their time of arrival, and waits for a lost source to come back."""

from __future__ import annotations

import threading
import time
from collections import deque
from collections.abc import Callable

from tickstone.errors import SourceLost
from tickstone.link.lines import LineSplitter
from tickstone.link.sources import Source

OnLines = Callable[[list[str], float], None]
OnSaid = Callable[[str], None]
TEXT = bytes([9, 10, 13, *range(32, 127)]) + "µ°²±Ω".encode()
AGAIN_S = 0.5  # between two tries to open a source that was lost


class Reader:
    """Reads an open source until told to stop. A source that is lost and can come back is opened again by itself."""

    def __init__(
        self, source: Source, on_lines: OnLines, on_lost: OnSaid, on_back: Callable[[], None] = lambda: None,
        on_over: OnSaid | None = None,
    ) -> None:  # fmt: skip
        self._source, self._on_lines, self._on_lost, self._on_back = source, on_lines, on_lost, on_back
        self._on_over = on_over or on_lost
        self._stop = threading.Event()
        self._bytes: deque[tuple[int, int]] = deque(maxlen=64)  # of each read: how many, and how many are no text
        self._thread = threading.Thread(target=self._run, name=f"reader {source.title}", daemon=True)

    @property
    def strange_share(self) -> float:
        """Of the bytes that came lately, the share that no text is made of."""
        recent = list(self._bytes)
        return sum(strange for _, strange in recent) / max(1, sum(count for count, _ in recent))

    def start(self) -> None:
        """Begin reading; the source must be open."""
        self._thread.start()

    def stop(self) -> None:
        """Stop reading and close the source."""
        self._stop.set()
        if threading.current_thread() is not self._thread:
            self._thread.join(timeout=3)

    def _run(self) -> None:
        try:
            while not self._stop.is_set():
                try:
                    self._read()
                except SourceLost as error:
                    self._source.close()
                    if self._stop.is_set():
                        return
                    if not self._source.comes_back:
                        self._on_over(error.message)
                        return
                    self._on_lost(error.message)
                    self._wait_for_it()
        finally:
            self._source.close()

    def _read(self) -> None:
        splitter = LineSplitter(midstream=self._source.midstream)
        while not self._stop.is_set():
            data = self._source.read()
            if data:
                self._bytes.append((len(data), len(data.translate(None, TEXT))))
            lines = splitter.feed(data)
            if lines:
                self._on_lines(lines, time.monotonic())

    def _wait_for_it(self) -> None:
        """Try to open it until it is there again."""
        while not self._stop.wait(AGAIN_S):
            try:
                self._source.open()
            except SourceLost:
                continue
            self._on_back()
            return
