"""The threads that read a source. One does nothing but take bytes off the line, so that a small buffer never
overflows; the other makes lines of them and hands them on. A source that is lost and can come back is opened
again by itself."""

from __future__ import annotations

import threading
import time
from collections import deque
from collections.abc import Callable

from tickstone.errors import SourceLost
from tickstone.link.lines import LineSplitter
from tickstone.link.sources import LineSource
from tickstone.supervised import LOG, Supervisor

OnLines = Callable[[list[str], float], None]
OnSaid = Callable[[str], None]
CRASHED = "Reading the line failed for a reason that nobody expected; the log in the data folder says which."
AGAIN_S = 0.5  # between two tries to open a source that was lost
MOST_WAITING = 4_000_000  # bytes that were taken and not told yet; what comes beyond them is left out
GATHER_S = 0.01  # lines that come within so long are handed on together
MOST_AT_ONCE = 500  # about so many: others must come to their turn meanwhile
LONGEST_REST_S = 0.25
SKIPPING_S = 0.002  # between two reads whose bytes are left out
TEXT = bytes([9, 10, 13, *range(32, 127)]) + "µ°²±Ω".encode()

Happened = tuple[str, bytes | str, float]  # bytes, skipped, lost, back or over; what came or was said; when


class Reader:
    """Reads an open source until told to stop."""

    def __init__(
        self,
        source: LineSource,
        on_lines: OnLines,
        on_lost: OnSaid,
        on_back: Callable[[], None] = lambda: None,
        on_over: OnSaid | None = None,
        supervisor: Supervisor | None = None,
    ) -> None:
        self._source, self._on_lines, self._on_lost, self._on_back = source, on_lines, on_lost, on_back
        self._on_over = on_over or on_lost
        self._stop = threading.Event()
        self._happened: deque[Happened] = deque()
        self._some = threading.Event()
        # of each read: how many, and how many are no text
        self._bytes: deque[tuple[int, int]] = deque(maxlen=64)
        self._supervisor = supervisor or Supervisor()
        self._threads: list[threading.Thread] = []
        self._crashed = False
        self._skipping = False
        self._taken = self._told = 0  # bytes, each counted by its own thread
        self.left_out = 0  # bytes of a source that sends more than can be read

    @property
    def standin(self) -> bool:
        """Whether a stand-in sends."""
        return self._source.standin

    @property
    def strange_share(self) -> float:
        """Of the bytes that came lately, the share that no text is made of."""
        recent = list(self._bytes)
        return sum(strange for _, strange in recent) / max(1, sum(count for count, _ in recent))

    def start(self) -> None:
        """Begin reading; the source must be open."""
        start, title = self._supervisor.start, self._source.title
        self._threads = [
            start(f"take {title}", self._take, self._stop),
            start(f"tell {title}", self._tell, self._stop),
        ]

    def stop(self) -> None:
        """Stop reading and close the source."""
        self._stop.set()
        self._some.set()
        for thread in self._threads:
            if threading.current_thread() is not thread:
                thread.join(timeout=3)

    # Taking bytes -------------------------------------------------------------------------------------------

    def _add(self, what: str, line: bytes | str = b"") -> None:
        self._happened.append((what, line, time.monotonic()))
        self._some.set()

    def _take(self) -> None:
        if self._crashed and not self._came_back(CRASHED):
            return
        self._crashed = True  # until it ends as it should
        try:
            while not self._stop.is_set():
                try:
                    data = self._source.read()
                except SourceLost as error:
                    self._source.close()
                    if not self._came_back(error.message):
                        break
                    continue
                if data:
                    self._keep(data)
            self._crashed = False
        finally:
            self._source.close()

    def _keep(self, data: bytes) -> None:
        """Let bytes wait for the telling thread, where there is room for them."""
        if self._taken - self._told + len(data) > MOST_WAITING:
            if not self._skipping:
                LOG.warning("%s sends more than can be read", self._source.title)
            self.left_out += len(data)
            self._skipping = True
            self._stop.wait(SKIPPING_S)
            return
        if self._skipping:
            self._skipping = False
            self._add("skipped")
        self._taken += len(data)
        self._add("bytes", data)

    def _came_back(self, why: str) -> bool:
        """Say that the source is lost, and wait until it is there again; False when it does not come back."""
        self._add("lost" if self._source.comes_back else "over", why)
        if not self._source.comes_back or not self._opened_again():
            return False
        self._add("back")
        return True

    def _opened_again(self) -> bool:
        """Try to open the source until it is there again; False when told to stop."""
        while not self._stop.wait(AGAIN_S):
            try:
                self._source.open()
            except SourceLost:
                continue
            return True
        return False

    # Telling lines ------------------------------------------------------------------------------------------

    def _tell(self) -> None:
        splitter = LineSplitter(midstream=self._source.midstream)
        while not self._stop.is_set():
            self._some.wait()
            self._some.clear()
            time.sleep(GATHER_S)
            lines: list[str] = []
            arrival = 0.0
            while self._happened and not self._stop.is_set():
                what, line, at = self._happened.popleft()
                if isinstance(line, bytes) and what == "bytes":
                    self._told += len(line)
                    self._bytes.append((len(line), len(line.translate(None, TEXT))))
                    lines += splitter.feed(line)
                    arrival = at
                    if len(lines) >= MOST_AT_ONCE:
                        lines = self._hand_on(lines, arrival)
                    continue
                lines = self._hand_on(lines, arrival)
                splitter = LineSplitter(midstream=self._source.midstream or what == "skipped")
                self._change(what, str(line))
            self._hand_on(lines, arrival)

    def _hand_on(self, lines: list[str], arrival_s: float) -> list[str]:
        """Tell lines, then rest as long as that took: a flood leaves the others half the time. Returns those
        still to tell: none."""
        if lines and not self._stop.is_set():
            began = time.monotonic()
            self._on_lines(lines, arrival_s)
            took = time.monotonic() - began
            if took > GATHER_S:
                self._stop.wait(min(took, LONGEST_REST_S))
        return []

    def _change(self, what: str, why: str) -> None:
        if what == "back":
            self._on_back()
        elif what == "lost":
            self._on_lost(why)
        elif what == "over":
            self._on_over(why)
