"""Rows of surface sensors: one that is wired the other way round, two that are changed over, a row that is
turned about."""

from __future__ import annotations

import itertools

import numpy as np

from tickstone.core.diagnosis.finding import Finding, found, ramp
from tickstone.core.diagnosis.record import LIGHT, Flags, Record, Rows, Signal, Stream

GROUND, LINE, LEFT, RIGHT = "ground", "line", "left", "right"
APART_NOISES = 6.0
APART_SHARE = 0.08  # of what the row's sensors change by at most
CLEARLY = 2.0  # a sensor answers a mark so many times more than the one that should
UNDER = 0.6  # of a sensor's swing: the line is under it
FEWEST_HANDED = 12  # times that a line goes from sensor to sensor
LEAPING, TIDY = 0.35, 0.08  # shares of them that leap over one, as it is and with two changed back
MOSTLY = 0.6  # of the row that looks dark on average, though a line is narrow,
IN_MOST = 0.85  # and of the readings in which more than half of it does
SEEN_IN = 0.2  # of the readings a line must be seen
CONTRAST = 0.3  # of the row's swing within one reading
FEWEST_ROWS = 40


def find_in_row(record: Record, stream: Stream) -> list[Finding]:
    """Sensors of a row that contradict the marks, each other, or how the rig has them wired."""
    row = stream.of(LIGHT)
    if not stream.row or len(row) < 2 or stream.times_s.size < FEWEST_ROWS:
        return []
    findings = _against_polarity(record, stream, row) or _against_marks(record, stream, row)
    if not findings and len(row) >= 3:
        findings = _against_neighbours(stream, row)
    return findings or _turned_about(stream, row)


def _where(record: Record, stream: Stream, *words: str) -> Flags:
    here = np.zeros(stream.times_s.shape, np.bool_)
    for truth in record.truths:
        if truth.label.strip().lower() in words:  # whichever sensor was chosen: these words are of rows alone
            here |= (stream.times_s >= truth.t0_s) & (stream.times_s <= truth.t1_s)
    return here


def _middle(signal: Signal, here: Flags) -> float:
    known = signal.values[here & signal.present]
    return float(np.median(known)) if known.size else np.nan


def _span(stream: Stream, here: Flags) -> tuple[float, float]:
    rows = np.flatnonzero(here)
    return float(stream.times_s[rows[0]]), float(stream.times_s[rows[-1]])


def _against_polarity(record: Record, stream: Stream, row: list[Signal]) -> list[Finding]:
    """Between marks of ground and of line all sensors must go the same way, and the way the rig has them
    wired."""
    ground, line = _where(record, stream, GROUND), _where(record, stream, LINE)
    if not ground.any() or not line.any():
        return []
    steps = np.array([_middle(other_signal, line) - _middle(other_signal, ground) for other_signal in row])
    apart = np.array(
        [max(APART_NOISES * other_signal.noise, 3 * other_signal.quantum) for other_signal in row]
    )
    clear = np.isfinite(steps) & (
        np.abs(steps) > np.maximum(apart, APART_SHARE * float(np.nanmax(np.abs(steps))))
    )
    if clear.sum() < 2:
        return []
    signs = np.sign(steps[clear])
    usual = float(np.sign(signs.sum()))
    span = _span(stream, ground | line)
    findings = []
    for signal, step, ok in zip(row, steps, clear, strict=True):
        if ok and usual and np.sign(step) == -usual:
            text = (
                f"from ground to line it goes {'up' if step > 0 else 'down'} by {abs(step):.0f}, the others "
                f"of the row go {'down' if step > 0 else 'up'}."
            )
            findings.append(found("inverted", stream.key, signal.name, LIGHT, span, 0.93, text))
    expected = row[0].pale_low
    if not findings and expected is not None and usual == (-1.0 if expected else 1.0):
        text = (
            f"from ground to line the whole row goes {'down' if usual < 0 else 'up'}, by "
            f"{float(np.median(np.abs(steps[clear]))):.0f}; as the rig has it wired, dark must read "
            + ("high." if expected else "low.")
        )
        findings.append(found("inverted", stream.key, row[0].name, LIGHT, span, 0.85, text))
    return findings


