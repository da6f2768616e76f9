"""What the fault finder looks at: streams of signals, what was true meanwhile, and the lines that were no
reading."""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import cached_property

import numpy as np
import numpy.typing as npt

from tickstone.core.noise import MAD_TO_SD

Array = npt.NDArray[np.float64]
Flags = npt.NDArray[np.bool_]
Rows = npt.NDArray[np.intp]

ECHO, DISTANCE, LIGHT, LEVEL, EDGE, COUNTER = "echo", "distance", "light", "level", "edge", "counter"
ACCEL, GYRO, AIR, SUPPLY, SOUND, OTHER = "accel", "gyro", "air", "supply", "sound", "other"
RANGING = "ranging"  # light that tells a distance: it moves with its target

QUANTUM_ROWS = 20_000  # of which the smallest step is told
NOISE_PARTS = 40
PINNED_ROWS = 3  # readings at an end in one piece
HEAP = 5.0  # readings on the top value for each on the one below: a sine's crest has about 2.4
HEAPED_SHARE = 0.01
LONG_ROWS, AGAIN = 6, 3  # equal readings in one piece, and such pieces at one value: noise never does that
SAME_SIDE = 0.9  # of the steps to and from a ceiling
SPREAD = 1.2  # steps of noise, below which equal readings are nothing remarkable

_BY_FORM = {
    ("distance", "µs"): ECHO,
    ("distance", "mm"): DISTANCE,
    ("distance", "counts"): RANGING,
    ("surface", "counts"): LIGHT,
    ("tilt", "counts"): ACCEL,
    ("air", "°C"): AIR,
    ("power", "counts"): SUPPLY,
    ("sound", "counts"): SOUND,
}


def nature_of(family: str, form: str, unit: str, name: str) -> str:
    """What a kind's channel is to the fault finder, by the kind's family and the channel's form, unit and
    name.

    >>> nature_of("distance", "level", "µs", "echo")
    'echo'
    """
    if form in ("edge", "counter"):
        return EDGE if form == "edge" else COUNTER
    if family == "tilt" and name.startswith("g"):
        return GYRO
    result = _BY_FORM.get((family, unit))
    return result or (LEVEL if unit == "" and family in ("surface", "turning") else OTHER)


