"""Logs of terminals: before each line stands when it arrived. The stamps are taken off, the rest is read as
any file, and where it tells no time of its own the stamps are the time."""

from __future__ import annotations

import math
import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from tickstone.formats.layout import COMMENT
from tickstone.formats.readings import (
    CLOCK,
    NUMBER,
    Array,
    BadLines,
    Block,
    FileSource,
    Named,
    Times,
    moment_us,
)
from tickstone.formats.text import Lines

ARRIVAL = "arrival"
MOSTLY = 0.8  # of the lines that must carry a stamp
DAY_US = 86_400e6
ROLLS_US = DAY_US / 2  # a time of day that falls by more went over midnight
EPOCH_S = (1e9, 1e10)  # 2001 to 2286 as seconds; a thousand times as much as milliseconds
_DAY = r"(?P<day>\d{1,2}:\d{2}:\d{2}(?:[.,:]\d{1,9})?)"
_DATE = r"(?P<date>\d{4}-\d{2}-\d{2}[T ]\d{2}:\d{2}:\d{2}(?:[.,]\d{1,9})?(?:Z|[+-]\d{2}:?\d{2})?)"
# seconds with a fraction, or since 1970: a whole number in brackets is a number of lines, or a reading
_COUNT = r"(?P<count>\d{1,10}\.\d{1,9}|\d{10}|\d{13})"
_STAMP = re.compile(
    rf"\s*(?:(?P<open>[\[(])\s*(?:{_DATE}|{_DAY}|{_COUNT})\s*[\])]"
    rf"|{_DATE.replace('<date>', '<bare_date>')}|{_DAY.replace('<day>', '<bare_day>')})"
    r"(?P<after>\s*(?:->|→|[>|:;,])?\s*)"
)


@dataclass(frozen=True)
class Stamp:
    """When a line arrived, µs, on its own clock: a date's since 1970, else a time of day's or a count's; and
    where the rest of the line begins."""

    us: float
    dated: bool
    of_day: bool
    rest: int


def stamp_of(line: str) -> Stamp | None:
    """The stamp that a line begins with, or None.

    >>> stamp_of("[12:03:59.500] echo:1748").us
    43439500000.0
    >>> stamp_of("[1700000000.25] 12").dated, stamp_of("12, 13") is None
    (True, True)
    """
    match = _STAMP.match(line)
    if match is None or match.end() == len(line):
        return None
    date, day = match["date"] or match["bare_date"], match["day"] or match["bare_day"]
    if day and match["bare_day"] and not match["after"]:
        return None
    if date:
        us = moment_us(date)
        return None if us is None else Stamp(us, True, False, match.end())
    if day:
        hours, minutes, seconds = re.match(r"(\d+):(\d+):(.*)", day).groups()  # type: ignore[union-attr]
        whole = re.sub("[,:]", ".", seconds)
        us = (int(hours) * 3600 + int(minutes) * 60 + float(whole)) * 1e6
        return Stamp(us, False, True, match.end()) if int(hours) < 24 and int(minutes) < 60 else None
    number = float(match["count"])
    for factor in (1.0, 1e-3):
        if EPOCH_S[0] <= number * factor < EPOCH_S[1]:
            return Stamp(number * factor * 1e6, True, False, match.end())
    return Stamp(number * 1e6, False, False, match.end())


def are_stamped(lines: Sequence[str]) -> bool:
    """Whether most lines begin with when they arrived, and something stands behind it."""
    plain = [line for line in lines if line.strip() and not line.startswith(COMMENT)]
    return bool(plain) and sum(stamp_of(line) is not None for line in plain) >= MOSTLY * len(plain)


class Arrivals:
    """Takes stamps off the lines that pass, and keeps when each line arrived, µs; NaN for one without."""

    def __init__(self) -> None:
        self.dated = False
        self._kept: list[Array] = [np.full(1, np.nan)]  # of line 0, which is none
        self._last = -math.inf
        self._days_us = 0.0

    def off(self, blocks: Iterator[Lines]) -> Iterator[Lines]:
        """Lines without their stamps, a block at a time."""
        for lines in blocks:
            texts, times = lines.texts(), np.full(lines.ends.size, np.nan)
            for index, text in enumerate(texts):
                stamp = stamp_of(text)
                if stamp is not None:
                    texts[index] = text[stamp.rest :]
                    times[index] = self._placed(stamp)
            self._kept.append(times)
            yield replace(Lines.of(texts), first=lines.first)

    def _placed(self, stamp: Stamp) -> float:
        self.dated = self.dated or stamp.dated
        us = stamp.us + self._days_us
        if stamp.of_day and us < self._last - ROLLS_US:
            self._days_us += DAY_US
            us += DAY_US
        self._last = us
        return us

    def at(self, lines: Times) -> Array:
        """When lines arrived, by their numbers, shape (n,)."""
        every = np.concatenate(self._kept)
        self._kept = [every]
        return np.asarray(every[lines])


class StampedSource:
    """A file whose lines carried when they arrived, open."""

    def __init__(self, plain: FileSource, arrivals: Arrivals, timed: bool) -> None:
        self.plain, self._arrivals, self._timed = plain, arrivals, timed
        self.format, self.encoding, self.about = plain.format, plain.encoding, plain.about
        self.sample: Mapping[str, Array] = plain.sample
        arrival = Named(ARRIVAL, "", CLOCK if arrivals.dated else NUMBER)
        self.columns = plain.columns if timed else (arrival, *plain.columns)
        self.time: tuple[str, float] | None = plain.time if timed else (ARRIVAL, 1.0)

    @property
    def bad(self) -> BadLines:
        """Lines that were not understood, without their stamps."""
        return self.plain.bad

    @property
    def taken(self) -> int:
        """Bytes read so far."""
        return self.plain.taken

    def blocks(self, **how: Any) -> Iterator[Block]:
        """The rows, a block at a time."""
        for block in self.plain.blocks(**how):
            if self._timed:
                yield block
            else:
                numbers = {ARRIVAL: self._arrivals.at(block.lines), **block.numbers}
                yield replace(block, numbers=numbers)
