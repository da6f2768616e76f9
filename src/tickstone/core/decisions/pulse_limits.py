"""Limits of what turns: when it stands, how soon a second pulse may come, how many pulses are averaged, when
it is too fast."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from tickstone.core import pulses
from tickstone.core.constants import Values
from tickstone.core.decisions.decision import (
    Alternative,
    Choice,
    Decided,
    Decision,
    Evidence,
    Question,
    standing,
)
from tickstone.core.figures import Dot, Plot, PlotLine, Table
from tickstone.core.filters import moving_average
from tickstone.core.wording import fixed, significant

Array = npt.NDArray[np.float64]

CHATTER = 0.4  # of the usual interval: what is shorter is a bounce, not a pulse
SLOWER = 1.5  # times the longest interval: what is longer is a standstill
SLOW_AT_LEAST_S = 0.01
SLOW_AT_MOST_S = 3.0  # common practice: two to five seconds without a pulse
FASTER = 1.2
LEAST_PULSES = 12
MOST_AT_ONCE = 1000  # steps between two rows
AVERAGED = (1, 2, 4, 8)
RIPPLE = 0.02  # of the speed: more than this is worth averaging
MOST_DRAWN = 400
MEAN_DEVIATION_TO_SD = 1.2533  # √(π/2), for a normal population
LEAST_AROUND = 8  # pulses whose mean is taken for the speed's own course


EDGES_A_PAIR = 6.0  # of three motor Halls, for each pair of poles


def pulses_per_turn(values: Values) -> float:
    """Pulses of one turn, by whichever constant counts them."""
    if "pole_pairs" in values:
        return EDGES_A_PAIR * values["pole_pairs"].value
    return next(values[name].value for name in ("magnets", "marks", "steps") if name in values)


def intervals_of(evidence: Evidence) -> Array:
    """The intervals between pulses of a recording, µs: told, or by a rate of edges, or between changes of a
    count (several steps at once share their time)."""
    if "period" in evidence.inputs:
        result = evidence.inputs["period"]
    elif "edges" in evidence.inputs:
        rate = evidence.inputs["edges"]
        result = 1e6 / rate[np.isfinite(rate) & (rate > 0)]
    else:
        count = evidence.inputs.get("count", np.zeros(0))
        present = np.isfinite(count)
        count, times = count[present], evidence.times_s[present]
        rows = np.flatnonzero(np.diff(count, prepend=count[:1]))
        steps = np.abs(np.diff(count[rows])).astype(np.int64)
        result = np.repeat(1e6 * np.diff(times[rows]) / np.maximum(steps, 1), steps.clip(0, MOST_AT_ONCE))
    return np.asarray(result[np.isfinite(result) & (result > 0)])


def merged(intervals: Array, refractory_us: float) -> Array:
    """Intervals between the pulses that count, when a pulse within ``refractory_us`` of the last that counted
    does not.

    >>> merged(np.array([1000.0, 20.0, 980.0]), 100.0).tolist()
    [1000.0, 1000.0]
    """
    results, since = [], 0.0
    for interval in intervals.tolist():
        since += interval
        if since > refractory_us:
            results.append(since)
            since = 0.0
    return np.array(results)


@dataclass(frozen=True)
class ShaftIntervals:
    """What a recording says of a shaft, µs: all intervals, those that are bounces, the true ones while it
    turns."""

    intervals: Array
    bounces: Array
    turning: Array
    per_turn: float

    @property
    def turn(self) -> int:
        """Pulses of a turn, whole."""
        return max(1, round(self.per_turn))

    @property
    def most_refractory(self) -> float:
        """A refractory time must stay under half the shortest interval, µs."""
        return float(self.turning.min()) / 2

    @property
    def fastest_rpm(self) -> float:
        """The fastest that was seen."""
        return float(pulses.rpm_from_period(self.turning.min(), self.per_turn))

    def suggested(self) -> dict[str, float]:
        """The limits that these readings recommend."""
        most = self.most_refractory
        ripple = [_ripple(self.turning, k, self.turn) or 0.0 for k in AVERAGED]
        smooth = next((k for k, item in zip(AVERAGED, ripple, strict=True) if item < RIPPLE), AVERAGED[-1])
        slow_s = min(max(SLOWER * float(self.turning.max()) / 1e6, SLOW_AT_LEAST_S), SLOW_AT_MOST_S)
        return {
            "slow_s": float(f"{significant(slow_s)}"),
            "refractory": float(
                round(math.sqrt(self.bounces.max() * most) if self.bounces.size else most / 2)
            ),
            "smoothing": float(self.turn if smooth > 1 and self.turn > 1 else smooth),
            "over_rpm": float(10 * math.ceil(FASTER * self.fastest_rpm / 10)),
        }


def shaft_of(intervals: Array, per_turn: float) -> ShaftIntervals | None:
    """Intervals between pulses, µs, taken apart; None when fewer than LEAST_PULSES pulses are of something
    that turns."""
    if intervals.size < LEAST_PULSES - 1:
        return None
    usual = float(np.median(intervals[intervals > CHATTER * np.median(intervals)]))
    bounces = intervals[intervals < CHATTER * usual]
    true = merged(intervals, float(bounces.max()) if bounces.size else 0.0)
    turning = true[true < SLOW_AT_MOST_S * 1e6]
    return ShaftIntervals(intervals, bounces, turning, per_turn) if turning.size >= LEAST_PULSES - 1 else None


class PulseLimits(Decision):
    """Standstill, refractory time, smoothing and over-speed."""

    id = "turning"
    title = "Slow, fast and smooth"
    begin = "choose when it stands, and when it is too fast."
    rests_on = ("magnets", "marks", "steps", "pole_pairs", "circumference")
    cautions = ("Wheels off the ground; fingers, sleeves and hair away from what turns.",)
    least = LEAST_PULSES

    def sets(self, values: Values) -> tuple[str, ...]:
        return ("slow_s", "refractory", "smoothing", "over_rpm")

    def work(self, question: Question, values: Values) -> Decided:
        shaft = (
            shaft_of(intervals_of(question.evidence[0]), pulses_per_turn(values))
            if question.evidence
            else None
        )
        if shaft is None:
            return Decided(
                "No limits yet: too few pulses are recorded",
                "record it turning, from slow to fast.",
                why_not=f"At least {LEAST_PULSES} pulses are needed.",
                good=False,
            )
        suggested, most = shaft.suggested(), shaft.most_refractory
        now = {name: standing(name, question, values, item) for name, item in suggested.items()}
        bad = now["refractory"] >= most
        slow_rpm = 60.0 / (shaft.per_turn * now["slow_s"])
        heading = (
            f"A refractory time of {fixed(now['refractory'])} µs would swallow true pulses"
            if bad
            else f"Slow below {significant(slow_rpm)} rpm, alarm above {significant(now['over_rpm'], 4)} rpm"
        )
        kept = merged(shaft.intervals, now["refractory"])
        return Decided(
            heading,
            "choose these." if not bad else f"keep it under {fixed(most)} µs, half the shortest interval.",
            _choices(shaft, now, suggested),
            why_not=f"Keep the refractory time under {fixed(most)} µs." if bad else "",
            good=not bad,
            notes=_notes(shaft, kept, now),
            plots=(_plot(kept, shaft.per_turn, now),),
            tables=(_table(shaft.turning, shaft.turn),),
            used=(question.evidence[0].id,),
        )


def _choices(
    shaft: ShaftIntervals, now: Mapping[str, float], suggested: Mapping[str, float]
) -> tuple[Choice, ...]:
    longest = float(shaft.turning.max()) / 1e6
    whole = suggested["smoothing"] == shaft.turn > 1
    why = {
        "slow_s": f"half as long again as the longest interval, {longest:.2f} s, and no more than is usual",
        "refractory": "between the longest bounce and half the shortest interval"
        if shaft.bounces.size
        else "a quarter of the shortest interval: nothing bounced here",
        "smoothing": "one whole turn, so that unequal gaps cancel"
        if whole
        else "the pulses come evenly"
        if suggested["smoothing"] == 1
        else "until the ripple is under 2 %",
        "over_rpm": f"a fifth above the fastest seen, {significant(shaft.fastest_rpm, 4)} rpm",
    }
    others = {
        "slow_s": (Alternative("usual", SLOW_AT_MOST_S, "assumed"),),
        "refractory": (Alternative("at most", shaft.most_refractory),),
    }
    steps = {"slow_s": 0.05, "smoothing": 1.0}
    return tuple(
        Choice(name, now[name], item, why[name], others.get(name, ()), step=steps.get(name, 10.0))
        for name, item in suggested.items()
    )


def _notes(shaft: ShaftIntervals, kept: Array, now: Mapping[str, float]) -> tuple[str, ...]:
    alarms = int((pulses.rpm_from_period(kept, shaft.per_turn) > now["over_rpm"]).sum())
    return (
        f"{shaft.bounces.size} of {shaft.intervals.size} intervals are bounces; with "
        f"{fixed(now['refractory'])} µs {shaft.intervals.size - kept.size} pulses are rejected.",
        f"The over-speed alarm would have gone off at {alarms} of {kept.size} pulses of this recording.",
        "Between two pulses the shown speed falls as 60/(N·time since the last), then says "
        "slow: never the last value.",
    )


def _ripple(intervals: Array, averaged: int, turn: int) -> float | None:
    """Relative sd of means over so many pulses about the speed's own course (a mean of whole turns around
    each); None with too few of them."""
    around = turn * -(-LEAST_AROUND // turn)
    course = moving_average(intervals, around)[around - 1 :]
    if course.size < 2 * averaged + 2:
        return None
    middle = intervals[around // 2 : around // 2 + course.size]
    off = moving_average(np.log(middle / course), averaged)[averaged - 1 :]
    return float(np.abs(off - off.mean()).mean()) * MEAN_DEVIATION_TO_SD


def _table(intervals: Array, turn: int) -> Table:
    rows = []
    for k in AVERAGED:
        late = [1000 * (k - 1) / 2 * item / 1e6 for item in (float(intervals.max()), float(intervals.min()))]
        rows.append(
            (
                f"{k} pulse{'s' if k > 1 else ''}",
                "too few"
                if (ripple := _ripple(intervals, k, turn)) is None
                else f"{fixed(100 * ripple, 1)} %",
                f"{fixed(late[0])} ms",
                f"{fixed(late[1])} ms",
            )
        )
    return Table(
        "Smoothing on this recording",
        ("mean of", "ripple left", "late at the slowest", "at the fastest"),
        tuple(rows),
    )


def _plot(kept: Array, per_turn: float, now: Mapping[str, float]) -> Plot:
    times = np.cumsum(kept) / 1e6
    rpm = np.asarray(pulses.rpm_from_period(kept, per_turn))
    k = max(1, round(now["smoothing"]))
    smooth = np.convolve(rpm, np.ones(k) / k, "full")[: rpm.size] if rpm.size >= k else rpm
    part = slice(None, None, max(1, rpm.size // MOST_DRAWN))
    end = float(times[-1]) if times.size else 1.0
    return Plot(
        "On this recording",
        "time",
        "s",
        "speed",
        "rpm",
        dots=tuple(
            Dot(float(t), float(r), off=bool(r > now["over_rpm"]))
            for t, r in zip(times[part], rpm[part], strict=True)
        ),
        lines=(
            PlotLine("shown", tuple(zip(times[part].tolist(), smooth[part].tolist(), strict=True))),
            PlotLine("alarm", ((0.0, now["over_rpm"]), (end, now["over_rpm"]))),
        ),
    )


DECISIONS = (PulseLimits(),)
