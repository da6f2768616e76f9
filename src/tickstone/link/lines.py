"""Bytes to lines: CR, LF and CRLF each end one; half lines wait for their rest; endless ones are cut."""

from __future__ import annotations

import re

LONGEST_LINE = 4096
_END = re.compile(rb"\r\n|\r|\n")


class LineSplitter:
    """Collects bytes as they come and hands out whole lines. ``midstream`` says that the first may have lost
    its head: it is left out, since half a number is a number too."""

    def __init__(self, midstream: bool = False) -> None:
        self._half = b""
        self._after_cr = False
        self._headless = midstream

    def feed(self, data: bytes) -> list[str]:
        """The lines that ``data`` completes; empty lines are left out. Bytes that are no text become
        U+FFFD; of an endless line only its beginning is kept."""
        if self._after_cr and data.startswith(b"\n"):
            data = data[1:]
        if data:
            self._after_cr = data.endswith(b"\r")
        *whole, self._half = _END.split(self._half + data)
        if self._headless and whole:
            whole, self._headless = whole[1:], False
        if len(self._half) > LONGEST_LINE:
            whole.append(self._half)
            self._half = b""
        return [line[:LONGEST_LINE].decode("utf-8", "replace") for line in whole if line]
