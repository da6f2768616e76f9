"""How many magnets or marks a turn has, and how their gaps differ, from the times of the pulses of a steady
run."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
from scipy.special import fdtrc

from tickstone.core.calibration.means import coverage
from tickstone.core.calibration.procedure import Array
from tickstone.core.calibration.rounding import noise_of_rounded, rounding_left
from tickstone.core.noise import MAD_TO_SD

MOST_GAPS = 8
MOST_PERIODS = 2000  # the newest: more say nothing
LEAST_SPREAD = 2e-4  # of a gap: no wheel is truer
STEADY = 0.05  # the speed may change by so much over a run
PERIODS_A_BEND = 24  # of the speed, which may bend so often
MOST_BENDS = 8
CERTAIN, LIKELY = 1e-8, 1e-4  # chance of as good an explanation by luck alone
ODD, MOST_ODD = 5.0, 0.15  # robust sds off every pattern, and of the periods, at most
MOST_LOOKS = 30
DEPENDS = 1e-11  # of the largest eigenvalue, below which a pattern is another one, too
LATTICE, FINEST_S = 0.02, 5e-7  # of a step, to which times lie on it; finer ones are no timer's
SHARES = (1, 2, 3)  # of the least difference of periods that a step may be


@dataclass(frozen=True)
class Gaps:
    """How many a turn, each gap's share of it (widest first), with half of its 95 % interval, and the rest's
    spread as a share of a gap."""

    count: int
    shares: tuple[float, ...]
    sds: tuple[float, ...]
    jitter: float


def timer_step_s(times_s: Array) -> float:
    """The step of the timer that stamped pulses, s, of which every period is a whole number; 0 where none is
    seen. Shape (n,)."""
    periods = np.unique(np.round(np.diff(times_s), 9))
    apart = np.diff(periods)
    apart = apart[apart > FINEST_S]
    for share in SHARES if apart.size else ():
        step = float(apart.min()) / share
        whole = periods / step
        if np.abs(whole - np.round(whole)).max() <= LATTICE:
            return step
    return 0.0


@dataclass(frozen=True)
class _Fit:
    """Patterns fitted: which columns, how much of each, what they leave over as a sum of squares, and degrees
    of freedom."""

    columns: npt.NDArray[np.intp]
    amounts: Array
    rest: float
    freedom: int


class _Models:
    """The logarithm of each period as a speed that bends a little and a pattern that repeats after some
    number of gaps, by least squares (normal equations: columns are well shaped, or depend wholly)."""

    def __init__(self, times_s: Array, most: int) -> None:
        self._periods = np.diff(times_s)[-MOST_PERIODS:]
        self._step_s = timer_step_s(times_s[-MOST_PERIODS - 1 :])
        n = self._periods.size
        bends = min(max(n // PERIODS_A_BEND, 1), MOST_BENDS)
        speed = np.polynomial.legendre.legvander(np.linspace(-1, 1, n), bends)
        patterns = [np.arange(n)[:, None] % count == np.arange(count - 1) for count in range(1, most + 1)]
        self._columns = np.hstack([speed, *patterns])
        self._speed = np.arange(bends + 1)
        self._alone: dict[int, _Fit] = {}
        self._take()
        self._leave_out_odd_ones(most)
        self._period_s = float(np.median(self._periods))

    def _take(self) -> None:
        """The normal equations of the periods as they are."""
        logs = np.log(self._periods)
        self._logs = logs - logs.mean()
        self._power = float(self._logs @ self._logs)
        self._squares, self._with_logs = self._columns.T @ self._columns, self._columns.T @ self._logs

    def _leave_out_odd_ones(self, most: int) -> None:
        """Without periods that no pattern explains, as where the wheel still runs up: the oddest first, and
        few."""
        for _ in range(min(int(MOST_ODD * self._logs.size), MOST_LOOKS)):
            fits = [self._fitted(count) for count in range(most // 2 + 1, most + 1)]
            each = np.abs(self._logs - np.stack([self._explained(fit) for fit in fits]))
            middles = np.median(each, axis=1)  # each smaller pattern returns in one of these
            off = each[np.argmin(middles)] / max(MAD_TO_SD * float(middles.min()), LEAST_SPREAD)
            oddest = int(np.argmax(off))
            if off[oddest] <= ODD:
                return
            self._periods, self._columns = (
                np.delete(self._periods, oddest),
                np.delete(self._columns, oddest, 0),
            )
            self._take()

    def _fitted(self, *counts: int) -> _Fit:
        own = [
            self._speed.size + (count - 1) * (count - 2) // 2 + np.arange(count - 1, dtype=np.intp)
            for count in counts
        ]
        chosen = np.concatenate([self._speed, *own])
        squares, with_logs = self._squares[chosen[:, None], chosen], self._with_logs[chosen]
        amounts, _, rank, _ = np.linalg.lstsq(squares, with_logs, rcond=DEPENDS)
        floor = self._logs.size * (LEAST_SPREAD / 10.0) ** 2  # no arithmetic is truer
        rest = max(self._power - float(amounts @ with_logs), 0.0) + floor
        return _Fit(chosen, amounts, rest, self._logs.size - int(rank))

    def _explained(self, fit: _Fit) -> Array:
        """The logarithms that a fit explains, shape (n,)."""
        return np.asarray(self._columns[:, fit.columns] @ fit.amounts)

    def chance(self, count: int, other: int) -> float:
        """How likely luck alone makes the pattern of another number of gaps explain so much beside that of
        ``count`` (F test of nested models): 1 where it is no more than a timer's steps make."""
        alone = self._alone.get(count) or self._alone.setdefault(count, self._fitted(count))
        both = self._fitted(count, other)
        more = alone.freedom - both.freedom
        if more <= 0 or both.freedom <= 0:
            return 1.0
        ratio = max(alone.rest - both.rest, 0.0) / more / (both.rest / both.freedom)
        chance = float(fdtrc(more, both.freedom, ratio))
        if chance < LIKELY:
            changes = np.abs(np.expm1(self._explained(both) - self._explained(alone)))
            if float(changes.max()) * self._period_s <= self._step_s:
                return 1.0
        return chance


