"""N-of-M votes: a trip needs N near readings among the last M. What single spikes and lost readings do to
it."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from tickstone.core import loops
from tickstone.core.checks import check_between, check_positive, check_whole
from tickstone.core.filters import moving_median
from tickstone.core.thresholds import tail
from tickstone.errors import BadInput

Array = npt.NDArray[np.float64]
Bools = npt.NDArray[np.bool_]

MEDIAN_READINGS = 9  # what was really there is the median of so many readings around
FOUR_SDS = 4.0


def check_votes(needed: float, of: float) -> tuple[int, int]:
    """Both as whole numbers. Raises BadInput for ``votes`` or ``votes_of`` unless 1 ≤ needed ≤ of."""
    n, m = check_whole(needed, 1, "votes"), check_whole(of, 1, "votes_of")
    if n > m:
        raise BadInput(f"votes ({n}) cannot be more than the {m} readings they are counted among.", "votes")
    return n, m


def false_trips_per_hour(p_near: float, needed: int, of: int, interval_s: float) -> float:
    """How often votes trip though nothing is there, when each reading alone is near with probability
    ``p_near``.

    A trip begins when a near reading makes the count among the last M reach N while the reading that falls
    out was not near: ``C(M−1, N−1)·pᴺ·(1−p)^(M−N+1)`` for each reading.

    Parameters: p_near, 0 to 1; needed and of, 1 ≤ N ≤ M; interval_s, between readings. Returns: trips per
    hour. Raises: BadInput naming the field. Source: up-crossings of a sliding binomial count; checked by
    simulation in the tests.

    >>> round(false_trips_per_hour(0.01, 2, 2, 0.05), 2)
    7.13
    """
    check_between(p_near, 0.0, 1.0, "p_near")
    check_positive(interval_s, "interval_s")
    n, m = check_votes(needed, of)
    return 3600.0 / interval_s * math.comb(m - 1, n - 1) * p_near**n * (1.0 - p_near) ** (m - n + 1)


def late_share(p_lost: float, needed: int, of: int) -> float:
    """Share of approaches at which fewer than N of the first M readings count, since each is lost with
    ``p_lost``.

    The trip distance allows for M readings; a trip that takes longer is late. Source: binomial distribution.

    >>> round(late_share(0.1, 2, 3), 4)
    0.028
    """
    check_between(p_lost, 0.0, 1.0, "p_lost")
    n, m = check_votes(needed, of)
    hit = 1.0 - p_lost
    return sum(math.comb(m, k) * hit**k * p_lost ** (m - k) for k in range(n))


def _vote_loop(near: Bools, clear: Bools, needed: int, of: int) -> Bools:
    tripped = np.zeros(near.size, dtype=np.bool_)
    state = False
    near_count = clear_count = 0
    for i in range(near.size):
        near_count += near[i]
        clear_count += clear[i]
        if i >= of:
            near_count -= near[i - of]
            clear_count -= clear[i - of]
        if near_count >= needed:
            state = True
        elif state and clear_count >= needed:
            state = False
        tripped[i] = state
    return tripped


def tripped(
    distance: npt.ArrayLike, valid: npt.ArrayLike, trip: float, clear: float, needed: int, of: int
) -> Bools:
    """Whether the guard stands tripped after each reading, shape (n,): it trips at N near readings among the
    last M, and clears at N readings beyond ``clear`` among the last M. A dropout votes for neither: it is
    never clear.

    Parameters: distance, mm, and valid, shape (n,); trip and clear, mm.

    >>> tripped([500, 90, 500, 90, 80, 500, 500], [True] * 7, 100, 150, 2, 2).tolist()
    [False, False, False, False, True, True, False]
    """
    n, m = check_votes(needed, of)
    d, ok = np.asarray(distance, dtype=np.float64), np.asarray(valid, dtype=np.bool_)
    result: Bools = loops.run(_vote_loop, d.size, ok & (d <= trip), ok & (d >= clear), n, m)
    return result


@dataclass(frozen=True)
class Guard:
    """Trip and clear, mm, and how many of the last ``of`` readings are needed."""

    trip: float
    clear: float
    needed: int
    of: int


@dataclass(frozen=True)
class Counted:
    """What the votes did on a recording: trips in all, those with nothing there, approaches, those that
    tripped late (or never), and how long it is, h."""

    trips: int
    false: int
    approaches: int
    late: int
    hours: float


def smoothed_truth(distance: npt.ArrayLike, valid: npt.ArrayLike) -> Array:
    """What was really there: the median of MEDIAN_READINGS valid readings around each, NaN before there are
    any."""
    d, ok = np.asarray(distance, dtype=np.float64), np.asarray(valid, dtype=np.bool_)
    rows = np.flatnonzero(ok)
    if not rows.size:
        return np.full(d.shape, np.nan)
    half = MEDIAN_READINGS // 2
    padded = np.concatenate([d[rows], np.full(half, d[rows][-1])])
    middle = moving_median(padded, MEDIAN_READINGS)[half:]
    return np.asarray(np.interp(np.arange(d.size), rows, middle), dtype=np.float64)


def count_on(
    times_s: Array,
    distance: Array,
    valid: Bools,
    guard: Guard,
    sigma: float,
    there: Array | None = None,
    lag: int = 0,
) -> Counted:
    """Run the votes over a recording and hold every trip against what was really there.

    Parameters: times_s, distance (mm, filtered or not), valid, shape (n,); guard; sigma, mm; there, what was
    really there (None: the median around each reading); lag, readings by which a filter is known to be late.
    Returns: Counted. A trip is false when what was there stayed beyond trip + 4 σ within the votes' reach; an
    approach is what was there falling to trip − 4 σ; it is late when the guard is not tripped M readings (and
    the lag) after what was there passed the trip distance.
    """
    n, m = check_votes(guard.needed, guard.of)
    if times_s.size == 0:
        return Counted(0, 0, 0, 0, 0.0)
    there = smoothed_truth(distance, valid) if there is None else there
    state = tripped(distance, valid, guard.trip, guard.clear, n, m)
    starts = np.flatnonzero(state & ~np.concatenate([[False], state[:-1]]))
    reach, beyond = m + lag + MEDIAN_READINGS, guard.trip + FOUR_SDS * sigma
    false = sum(bool((there[max(0, i - reach) : i + reach] > beyond).all()) for i in starts.tolist())
    under, within = there <= guard.trip - FOUR_SDS * sigma, there <= guard.trip
    comes = np.flatnonzero(within & ~np.concatenate([[True], within[:-1]]))
    goes = np.flatnonzero(~within & np.concatenate([[False], within[:-1]]))
    ends = np.append(goes, within.size)[np.searchsorted(goes, comes)]
    approaches = late = 0
    for i, end in zip(comes.tolist(), ends.tolist(), strict=True):
        if under[i:end].any():
            approaches += 1
            late += not bool(state[i : i + m + lag + 1].any())
    return Counted(int(starts.size), false, approaches, late, float(times_s[-1] - times_s[0]) / 3600.0)


@dataclass(frozen=True)
class VoteOdds:
    """False trips an hour and the share of approaches that trip late, estimated from the readings' own spikes
    and losses; and both counted on them."""

    false_per_hour: float
    late_share: float
    counted: Counted


def odds_on(
    times_s: Array,
    distance: Array,
    valid: Bools,
    guard: Guard,
    sigma: float,
    interval_s: float,
    there: Array | None = None,
    lag: int = 0,
) -> VoteOdds:
    """How often votes are wrong on these readings; parameters as of ``count_on``, and interval_s between
    readings."""
    there = smoothed_truth(distance, valid) if there is None else there
    p_near, p_lost = spikes_and_losses(distance, valid, there, guard.clear - guard.trip, sigma)
    return VoteOdds(
        false_trips_per_hour(p_near, guard.needed, guard.of, interval_s),
        late_share(p_lost, guard.needed, guard.of),
        count_on(times_s, distance, valid, guard, sigma, there, lag),
    )


def spikes_and_losses(
    distance: Array, valid: Bools, there: Array, hysteresis_mm: float, sigma: float
) -> tuple[float, float]:
    """Probability that a reading alone says near although what is there stands beyond trip and hysteresis,
    and that a reading is lost: from these readings' own spikes and dropouts, or by the normal tail where they
    have none."""
    if not valid.any():
        return 0.0, 1.0
    off = distance[valid] - there[valid]
    deep, high = int((off <= -hysteresis_mm).sum()), int((off >= hysteresis_mm).sum())
    p_near = deep / valid.size if deep else (tail(hysteresis_mm / sigma) if sigma > 0 else 0.0)
    return min(p_near, 1.0), min(float((~valid).sum() + high) / valid.size, 1.0)
