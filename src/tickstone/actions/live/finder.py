"""Faults in what comes live: looked for again and again, shown while they last."""

from __future__ import annotations

from collections import Counter
from dataclasses import replace

import numpy as np

from tickstone.core.diagnosis.examine import examine
from tickstone.core.diagnosis.finding import Finding
from tickstone.core.diagnosis.record import Record

LOOK_BACK_S = 12.0
PERSISTS = 3  # looks in a row before a finding is shown,
WORDS_STAND = 6  # looks, before the numbers in a finding's words are told anew
GONE_AFTER = 2  # and without it before it goes
FRESH_S, FRESH_ROWS = 4.0, 15  # a fault that was last seen longer ago, or so many readings ago, is mended
ONCE_S = LOOK_BACK_S  # a new beginning happens once, and what a mark has shown stays so
SEEN_ONCE = ("reset", "swapped", "inverted", "wrong-scale")


def _fresh_s(finding: Finding, pace_s: float) -> float:
    """How long ago a fault may have been seen last and still be there, s."""
    return ONCE_S if finding.kind in SEEN_ONCE else max(FRESH_S, FRESH_ROWS * pace_s)


_Key = tuple[str, str]  # kind and stream: which of its channels is the surest may change from look to look


class Finder:
    """Looks at what a rig sent lately, again and again. A finding is shown when it persists, and goes when it
    is mended."""

    def __init__(self) -> None:
        self._seen: Counter[_Key] = Counter()
        self._missing: Counter[_Key] = Counter()
        self._shown: dict[_Key, Finding] = {}

    @property
    def findings(self) -> tuple[Finding, ...]:
        """What is shown now, the surest first."""
        return tuple(sorted(self._shown.values(), key=lambda finding: -finding.confidence))

    def clear(self) -> None:
        """A new source, or none: what was found before says nothing."""
        self._seen.clear()
        self._missing.clear()
        self._shown = {}

    def look(self, record: Record, now_s: float) -> bool:
        """Look once; returns whether what is shown has changed."""
        before, shown = self._shown.keys(), dict(self._shown)
        paces = {
            stream.key: float(np.median(np.diff(stream.times_s)))
            for stream in record.streams
            if stream.times_s.size > 2
        }
        current = {
            (finding.kind, finding.stream): finding
            for finding in examine(record)
            if finding.accuses and finding.end_s >= now_s - _fresh_s(finding, paces.get(finding.stream, 0.0))
        }
        for key in {*self._seen, *current}:
            if key in current:
                self._seen[key] += 1
                self._missing[key] = 0
                if self._seen[key] >= PERSISTS:
                    shown[key] = self._settled(key, shown.get(key), current[key])
            else:
                self._missing[key] += 1
                if key not in shown or self._missing[key] >= GONE_AFTER:
                    shown.pop(key, None)
                    del self._seen[key], self._missing[key]
        self._shown = shown  # at once, since others read it meanwhile
        return before != shown.keys()

    def _settled(self, key: _Key, old: Finding | None, new: Finding) -> Finding:
        """The finding with words that stand long enough to be read."""
        if old is None or self._seen[key] % WORDS_STAND == 0:
            return new
        return replace(old, start_s=new.start_s, end_s=new.end_s)