@dataclass(frozen=True)
class Signal:
    """One channel. ``values``, shape (n,), NaN where it was not told. ``scale`` turns its numbers into mm, g,
    °/s or V (None: not known), ``zero`` is what it says for none of that. ``ends`` are the codes at which it
    is pinned, ``usual`` is what it should come to, where the rig knows. ``pale_low``: pale ground reads low;
    ``magnet_low``: the level is low at a magnet or mark; None where nobody said."""

    name: str
    nature: str
    values: Array
    scale: float | None = None
    zero: float = 0.0
    ends: tuple[float, float] | None = None
    usual: float | None = None
    axis: str = ""
    pale_low: bool | None = None
    magnet_low: bool | None = None
    pulses_per_turn: int | None = None

    @cached_property
    def present(self) -> Flags:
        """Which rows told it, shape (n,)."""
        return np.asarray(np.isfinite(self.values))

    @cached_property
    def known(self) -> Array:
        """The values that were told."""
        return self.values if self.present.all() else self.values[self.present]

    @cached_property
    def quantum(self) -> float:
        """The smallest step between two different values that it takes; 0 for a constant."""
        steps = np.abs(np.diff(self.known[:QUANTUM_ROWS]))
        steps = steps[steps > 0]
        return float(steps.min()) if steps.size else 0.0

    @cached_property
    def noise(self) -> float:
        """Noise of neighbouring values (k = 1), blind to steady motion; at least what rounding makes, 0 for a
        constant. The quieter stretches count: what moves is not noise."""
        x = self.known
        if x.size < 8:
            return 0.0
        steps = np.abs(np.diff(x, 2))
        size = max(16, steps.size // NOISE_PARTS)
        parts = steps[: steps.size // size * size].reshape(-1, size) if steps.size >= size else steps[None, :]
        each = MAD_TO_SD * np.median(parts, axis=1) / np.sqrt(6)
        lively = each[each > 0]
        quiet = float(np.quantile(lively, 0.4)) if lively.size else 0.0
        return max(quiet, self.quantum / np.sqrt(12)) if self.quantum else 0.0

    @cached_property
    def heaps(self) -> tuple[float, ...]:
        """Ceiling and floor of a signal that is cut off within its range: values on which readings heap up,
        though its noise would spread them: in several pieces, or in a single one into which and out of which
        it goes smoothly."""
        x = self.known
        if x.size < 60 or self.quantum == 0 or self.noise < SPREAD * self.quantum:
            return ()
        results = []
        ends = float(x.max()), float(x.min())
        both = ends[0] == -ends[1]  # a range that ends alike on both sides
        for end in ends:
            here = np.abs(x) == ends[0] if both else x == end
            pieces = [(a, b) for a, b in runs(here) if b - a >= PINNED_ROWS]
            near = np.abs((np.abs(x) if both else x) - (ends[0] if both else end)) <= max(
                2.0 * self.noise, 1.5 * self.quantum
            )
            beside = float((near & ~here).sum()) / max(1.0, 2.0 * self.noise / self.quantum)
            if (
                (len(pieces) >= 2 or all(_smooth(x, piece, self.noise) for piece in pieces))
                and sum(b - a for a, b in pieces) >= max(10, HEAPED_SHARE * x.size)
                and here.sum() > HEAP * max(beside, 1.0)
            ):
                results.append(end)
        return tuple({*results, *_ceilings(x, max(2.0 * self.quantum, 0.8 * self.noise))})


def _smooth(x: Array, piece: tuple[int, int], noise: float) -> bool:
    """Whether a signal comes to a stretch of equal values, from row to row, and leaves it by steps like its
    others."""
    first, end = piece
    if first == 0 or end == x.size:
        return False
    usual = 8.0 * noise + 4.0 * float(np.median(np.abs(np.diff(x))))
    return bool(max(abs(x[first] - x[first - 1]), abs(x[end] - x[end - 1])) <= usual)


def _ceilings(x: Array, least: float) -> list[float]:
    """Values that readings stop at again and again, always coming from the same side and from at least so
    far: a ceiling that was perhaps not there from the beginning."""
    bounds = np.concatenate([[0], np.flatnonzero(np.diff(x) != 0) + 1, [x.size]])
    long = np.flatnonzero(np.diff(bounds) >= LONG_ROWS)
    long = long[(bounds[long] > 0) & (bounds[long + 1] < x.size)]
    at = x[bounds[long]]
    steps = np.stack([x[bounds[long] - 1] - at, x[bounds[long + 1]] - at])
    values, pieces = np.unique(at, return_counts=True)
    results = []
    for value in values[pieces >= AGAIN].tolist():
        here = steps[:, at == value]
        if abs(float(np.sign(here).mean())) >= SAME_SIDE and float(np.median(np.abs(here))) >= least:
            results.append(float(value))
    return results


@dataclass(frozen=True)
class Stream:
    """Signals that share their rows: those of one sensor. ``times_s``, shape (n,), s, not falling; ``tick_s``
    is the step in which they are told (0: unknown). ``regular`` says that rows should come evenly; ``row``
    that its signals lie side by side, left to right; ``scheme`` is that of motor Halls; ``of_rig`` that a rig
    knows how it is mounted and printed."""

    key: str
    times_s: Array
    signals: tuple[Signal, ...]
    tick_s: float = 0.0
    regular: bool = True
    row: bool = False
    scheme: str = ""
    of_rig: bool = False

    def of(self, *natures: str) -> list[Signal]:
        """The signals of these natures."""
        return [signal for signal in self.signals if signal.nature in natures]


@dataclass(frozen=True)
class Truth:
    """What was true over a span, s: the words of a mark, and a distance in mm where it gives one."""

    t0_s: float
    t1_s: float
    label: str
    mm: float | None = None
    sensor: str | None = None


@dataclass(frozen=True)
class Record:
    """Everything that is looked at together. ``odd_s`` are the times of lines that were no reading, shape
    (m,), as far as they are known, ``odd_first`` one of them as it came, ``lines`` how many lines there were;
    ``restarts_s`` when the board began anew, ``clock`` what the time is called."""

    streams: tuple[Stream, ...]
    truths: tuple[Truth, ...] = ()
    odd_s: Array = field(default_factory=lambda: np.zeros(0))
    odd_first: str = ""
    odd_count: int = 0
    lines: int = 0
    restarts_s: Array = field(default_factory=lambda: np.zeros(0))
    clock: str = "time"

    @cached_property
    def span_s(self) -> tuple[float, float]:
        """From the first row to the last, s."""
        ends = [
            (float(stream.times_s[0]), float(stream.times_s[-1]))
            for stream in self.streams
            if stream.times_s.size
        ]
        return (min(a for a, _ in ends), max(b for _, b in ends)) if ends else (0.0, 0.0)

    def side(self, nature: str) -> tuple[Array, Array] | None:
        """Times and values of the first signal of a nature that was told at least eight times, for
        correlation."""
        for stream in self.streams:
            for signal in stream.of(nature):
                if signal.known.size >= 8:
                    return stream.times_s[signal.present], signal.known
        return None


def runs(flags: Flags) -> list[tuple[int, int]]:
    """Stretches in which flags are true, as (first, after the last).

    >>> runs(np.array([False, True, True, False, True]))
    [(1, 3), (4, 5)]
    """
    padded = np.concatenate([[False], flags, [False]]).astype(np.int8)
    steps = np.diff(padded)
    starts, ends = np.flatnonzero(steps == 1).tolist(), np.flatnonzero(steps == -1).tolist()
    return list(zip(starts, ends, strict=True))
