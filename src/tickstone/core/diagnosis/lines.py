"""What is wrong with the line itself: uneven times, lost lines, garbled ones, a board that began anew."""

from __future__ import annotations

import re
from collections.abc import Collection
from dataclasses import replace

import numpy as np

from tickstone.core.diagnosis.finding import Finding, found, ramp
from tickstone.core.diagnosis.record import Array, Record, Stream
from tickstone.core.wording import often, significant

FEWEST_ROWS = 30
GAP = 2.5  # times the usual interval: beyond that it is a pause
MANIFOLD = 0.2  # how near to a whole multiple the gap of a lost line is
EARLY, FEW_EARLY = 0.7, 0.3  # of the usual interval; such intervals for each gap
STEADY, FINE = 0.1, 0.2  # of the usual interval: with more jitter, or coarser steps, a gap tells no lost line
TRIMMED = 0.03  # of the intervals at either end: a pause now and then is no jitter


def find_lines(record: Record) -> list[Finding]:
    """What is wrong with the line, whatever the sensors say."""
    uneven: dict[str, list[Finding]] = {}
    for stream in record.streams:
        for finding in _uneven(stream, record.clock):
            uneven.setdefault(finding.kind, []).append(finding)
    return [*_garbled(record), *_reset(record), *(_of_the_line(many) for many in uneven.values())]


def _of_the_line(many: list[Finding]) -> Finding:
    """What several sensors' lines have together is a matter of the line."""
    surest = max(many, key=lambda finding: finding.confidence)
    return (
        surest
        if len(many) == 1
        else replace(surest, stream="", start_s=min(finding.start_s for finding in many))
    )


def looks_garbled(text: str, names: Collection[str] = ()) -> bool:
    """Whether a line that was not understood was meant to be a reading: words, and a heading of ``names``
    (lower case) that comes again, were not.

    >>> looks_garbled("t_us:12 ec~o_us:174"), looks_garbled("Watch program of Fern")
    (True, False)
    """
    text = text.strip()
    if any((ord(sign) < 32 and sign != "\t") or sign == "\ufffd" or ord(sign) > 126 for sign in text):
        return True
    if names and {cell.strip().lower() for cell in re.split(r"[,;\t]", text)} & set(names):
        return False
    return bool(re.search(r"\d", text)) and len(re.findall(r"[A-Za-z]{3,}", text)) < 2


def _garbled(record: Record) -> list[Finding]:
    if not record.odd_count:
        return []
    share = record.odd_count / max(record.lines, record.odd_count)
    sure = min(
        ramp(record.odd_count, (1, 0.4), (2, 0.55), (5, 0.8), (12, 0.95)),
        ramp(share, (0.0005, 0.4), (0.002, 0.6), (0.01, 0.97)),
    )
    span = (float(record.odd_s[0]), float(record.odd_s[-1])) if record.odd_s.size else record.span_s
    text = f"{record.odd_count} of {record.lines} lines make no sense, such as {record.odd_first[:40]!r}."
    return [found("garbled", "", "line", "", span, sure, text)]


def _reset(record: Record) -> list[Finding]:
    times = record.restarts_s
    if not times.size:
        return []
    when = ", ".join(f"{t:.1f} s" for t in times[:4].tolist()) + (" …" if times.size > 4 else "")
    text = f"the board's clock began anew {often(times.size)}, at {when}."
    sure = ramp(times.size, (1, 0.85), (3, 0.95))
    return [found("reset", "", record.clock, "", (float(times[0]), float(times[-1])), sure, text)]


def time_step(steps: Array) -> float:
    """The step in which times are told, from the intervals between them; 0 for intervals that are all the
    same."""
    told = np.unique(np.round(steps[:20_000], 9))
    apart = np.diff(np.concatenate([[0.0], told]))
    apart = apart[apart > 1e-9]
    return float(apart.min()) if apart.size else 0.0


def _uneven(stream: Stream, clock: str) -> list[Finding]:
    steps = np.diff(stream.times_s)
    if not stream.regular or steps.size < FEWEST_ROWS:
        return []
    usual = float(np.median(steps))
    if usual <= 0:
        return []
    told = time_step(steps)
    tick = max(told if told < usual / 2 else 0.0, stream.tick_s)  # times that are all even tell no step
    regular = np.sort(steps[steps <= GAP * usual])
    cut = int(TRIMMED * regular.size)
    inner = regular[cut : regular.size - cut]
    order = np.diff(steps[steps <= GAP * usual])
    spread = min(float(inner.std()), float(np.median(np.abs(order))) * 1.4826 / np.sqrt(2))
    rounding = min(tick / np.sqrt(6), usual)
    beyond = float(np.sqrt(max(spread**2 - rounding**2, 0.0))) / usual
    findings = []
    span = float(stream.times_s[0]), float(stream.times_s[-1])
    sure = ramp(beyond, (0.05, 0.25), (0.13, 0.5), (0.2, 0.8), (0.4, 0.93))
    if sure > 0.25 and spread > 1.5 * rounding:
        text = (
            f"lines come every {significant(1000 * usual)} ms, give or take {significant(1000 * spread, 2)} "
            f"ms (k = 1); the steps of time make {significant(1000 * rounding, 2)} ms of that."
        )
        findings.append(found("jitter", stream.key, clock, "", span, sure, text))
    whole = np.rint(steps / usual)
    lost = (whole >= 2) & (whole <= 20) & (np.abs(steps / usual - whole) < MANIFOLD + 2 * rounding / usual)
    # a line that is late makes the next one early; a lost one does not
    early = int((steps < EARLY * usual).sum())
    if lost.sum() >= 3 and early < FEW_EARLY * lost.sum() and beyond < STEADY and rounding < FINE * usual:
        missing = int((whole[lost] - 1).sum())
        rows = np.flatnonzero(lost)
        text = (
            f"{missing} of {steps.size + 1 + missing} lines are missing, in {rows.size} places: the gaps are "
            f"whole multiples of {significant(1000 * usual)} ms."
        )
        sure = ramp(missing / steps.size, (0.003, 0.3), (0.015, 0.5), (0.05, 0.75), (0.2, 0.9))
        span = float(stream.times_s[rows[0]]), float(stream.times_s[rows[-1] + 1])
        findings.append(
            found("dropouts", stream.key, clock, "", span, sure, text, "lines are lost on the way")
        )
    return findings
