"""Bytes to lines: encodings and line endings as they come, in blocks of whole lines, so that any size will
do."""

from __future__ import annotations

import codecs
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import BinaryIO

import numpy as np

from tickstone.errors import BadInput
from tickstone.formats.readings import Times

BLOCK_BYTES = 1 << 22
LONGEST_LINE = 1_000_000  # bytes
HEAD_BYTES = 1 << 18  # of which the kind of a file is told
_BOMS = (
    (codecs.BOM_UTF8, "utf-8"),
    (codecs.BOM_UTF32_LE, "utf-32-le"),
    (codecs.BOM_UTF32_BE, "utf-32-be"),
    (codecs.BOM_UTF16_LE, "utf-16-le"),
    (codecs.BOM_UTF16_BE, "utf-16-be"),
)
OLD = "cp1252"  # what a line that is no UTF-8 is read as: common practice on desktops


@dataclass(frozen=True)
class Lines:
    """Whole lines as UTF-8, each ended by LF. ``first`` is the number of the first one, from 1; ``ends`` are
    the places of the LFs, shape (lines,)."""

    first: int
    data: bytes
    ends: Times

    @classmethod
    def of(cls, texts: Sequence[str]) -> Lines:
        """The first lines of a file."""
        data = "".join(f"{text}\n" for text in texts).encode("utf-8", "replace")
        return cls(1, data, np.flatnonzero(np.frombuffer(data, np.uint8) == 10))

    @property
    def starts(self) -> Times:
        """Where each line begins, shape (lines,)."""
        return np.concatenate([[0], self.ends[:-1] + 1]) if self.ends.size else np.zeros(0, np.int64)

    def text(self, index: int) -> str:
        """One line, counted from 0 in this block, without its end."""
        start = int(self.ends[index - 1]) + 1 if index else 0
        return self.data[start : int(self.ends[index])].decode("utf-8", "replace")

    def texts(self) -> list[str]:
        """All lines."""
        return self.data.decode("utf-8", "replace").split("\n")[:-1]


class TextFile:
    """A file of text being read; ``encoding`` is that of its beginning, ``taken`` how many bytes have been
    read."""

    def __init__(self, head: bytes, file: BinaryIO) -> None:
        self._file = file
        self.taken = len(head)
        self.encoding, skip = encoding_of(head)
        self._head = head[skip:]
        if self.encoding == "utf-8" and b"\0" in self._head:
            lines = self._head.split(b"\n")
            strange = [number for number, line in enumerate(lines, 1) if b"\0" in line]
            if len(strange) > len(lines) / 2:  # a few are a broken transfer, and are told line by line
                raise BadInput(
                    f"Line {strange[0]} holds bytes that no text has: this is no file of readings.", "file"
                )

    def blocks(self) -> Iterator[Lines]:
        """The lines, a block at a time. Raises BadInput for a line longer than LONGEST_LINE."""
        number, rest = 1, b""
        for data in self._ended():
            whole, newline, after = data.rpartition(b"\n")
            if not newline:
                rest += after
                self._check(len(rest), number)
                continue
            block = rest + whole + newline
            rest = after
            ends = np.flatnonzero(np.frombuffer(block, np.uint8) == 10)
            longest = int(np.diff(ends, prepend=-1).max())
            if longest > LONGEST_LINE:
                self._check(longest, number + int(np.argmax(np.diff(ends, prepend=-1) > LONGEST_LINE)))
            self._check(len(rest), number + ends.size)
            yield self._readable(number, block, ends)
            number += ends.size
        if rest:
            yield self._readable(number, rest + b"\n", np.array([len(rest)]))

    def _check(self, length: int, number: int) -> None:
        if length > LONGEST_LINE:
            raise BadInput(
                f"Line {number} is longer than {LONGEST_LINE} characters: this is no file of readings.",
                "file",
            )

    def _readable(self, number: int, block: bytes, ends: Times) -> Lines:
        if not block.isascii():
            try:
                block.decode("utf-8")
            except UnicodeDecodeError:
                mended = b"".join(_mended(line) + b"\n" for line in block.split(b"\n")[:-1])
                return Lines(number, mended, np.flatnonzero(np.frombuffer(mended, np.uint8) == 10))
        return Lines(number, block, ends)

    def _ended(self) -> Iterator[bytes]:
        """UTF-8 with LF at the end of each line, in pieces that may cut a line but no CRLF."""
        half = b""
        for data in self._utf8():
            data = half + data
            half = b"\r" if data.endswith(b"\r") else b""
            data = data[: len(data) - len(half)]
            if b"\r" in data:
                data = data.replace(b"\r\n", b"\n").replace(b"\r", b"\n")
            if data:
                yield data
        if half:
            yield b"\n"

    def _utf8(self) -> Iterator[bytes]:
        decoder = None if self.encoding == "utf-8" else codecs.getincrementaldecoder(self.encoding)("replace")
        data, self._head = self._head, b""
        while data:
            yield data if decoder is None else decoder.decode(data).encode("utf-8", "replace")
            data = self._file.read(BLOCK_BYTES)
            self.taken += len(data)
        if decoder is not None:
            yield decoder.decode(b"", True).encode("utf-8", "replace")


def encoding_of(head: bytes) -> tuple[str, int]:
    """The encoding that a file's beginning shows, and the length of the mark that says so. Text without a
    mark is UTF-16 where every other byte is empty, else UTF-8 (lines that are none are read as OLD)."""
    for mark, name in _BOMS:
        if head.startswith(mark):
            return name, len(mark)
    some = np.frombuffer(head[:2000], np.uint8)
    for name, place in (("utf-16-le", 1), ("utf-16-be", 0)):
        if some.size >= 4 and (some[place::2] == 0).mean() > 0.8 and (some[1 - place :: 2] == 0).mean() < 0.2:
            return name, 0
    return "utf-8", 0


def _mended(line: bytes) -> bytes:
    try:
        line.decode("utf-8")
    except UnicodeDecodeError:
        return line.decode(OLD, "replace").encode()
    return line