def _against_marks(record: Record, stream: Stream, row: list[Signal]) -> list[Finding]:
    """At a mark of left the leftmost sensor must answer most, at right the rightmost."""
    ground = _where(record, stream, GROUND)
    sides = {LEFT: 0, RIGHT: len(row) - 1}
    wrong: list[tuple[str, int, float, float]] = []
    seen = 0
    marked = np.zeros(stream.times_s.shape, np.bool_)
    for word, place in sides.items():
        here = _where(record, stream, word)
        if not here.any():
            continue
        answers = np.array([_middle(signal, here) for signal in row])
        answers = np.abs(
            answers - ([_middle(signal, ground) for signal in row] if ground.any() else np.median(answers))
        )
        if not np.isfinite(answers).all():
            continue
        marked |= here
        seen += 1
        most = int(np.argmax(answers))
        if (
            most != place
            and answers[most] > CLEARLY * answers[place]
            and answers[most] > APART_NOISES * row[most].noise
        ):
            wrong.append((word, most, float(answers[most]), float(answers[place])))
    if not wrong:
        return []
    text = "; ".join(
        (
            f"with the line under the {word}most sensor {row[most].name} answers by {much:.0f} and "
            f"{row[sides[word]].name} by {little:.0f}"
        )
        for word, most, much, little in wrong
    )
    sure = 0.95 if len(wrong) == 2 else 0.85 if seen == 1 else 0.6
    return [
        found(
            "swapped",
            stream.key,
            row[sides[wrong[0][0]]].name,
            LIGHT,
            _span(stream, marked),
            sure,
            text + ".",
        )
    ]


def _against_neighbours(stream: Stream, row: list[Signal]) -> list[Finding]:
    """A line goes from a sensor to its neighbour: where it seems to leap over one again and again, two are
    changed over."""
    present = np.logical_and.reduce([signal.present for signal in row])
    x = np.stack([signal.values[present] for signal in row])
    if x.shape[1] < FEWEST_ROWS:
        return []
    low, high = np.quantile(x, 0.02, axis=1, keepdims=True), np.quantile(x, 0.98, axis=1, keepdims=True)
    noise = np.array([max(signal.noise, signal.quantum) for signal in row])
    if ((high - low)[:, 0] <= 10 * noise).any() or np.ptp(high - low) > 0.75 * float((high - low).max()):
        return []
    seen = np.clip((x - low) / (high - low), 0, 1)  # the check above leaves no empty swing
    if float(seen.mean()) > 0.5:  # a line is narrow: the rarer side is the line
        seen = 1 - seen
    under = np.argmax(seen, axis=0)[seen.max(axis=0) > UNDER]
    handed = np.flatnonzero(np.diff(under) != 0)
    if handed.size < FEWEST_HANDED:
        return []
    pairs = np.stack([under[handed], under[handed + 1]])
    order = np.arange(len(row))
    leaps = _leaps(pairs, order)
    best, pair = leaps, (0, 0)
    for a, b in itertools.combinations(range(len(row)), 2):
        changed = order.copy()
        changed[a], changed[b] = changed[b], changed[a]
        if _leaps(pairs, changed) < best:
            best, pair = _leaps(pairs, changed), (a, b)
    if leaps < LEAPING or best > TIDY:
        return []
    a, b = pair
    text = (
        f"of {handed.size} times that the line goes from one sensor to another it leaps over one in "
        f"{100 * leaps:.0f} %; with {row[a].name} and {row[b].name} changed back in {100 * best:.0f} %."
    )
    span = float(stream.times_s[0]), float(stream.times_s[-1])
    return [
        found(
            "swapped",
            stream.key,
            row[a].name,
            LIGHT,
            span,
            ramp(leaps - best, (0.3, 0.55), (0.7, 0.85)),
            text,
        )
    ]


def _leaps(pairs: Rows, place: Rows) -> float:
    """Share of hand-overs that are not to a neighbour, with sensors at these places."""
    return float((np.abs(place[pairs[0]] - place[pairs[1]]) > 1).mean())


def _turned_about(stream: Stream, row: list[Signal]) -> list[Finding]:
    """A line is narrow: a row that looks dark nearly everywhere, with one pale place, has dark and pale
    changed over."""
    expected = row[0].pale_low
    if expected is None or len(row) < 4:
        return []
    present = np.logical_and.reduce([signal.present for signal in row])
    x = np.stack([signal.values[present] for signal in row])
    low, high = float(np.quantile(x, 0.02)), float(np.quantile(x, 0.98))
    full = 1023.0 if row[0].ends is None else row[0].ends[1]
    if present.sum() < FEWEST_ROWS or high - low < 0.15 * full:
        return []
    dark = (x > (low + high) / 2) == expected
    contrast = np.ptp(x, axis=0) > CONTRAST * (high - low)
    share = dark[:, contrast].mean(axis=0)
    if (
        contrast.sum() < max(FEWEST_ROWS, SEEN_IN * contrast.size)
        or share.mean() < MOSTLY
        or (share > 0.5).mean() < IN_MOST
    ):
        return []
    text = (
        f"{100 * float(dark[:, contrast].mean()):.0f} % of the row reads dark with a pale place that moves: "
        "a line is narrow, so dark and pale are changed over."
    )
    span = float(stream.times_s[0]), float(stream.times_s[-1])
    return [found("inverted", stream.key, row[0].name, LIGHT, span, 0.75, text)]