def counts_of(times_s: Array, most: int = MOST_GAPS) -> tuple[int, ...]:
    """After how many gaps the pulses of a steady run repeat: the fewest that explain it, then those that
    would explain more, which is hardly luck (``LIKELY``), but may be (``CERTAIN``).

    Parameters: times_s of pulses, shape (n,), s, n ≥ 3·most. Every multiple explains a run as well: gaps that
    are alike cannot be told apart.
    """
    models = _Models(times_s, most)
    for count in range(1, most + 1):
        likely = []
        for other in range(most, 1, -1):  # the longest explain most, so that they are soonest certain
            chance = models.chance(count, other) if count % other else 1.0
            if chance < CERTAIN:
                break
            if chance < LIKELY:
                likely.append(other)
        else:
            return count, *reversed(likely)
    return (most,)


def gaps_of(times_s: Array, count: int) -> Gaps | None:
    """The gaps of a steady run with so many a turn; None where hardly two whole turns are as fast as most.

    Parameters: times_s of pulses, shape (n,), s; count, 1 on. A gap is held against the turn around it, so
    that a speed that creeps does not matter. Steps of the timer that are coarser than the jitter do not
    average out: what they may leave is added, at both ends of a gap.
    """
    periods = np.diff(times_s)[-MOST_PERIODS:]
    kernel = np.ones(count) if count % 2 else np.concatenate([[0.5], np.ones(count - 1), [0.5]])
    turn = np.convolve(periods, kernel, "valid")  # the turn around each gap, so that creeping speed falls out
    first = (periods.size - turn.size) // 2
    share = periods[first : first + turn.size] / turn
    each = share[: share.size // count * count].reshape(-1, count)
    lasts = turn[: each.size].reshape(-1, count).mean(axis=1)
    if len(each) < 2:
        return None
    each = each[np.abs(lasts / np.median(lasts) - 1.0) <= STEADY]
    if len(each) < 2:
        return None
    order = (np.arange(count) + int(np.argmax(each.mean(axis=0)))) % count
    shares = each.mean(axis=0)[order] / each.mean(axis=0).sum()
    spreads = np.maximum(each.std(axis=0, ddof=1)[order], LEAST_SPREAD * shares)
    sds = spreads / math.sqrt(len(each)) * coverage(len(each) - 1)
    change = np.abs(periods[count:] / periods[:-count] - 1.0)
    jitter = max(MAD_TO_SD * float(np.median(change)) / math.sqrt(2), LEAST_SPREAD)
    turn_s, step_s = float(np.median(turn)), timer_step_s(times_s[-MOST_PERIODS - 1 :])
    edge_s = noise_of_rounded(float(np.std(each - each.mean(axis=0))) * turn_s / math.sqrt(2), step_s)
    left = math.sqrt(2) * rounding_left(edge_s, step_s) / turn_s
    return Gaps(count, tuple(shares.tolist()), tuple(np.hypot(sds, left).tolist()), jitter)
