"""Flicker: light or hum at the mains' frequency or twice that, also where slow sampling folds it to another
one."""

from __future__ import annotations

import math

import numpy as np

from tickstone.core.diagnosis.finding import Finding, found, ramp
from tickstone.core.diagnosis.nothing import nothing
from tickstone.core.diagnosis.record import LIGHT, OTHER, RANGING, SOUND, Array, Rows, Signal, Stream
from tickstone.core.wording import significant

MAINS = (
    (100.0, "lamps on 50 Hz mains"),
    (120.0, "lamps on 60 Hz mains"),
    (50.0, "hum of 50 Hz"),
    (60.0, "hum of 60 Hz"),
)
OFF = 0.004  # how far the mains and a board's clock may be off, as a share
BESIDE = 0.05  # of the frequency: the neighbourhood that a line must stand out of
MOST_ROWS = 2048  # that are looked at in one piece
PIECES = 2
FEWEST_ROWS = 64
SLOWEST_HZ = 1.0  # what folds to less cannot be told from things that move
CYCLES = 4.0  # that the folded frequency must go through
SURE_BY = 14.0  # natural logarithm of the odds against chance
OUTSTANDS = 4.0  # times the power of anything beside it
# of full scale (a 10-bit converter's where unknown): less flicker does no harm
FULL_LOW, FULL = 0.009, 1023.0


def find_flicker(stream: Stream, signal: Signal) -> list[Finding]:
    """A line at a mains frequency in the readings of a light sensor or another analogue wire."""
    if signal.nature not in (LIGHT, RANGING, OTHER, SOUND) or signal.quantum == 0:
        return []
    rows = np.flatnonzero(signal.present & ~nothing(stream, signal))
    if rows.size < FEWEST_ROWS:
        return []
    best: tuple[float, float, str, float, tuple[float, float]] | None = None
    for piece in _pieces(rows):
        t, x = stream.times_s[piece], _levelled(signal.values[piece])
        lasted = float(t[-1] - t[0])
        usual = float(np.median(np.diff(t)))
        if usual <= 0 or lasted > 1.5 * usual * piece.size:  # with pauses in it nothing folds as it should
            continue
        rate = (piece.size - 1) / lasted
        for mains_hz, what in MAINS:
            folded = abs(mains_hz - rate * round(mains_hz / rate))
            if folded < max(SLOWEST_HZ, CYCLES / lasted):
                continue
            odds, amplitude, hz = _line_at(t, x, mains_hz, lasted)
            if odds > SURE_BY and (best is None or amplitude > best[1]):
                best = odds, amplitude, what, hz, (float(t[0]), float(t[-1]))
    if best is None:
        return []
    _, amplitude, what, hz, span = best
    full = FULL if signal.ends is None else signal.ends[1] - signal.ends[0]
    share = amplitude / full
    sure = ramp(share, (0.004, 0.3), (FULL_LOW, 0.42), (0.012, 0.56), (0.017, 0.8), (0.04, 0.95))
    rate = 1.0 / float(np.median(np.diff(stream.times_s[rows])))
    folded = abs(hz - rate * round(hz / rate))
    alias = f", seen at {folded:.1f} Hz with {rate:.0f} readings a second" if hz > rate / 2 else ""
    text = (
        f"it swings by ±{significant(amplitude)} at {hz:.1f} Hz{alias}: {what}; noise is "
        f"{significant(signal.noise, 2)}."
    )
    whole = float(stream.times_s[rows[0]]), float(stream.times_s[rows[-1]])
    return [
        found(
            "flicker",
            stream.key,
            signal.name,
            signal.nature,
            whole if rows.size <= MOST_ROWS else span,
            sure,
            text,
        )
    ]


def _pieces(rows: Rows) -> list[Rows]:
    if rows.size <= MOST_ROWS:
        return [rows]
    starts = np.linspace(0, rows.size - MOST_ROWS, PIECES).astype(int)
    return [rows[first : first + MOST_ROWS] for first in starts.tolist()]


def _levelled(x: Array) -> Array:
    """Without level and slope, and with steps and spikes cut to what most readings do."""
    place = np.linspace(-1.0, 1.0, x.size)
    x = x - np.median(x)
    x = x - place * float((place @ x) / (place @ place))
    limit = 6.0 * float(np.median(np.abs(x))) + 1e-12
    return np.asarray(np.clip(x, -limit, limit))


def _line_at(t: Array, x: Array, mains_hz: float, lasted: float) -> tuple[float, float, float]:
    """How surely there is a line at a mains frequency (log odds against chance), its amplitude and its
    frequency.

    The transform is taken at the true frequency with the true times, so folding needs no account of its own,
    and uneven times even help.
    """
    step = 1.0 / (2.0 * lasted)
    inner = np.arange(mains_hz * (1 - OFF), mains_hz * (1 + OFF) + step, step)
    reach = max(BESIDE * mains_hz, 12 / lasted)
    beside = np.linspace(mains_hz - reach, mains_hz + reach, 48)
    beside = beside[np.abs(beside - mains_hz) > OFF * mains_hz + 2.5 / lasted]
    if beside.size < 12:
        return 0.0, 0.0, mains_hz
    window = np.hanning(x.size + 2)[1:-1]
    weighed = x * window
    powers = _powers(t, weighed, np.concatenate([inner, beside]))
    here, around = powers[: inner.size], powers[inner.size :]
    index = int(np.argmax(here))
    floor = float(np.median(around)) / math.log(2) + 1e-12
    odds = float(here[index]) / floor - math.log(inner.size + 1)
    if float(here[index]) < OUTSTANDS * float(np.quantile(around, 0.95)):
        odds = 0.0
    amplitude = 2.0 * math.sqrt(float(here[index])) / float(window.sum())
    return odds, amplitude, float(inner[index])


def _powers(t: Array, x: Array, hz: Array) -> Array:
    phase = np.exp(-2j * np.pi * hz[:, None] * (t - t[0])[None, :])
    return np.asarray(np.abs(phase @ x) ** 2, dtype=np.float64)
