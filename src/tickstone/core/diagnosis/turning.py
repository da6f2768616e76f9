"""Chatter, doubled and missed pulses, uneven edges, a level read the other way round: what goes wrong with
pulses in time.

The usual period is not one number: a wheel runs up and slows down. So each interval is held against those
around it."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from scipy.ndimage import median_filter

from tickstone.core.diagnosis.edges import LEAST_EDGES, FallingEdges, as_level, edges_of, usual_around
from tickstone.core.diagnosis.finding import Finding, found, ramp
from tickstone.core.diagnosis.record import (
    EDGE,
    LEVEL,
    LIGHT,
    OTHER,
    Array,
    Flags,
    Record,
    Rows,
    Signal,
    Stream,
    runs,
)
from tickstone.core.noise import MAD_TO_SD
from tickstone.core.wording import significant

AHEAD, FAST = 5, 1.4  # a usual period that changes by so much over twice so many: it runs up or slows down
NEAR = 0.2  # of a whole multiple, either way
PUSHED = 0.12  # of the usual interval, most of those beside pairs are off where a wheel is pushed anew
STEADY = 0.3  # how far neighbours may differ where a multiple is to be believed
LEAST_HALVED, LEAST_PAIRED, LEAST_MISSED = 6, 4, 2
CLEARLY = 0.02  # of the intervals, by which one explanation is better than the other
SLOWEST_S = 0.45
ALIKE, HALF_NEAR = 1.25, 0.12  # how alike periods before a sudden half are, and how near to a half it is
MOST_MISSED = 6  # in one gap
EVENLY = 0.9  # of the runs of short periods: single lost pulses leave half of them odd
EXPLAINED = 0.9  # of the intervals, by an explanation that is to be believed
UNEVEN = 0.6  # two magnets set by hand are never as far from half and half as 3 to 5
EDGE_JITTER = 0.04  # of a period, beyond steps of time: hands and floors do less
NO_SPEED = 0.45  # beyond that there is no speed to speak of: a hand turns it
PATTERNS = (1, 2, 3, 4, 5, 6, 8)  # magnets or marks a turn that may be spaced unevenly
STRETCH = 5  # periods, over which a speed changes evenly
MOST_SLOTS, TURNS_SEEN, PLAINLY = 128, 4, 0.5  # of a disc whose slots wear, and how plainly they return
LOW_SHARE = 0.6  # of a turn that magnets can be near; a latch has half
WAVE_STEADY, WAVES_EXPLAINED, WAVES_PLAIN = 0.12, 0.97, 0.7  # of an analogue encoder that turns steadily
PAUSE, BESIDE_PAUSE = 8.0, 4  # usual periods that make a pause, and how many are looked at on either side
STEADY_BESIDE, SILENCE_SURE = 0.06, 0.6
BRAKES_PER_S2 = 200.0  # pulses/s²: faster than that nothing on wheels stops


def find_pulses(record: Record, stream: Stream, signal: Signal) -> list[Finding]:
    """What is wrong with the pulses of one signal."""
    if signal.nature == OTHER or (signal.nature == LIGHT and not stream.row):
        level = as_level(signal)
        return [] if level is None else _of_waves(stream, level)
    if signal.nature not in (EDGE, LEVEL):
        return []
    edges = edges_of(stream, signal)
    findings = _inverted(stream, signal)
    if edges.bursts:
        findings += _chatter(stream, signal, edges)
    # other levels need not come in even periods
    turns = signal.nature == EDGE or signal.magnet_low is not None
    if turns and edges.times.size >= LEAST_EDGES:
        findings += _multiples(stream, signal, edges)
        findings += _stopped(record, stream, signal, edges)
        findings += _silence(stream, signal, edges)
    return findings


def _of_waves(stream: Stream, signal: Signal) -> list[Finding]:
    """Waves of an analogue encoder that are missing. Only of one that turns steadily: anything else may rise
    and fall as it likes."""
    edges = edges_of(stream, signal)
    gaps = np.maximum(np.diff(edges.times), 1e-7)
    if edges.bursts or gaps.size < 2 * LEAST_EDGES:
        return []
    missed = _as_missed(gaps, edges.step)
    plain = np.abs(np.log(gaps / missed.usual)) < WAVE_STEADY
    if missed.share < WAVES_EXPLAINED or float(plain.mean()) < WAVES_PLAIN or missed.odd.sum() < LEAST_HALVED:
        return []
    if not _steadily(gaps / missed.usual, missed.odd):
        return []
    return [_missed(stream, signal, edges, gaps, missed.usual, missed.odd)]


def _silence(stream: Stream, signal: Signal, edges: FallingEdges) -> list[Finding]:
    """A long pause between pulses that come as always before and after it: a wheel that stops or starts takes
    a few slower ones."""
    gaps = np.maximum(np.diff(edges.times), 1e-7)
    usual = float(np.median(gaps))
    places = np.flatnonzero(gaps > PAUSE * usual)
    if places.size != 1 or not BESIDE_PAUSE <= places[0] < gaps.size - BESIDE_PAUSE:
        return []
    at = int(places[0])
    before, after = gaps[at - BESIDE_PAUSE : at], gaps[at + 1 : at + 1 + BESIDE_PAUSE]
    spread = max(float(np.std(np.delete(gaps, at))) / usual, edges.step / usual, 0.01)
    slowed = max(
        abs(float(before[-1]) / float(np.median(before[:-1])) - 1),
        abs(float(after[0]) / float(np.median(after[1:])) - 1),
    )
    if spread > STEADY_BESIDE or slowed > 4 * spread:
        return []
    text = (
        f"no pulse for {significant(float(gaps[at]))} s, {round(float(gaps[at]) / usual)} periods of "
        f"{significant(1000 * usual)} ms, and right before and after they come as always. A wheel that stops "
        "slows down first: that pulses were lost is likelier than that it stood."
    )
    span = float(edges.times[at]), float(edges.times[at + 1])
    return [found("missed", stream.key, signal.name, signal.nature, span, SILENCE_SURE, text)]


def _chatter(stream: Stream, signal: Signal, edges: FallingEdges) -> list[Finding]:
    real = edges.times.size * (2 if signal.nature == LEVEL else 1)
    usual = float(np.median(np.diff(edges.times))) if edges.times.size > 1 else 0.0
    sure = ramp(edges.bursts / max(real, 1), (0.005, 0.4), (0.02, 0.6), (0.1, 0.85), (0.4, 0.95))
    sure = min(sure, ramp(edges.bursts, (3, 0.6), (8, 0.9), (20, 0.96)))
    text = (
        f"after {edges.bursts} of {real} edges more follow within {significant(1000 * edges.longest, 2)} ms "
        f"({edges.bounced.size} of them), where a period lasts {significant(1000 * usual)} ms."
    )
    span = float(edges.bounced[0]), float(edges.bounced[-1])
    return [found("chatter", stream.key, signal.name, signal.nature, span, sure, text)]


@dataclass(frozen=True)
class _Account:
    """How an explanation fits: which intervals it makes remarkable, which it explains at all, and the usual
    one."""

    odd: Flags
    explained: Flags
    usual: Array

    @property
    def share(self) -> float:
        return float(self.explained.mean())


def _account(odd: Flags, explained: Flags, usual: Array) -> _Account:
    """An account in which stretches that run up or slow down fast say nothing."""
    padded = np.pad(usual, AHEAD, mode="edge")
    change = padded[2 * AHEAD :] / padded[: -2 * AHEAD]
    fast = (change > FAST) | (change < 1 / FAST)
    return _Account(odd & ~fast, explained | fast, usual)


def _as_missed(gaps: Array, step: float) -> _Account:
    """Every interval is a whole number of the usual one."""
    usual = usual_around(gaps)
    whole = np.clip(np.rint(gaps / usual), 1, MOST_MISSED)
    usual = usual_around(gaps / whole)  # again, now that the long ones are known for what they are
    ratio = gaps / usual
    whole = np.clip(np.rint(ratio), 1, MOST_MISSED)
    explained = np.abs(ratio - whole) < _slack(step, usual) * np.sqrt(whole)
    return _account(explained & (whole >= 2), explained, usual)


def _as_doubled(gaps: Array, step: float) -> _Account:
    """Every interval is the usual one, or two that follow each other make one."""
    usual = usual_around(gaps, 0.9)
    slack = _slack(step, usual)
    whole = np.abs(gaps / usual - 1) < slack
    together = np.concatenate([np.abs((gaps[:-1] + gaps[1:]) / usual[:-1] - 1) < slack[:-1], [False]])
    together[:-1] &= (gaps[:-1] < 0.85 * usual[:-1]) & (gaps[1:] < 0.85 * usual[1:])
    pair = np.zeros(gaps.size, np.bool_)
    rows = _disjoint(np.flatnonzero(together & (usual < 2 * SLOWEST_S)))
    pair[rows] = pair[rows + 1] = True
    return _account(pair, whole | pair, usual)


def _slack(step: float, usual: Array) -> Array:
    return np.asarray(NEAR + np.minimum(2 * step / usual, 0.15))


def _multiples(stream: Stream, signal: Signal, edges: FallingEdges) -> list[Finding]:
    """Intervals that are halves or multiples of the usual one, whichever accounts for more of them; and how
    uneven they are where neither does."""
    gaps = np.maximum(np.diff(edges.times), 1e-7)
    turned = _alternating(stream, signal, edges, gaps)
    if turned:
        return turned
    since = _halved_from(gaps)
    if since.sum() >= LEAST_HALVED:
        return [_doubled(stream, signal, edges, since, float(np.median(gaps[~since])))]
    missed, doubled = _as_missed(gaps, edges.step), _as_doubled(gaps, edges.step)
    many, halves = int(missed.odd.sum()), int(doubled.odd.sum())
    if max(missed.share, doubled.share) >= EXPLAINED:
        better = doubled.share > missed.share + CLEARLY or many == 0 or _even(missed.odd, doubled)
        if halves >= LEAST_PAIRED and better and _off_beside(gaps / doubled.usual, doubled.odd) < PUSHED:
            usual_s = float(np.median(doubled.usual))
            return [_doubled(stream, signal, edges, doubled.odd, usual_s)]
        if many >= LEAST_MISSED and missed.share >= EXPLAINED and _steadily(gaps / missed.usual, missed.odd):
            return [_missed(stream, signal, edges, gaps, missed.usual, missed.odd)]
    return _edge_jitter(
        stream, signal, edges, gaps, missed.usual, ~(missed.odd | (doubled.odd & (gaps < 0.7 * missed.usual)))
    )


def _halved_from(gaps: Array) -> Flags:
    """Stretches that begin or end from one period to the next at half of it: no wheel changes its speed like
    that."""
    n = 6
    out = np.zeros(gaps.size, np.bool_)
    if gaps.size < 3 * n:
        return out
    six = np.lib.stride_tricks.sliding_window_view(gaps, n)
    level, even = np.median(six, axis=1), six.max(axis=1) < ALIKE * six.min(axis=1)
    sums = np.stack([six[:, 0] + six[:, 1], six[:, 2] + six[:, 3], six[:, 4] + six[:, 5]])
    largest = six.max(axis=1)
    last = gaps.size - n

    def halves(place: Rows, whole: Array) -> Flags:
        return np.asarray(
            (np.abs(sums[:, place] / whole - 1) < HALF_NEAR).all(axis=0) & (largest[place] < 0.75 * whole)
        )

    before = np.arange(0, last - n + 1)
    sudden = level < SLOWEST_S  # a slower wheel may well change so much from one pulse to the next
    even &= sudden
    begins = before[even[before] & halves(before + n, level[before])] + n
    ends = before[even[before + n] & halves(before, level[before + n])] + n
    events = sorted([(int(at), True) for at in begins] + [(int(at), False) for at in ends])
    since: int | None = 0 if events and not events[0][1] else None
    for index, begin in events:
        if begin:
            since = index if since is None else since
        elif since is not None:
            out[since:index] = True
            since = None
    if since is not None:
        out[since:] = True
    return out


def _even(twice: Flags, doubled: _Account) -> bool:
    """Where both accounts fit: halves come in even numbers between whole periods, single pulses do not."""
    inner = [b - a for a, b in runs(~twice) if a > 0 and b < twice.size]
    return (
        doubled.share > EXPLAINED
        and len(inner) >= 5
        and sum(length % 2 == 0 for length in inner) >= EVENLY * len(inner)
    )


def _beside(ratio: Array, odd: Flags) -> Array:
    """By how much the intervals beside the remarkable ones are off the usual one, as a share of it."""
    beside = np.concatenate([[False], odd[:-1]]) | np.concatenate([odd[1:], [False]])
    return np.asarray(np.abs(ratio[beside & ~odd] - 1))


def _steadily(ratio: Array, odd: Flags) -> bool:
    """Whether the intervals beside the remarkable ones are as usual: a wheel that stands and goes has
    others."""
    off = _beside(ratio, odd)
    return bool(off.size and float((off < STEADY).mean()) > 0.7)


def _off_beside(ratio: Array, odd: Flags) -> float:
    """By how much most intervals beside the remarkable ones are off: those of a wheel that is pushed again
    are long before it, and short after it."""
    off = _beside(ratio, odd)
    return float(np.median(off)) if off.size else 0.0


def _disjoint(rows: Rows) -> Rows:
    """Of neighbouring positions every other one: pairs do not share an interval."""
    taken: list[int] = []
    for place in rows.tolist():
        if not taken or place > taken[-1] + 1:
            taken.append(place)
    return np.asarray(taken, np.intp)


def _doubled(stream: Stream, signal: Signal, edges: FallingEdges, pair: Flags, usual_s: float) -> Finding:
    count = int(pair.sum())
    rows = np.flatnonzero(pair)
    sure = ramp(count, (2, 0.4), (4, 0.55), (8, 0.75), (20, 0.92))
    shorts = np.diff(edges.times)[pair]
    text = (
        f"{count} of {pair.size} periods are about half ({significant(1000 * float(np.median(shorts)))} ms) "
        f"the usual {significant(1000 * usual_s)} ms, two by two."
    )
    span = edges.times[rows[0]], edges.times[rows[-1] + 1]
    return found("doubled", stream.key, signal.name, signal.nature, span, sure, text)


def _missed(
    stream: Stream, signal: Signal, edges: FallingEdges, gaps: Array, usual: Array, twice: Flags
) -> Finding:
    count = int(twice.sum())
    rows = np.flatnonzero(twice)
    whole = np.rint(gaps[twice] / usual[twice]).astype(int)
    kinds = ", ".join(
        f"{int((whole == n).sum())} are {n}×" for n in range(2, MOST_MISSED + 1) if (whole == n).any()
    )
    sure = ramp(count, (2, 0.52), (3, 0.65), (6, 0.82), (20, 0.95))
    text = (
        f"of {gaps.size} periods {kinds} the usual {significant(1000 * float(np.median(usual)))} ms: "
        f"{int((whole - 1).sum())} pulses are missing."
    )
    span = edges.times[rows[0]], edges.times[rows[-1] + 1]
    return found("missed", stream.key, signal.name, signal.nature, span, sure, text)


def _alternating(stream: Stream, signal: Signal, edges: FallingEdges, gaps: Array) -> list[Finding]:
    """Periods in turn long and short, further from even than two magnets ever are: one mark that is counted
    twice."""
    if gaps.size < LEAST_EDGES or (signal.pulses_per_turn or 1) > 1:
        return []
    odd, even = gaps[: gaps.size // 2 * 2 : 2], gaps[1::2]
    share = np.minimum(odd, even) / np.maximum(odd, even)
    if float(np.median(share)) > UNEVEN or float((share < 0.75).mean()) < 0.9:
        return []
    whole = odd + even
    if whole.size > 4 and float(np.median(np.abs(np.diff(whole)) / whole[1:])) > NEAR:
        return []
    short = float(np.median(np.minimum(odd, even)))
    text = (
        f"periods are in turn {significant(1000 * short)} ms and "
        f"{significant(1000 * float(np.median(np.maximum(odd, even))))} ms: further from half and half than "
        "two marks would be."
    )
    span = edges.times[0], edges.times[-1]
    return [
        found(
            "doubled",
            stream.key,
            signal.name,
            signal.nature,
            span,
            ramp(gaps.size, (12, 0.55), (30, 0.75)),
            text,
        )
    ]


def _edge_jitter(
    stream: Stream, signal: Signal, edges: FallingEdges, gaps: Array, usual: Array, plain: Flags
) -> list[Finding]:
    """How uneven periods are, beyond what marks at uneven places and steps of time make."""
    log = np.log(gaps / usual)
    if plain.sum() < 3 * LEAST_EDGES:
        return []
    spreads: list[float] = []
    most = max(PATTERNS[-1], signal.pulses_per_turn or 1)
    for n in {*PATTERNS, most}:
        if gaps.size < 6 * n:
            continue
        spreads.append(_spread_of_steps(log, plain, n))
    uneven = min(spreads) if spreads else 0.0
    for n in range(most + 1, min(MOST_SLOTS, gaps.size // TURNS_SEEN) + 1):
        spread = _spread_of_steps(log, plain, n)
        if spread < PLAINLY * uneven:
            uneven = spread
    rounding = edges.step / np.sqrt(6) / float(np.median(usual))
    beyond = float(np.sqrt(max(uneven**2 - rounding**2, 0.0)))
    if not EDGE_JITTER <= beyond <= NO_SPEED or rounding > beyond:
        return []
    text = (
        f"periods differ from their neighbours by {100 * uneven:.0f} % (k = 1) around "
        f"{significant(1000 * float(np.median(usual)))} ms, with no pattern that returns each turn; steps "
        f"of time make {100 * rounding:.1f} %."
    )
    sure = ramp(beyond, (EDGE_JITTER, 0.4), (0.055, 0.55), (0.1, 0.8), (0.2, 0.92))
    span = edges.times[0], edges.times[-1]
    return [found("jitter", stream.key, signal.name, signal.nature, span, sure, text)]


def _spread_of_steps(log: Array, plain: Flags, n: int) -> float:
    """By how much periods differ from those n before, as logarithms (k = 1), beyond what a speed that changes
    evenly makes of them; inf where no plain ones are so far apart."""
    steps = (log[n:] - log[:-n])[plain[n:] & plain[:-n]]
    if not steps.size:
        return math.inf
    uneven = steps - median_filter(steps, STRETCH, mode="nearest")
    return MAD_TO_SD * float(np.median(np.abs(uneven))) / math.sqrt(2)


def _inverted(stream: Stream, signal: Signal) -> list[Finding]:
    """A magnet is near for a small part of a turn: a level that is low for most of it is read the wrong way
    round."""
    if signal.nature != LEVEL or signal.magnet_low is None:
        return []
    times, level = stream.times_s[signal.present], signal.known > 0.5
    low = ~level if signal.magnet_low else level
    starts = np.flatnonzero(~low[:-1] & low[1:]) + 1
    if starts.size < 4:
        return []
    gaps = np.diff(times, append=times[-1])
    shares = np.add.reduceat(np.where(low, gaps, 0.0), starts)[:-1] / np.maximum(
        np.add.reduceat(gaps, starts)[:-1], 1e-12
    )
    share = float(np.median(shares))
    if share < LOW_SHARE:
        return []
    sure = ramp(share, (LOW_SHARE, 0.5), (0.75, 0.8), (0.9, 0.93)) * ramp(starts.size, (4, 0.8), (8, 1.0))
    text = (
        f"in {shares.size} turns it says \u201cmagnet near\u201d for {100 * share:.0f} % of the time; a "
        "magnet passes in far less."
    )
    span = times[starts[0]], times[starts[-1]]
    return [found("inverted", stream.key, signal.name, signal.nature, span, sure, text)]


def _stopped(record: Record, stream: Stream, signal: Signal, edges: FallingEdges) -> list[Finding]:
    """Pulses that end from one to the next at a speed from which nothing stops so fast."""
    end = record.span_s[1]
    gaps = np.diff(edges.times)
    last = float(np.median(gaps[-5:]))
    silent = end - float(edges.times[-1])
    if (
        silent < max(1.0, 20 * last)
        or not _counted_elsewhere(record, stream, signal)
        or 0.5 / last**2 < BRAKES_PER_S2
    ):
        return []
    if float(gaps[-1]) > 1.5 * last:
        return []
    text = (
        f"pulses came every {significant(1000 * last)} ms to the last one, and none for {silent:.1f} s "
        "since: from that speed nothing on wheels stops within one pulse."
    )
    return [found("stuck", stream.key, signal.name, signal.nature, (float(edges.times[-1]), end), 0.7, text)]


def _counted_elsewhere(record: Record, stream: Stream, signal: Signal) -> bool:
    """Whether time goes on beside these edges: a file of edges alone ends with its last one."""
    return any(item is not stream and item.times_s.size for item in record.streams) or signal.nature == LEVEL
