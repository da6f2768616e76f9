"""Edges of pulses in time, with the bounces of a contact told from them."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from tickstone.core.diagnosis.record import EDGE, LEVEL, Array, Flags, Signal, Stream, runs

LEAST_EDGES = 12
LEAST_WAVES, WAVE_NOISES = 4, 8.0  # readings a wave, and how far beyond its noise an analogue one swings
LEAST_BURSTS = 3
APART, APART_LEVELS = 4.0, 2.5  # bounces are at least so many times shorter than periods, or than levels last
BOUNCE_SHARE = 0.15  # of a period, at most: later it is a second mark
MOST_BOUNCES = 8
RAGGED, EVEN = 0.3, 0.08  # unevenness of periods with bounces among them, and without
TURNING = 0.6  # of the levels that last, those that differ from the one before
AROUND = 15  # intervals of which the middle one is the usual period there
WRAPS_S = 2**32 / 1e6  # a 32-bit counter of µs


@dataclass(frozen=True)
class FallingEdges:
    """Falling edges of one signal without bounces: times, shape (n,), s, the step in which they are told, s;
    and of the bounces the times, shape (m,), s, how many edges had some, and the longest, s."""

    times: Array
    step: float
    bounced: Array
    bursts: int = 0
    longest: float = 0.0


def edges_of(stream: Stream, signal: Signal) -> FallingEdges:
    """Falling edges, from their own times (µs) or from levels."""
    if signal.nature == EDGE:
        return _own_edges(signal.known / 1e6, stream.times_s[signal.present], max(stream.tick_s, 1e-6))
    level = signal.known > 0.5
    times = stream.times_s[signal.present]
    changes = np.flatnonzero(level[:-1] != level[1:]) + 1
    sampled = changes.size < 0.4 * times.size  # else rows come only when the level changes
    step = float(np.median(np.diff(times))) if sampled and times.size > 2 else stream.tick_s
    places, low = times[changes], ~level[changes]
    raw = FallingEdges(places[low], step, places[:0])
    gaps = np.diff(places)
    for limit in bounce_limits(gaps, APART_LEVELS):
        clean, turning = _without_brief(places, low, step, limit)
        if turning > TURNING:  # else the short ones are the pulses themselves
            return clean
    if raw.times.size >= LEAST_EDGES and _unevenness(raw.times) > RAGGED:
        # bounces nearly as long as the pulses: whichever limit leaves even periods is the right one
        for limit in np.unique(np.quantile(gaps, np.linspace(0.05, 0.7, 14))).tolist():
            clean, _ = _without_brief(places, low, step, limit * 1.01)
            if (
                clean.bursts >= LEAST_BURSTS
                and clean.times.size >= LEAST_EDGES
                and _unevenness(clean.times) < EVEN
            ):
                return clean
    return raw


def _without_brief(times: Array, low: Flags, step: float, limit: float) -> tuple[FallingEdges, float]:
    """Edges between levels that last for ``limit``, and how many of those levels differ from the one
    before."""
    stays = np.diff(times, append=np.inf) >= limit
    kept, kept_low = times[stays], low[stays]
    turns = np.concatenate([[True], kept_low[1:] != kept_low[:-1]])
    longest = float(np.diff(times)[~stays[:-1]].max()) if (~stays).any() else 0.0
    return FallingEdges(kept[turns & kept_low], step, times[~stays], len(runs(~stays)), longest), float(
        turns.mean()
    )


def _unevenness(times: Array) -> float:
    """How much periods differ from those around them: median of the logarithms' sizes."""
    gaps = np.maximum(np.diff(times), 1e-7)
    return float(np.median(np.abs(np.log(gaps / usual_around(gaps)))))


def _own_edges(times: Array, rows_s: Array, step: float) -> FallingEdges:
    """Edges by their own times, s, on the axis of the rows that told them."""
    wraps = np.diff(times) < -WRAPS_S / 2
    if wraps.any():
        times = times + np.concatenate([[0.0], np.cumsum(np.where(wraps, WRAPS_S, 0.0))])
    if times.size:
        times = times + float(np.median(rows_s - times))
        times = times[np.concatenate([[True], np.diff(times) >= 0])]
    gaps = np.diff(times)
    limit = next(bounce_limits(gaps, APART), None)
    if limit is None:
        return FallingEdges(times, step, times[:0])
    short = np.concatenate([[False], gaps < limit])
    return FallingEdges(times[~short], step, times[short], len(runs(short)), float(gaps[gaps < limit].max()))


def bounce_limits(gaps: Array, apart: float) -> Iterator[float]:
    """Below which lengths an interval may be a bounce and no period, s, the longest first; none where nothing
    bounces.

    Intervals of a bouncing contact fall into two groups with nothing between, ``apart`` times different, and
    only a few bounces follow each other. A wheel that runs up has all lengths between.
    """
    if gaps.size < LEAST_EDGES - 1:
        return
    logs = np.sort(np.log(np.maximum(gaps, 1e-7)))
    for at in np.flatnonzero(np.diff(logs) > np.log(apart))[::-1].tolist():
        limit = float(np.exp((logs[at] + logs[at + 1]) / 2))
        short = gaps < limit
        bursts = [b - a for a, b in runs(short)]
        if (
            len(bursts) >= LEAST_BURSTS
            and (~short).sum() >= LEAST_BURSTS
            and float(np.median(gaps[short])) < BOUNCE_SHARE * float(np.median(gaps[~short]))
            and float(np.median(bursts)) <= MOST_BOUNCES
        ):
            yield limit


def usual_around(gaps: Array, share: float = 0.5) -> Array:
    """The usual interval around each one: a quantile of AROUND of them, shape (n,)."""
    half = AROUND // 2
    padded = np.pad(gaps, half, mode="edge")
    around = np.sort(np.lib.stride_tricks.sliding_window_view(padded, AROUND), axis=1)
    return np.asarray(around[:, round(share * (AROUND - 1))])


def as_level(signal: Signal) -> Signal | None:
    """An analogue signal as a level, low below its middle, with a quarter of its swing as hysteresis; None
    where it hardly swings."""
    x = signal.known
    if x.size < LEAST_WAVES * LEAST_EDGES:
        return None
    low, high = (float(end) for end in np.quantile(x, (0.05, 0.95)))
    if high - low < WAVE_NOISES * max(signal.noise, signal.quantum):
        return None
    swing = high - low
    told = np.where(x > low + 0.625 * swing, 1.0, np.where(x < low + 0.375 * swing, 0.0, np.nan))
    last = np.maximum.accumulate(np.where(np.isfinite(told), np.arange(told.size), 0))
    values = np.full(signal.values.shape, np.nan)
    values[signal.present] = np.nan_to_num(told[last])
    return Signal(signal.name, LEVEL, values)
