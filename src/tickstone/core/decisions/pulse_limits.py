"""Limits of what turns: when it stands, how soon a second pulse may come, how many pulses are averaged, when it is too fast."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from tickstone.core import pulses
from tickstone.core.constants import Values
from tickstone.core.decisions.decision import Asked, Candidate, Choice, Decided, Decision, Seen, standing
from tickstone.core.figures import Dot, Line, Plot, Table
from tickstone.core.filters import moving_average
from tickstone.core.wording import fixed

Array = npt.NDArray[np.float64]

CHATTER = 0.4  # of the usual interval: what is shorter is a bounce, not a pulse
SLOWER = 1.5  # times the longest interval: what is longer is a standstill
SLOW_AT_MOST_S = 3.0  # common practice: two to five seconds without a pulse
FASTER = 1.2
LEAST_PULSES = 12
AVERAGED = (1, 2, 4, 8)
RIPPLE = 0.02  # of the speed: more than this is worth averaging
MOST_DRAWN = 400
MEAN_DEVIATION_TO_SD = 1.2533  # √(π/2), for a normal population
LEAST_AROUND = 8  # pulses whose mean is taken for the speed's own course


def pulses_per_turn(values: Values) -> float:
    """Pulses of one turn, by whichever constant counts them."""
    return next(values[name].value for name in ("magnets", "marks") if name in values)


def intervals_of(seen: Seen) -> Array:
    """The intervals between pulses of a recording, µs."""
    found = seen.asked.get("period", np.zeros(0))
    return np.asarray(found[np.isfinite(found) & (found > 0)])


def merged(intervals: Array, refractory_us: float) -> Array:
    """Intervals between the pulses that count, when a pulse within ``refractory_us`` of the last that counted does not.

    >>> merged(np.array([1000.0, 20.0, 980.0]), 100.0).tolist()
    [1000.0, 1000.0]
    """
    found, since = [], 0.0
    for one in intervals.tolist():
        since += one
        if since > refractory_us:
            found.append(since)
            since = 0.0
    return np.array(found)


class PulseLimits(Decision):
    """Standstill, refractory time, smoothing and over-speed."""

    id = "turning"
    title = "Slow, fast and smooth"
    begin = "choose when it stands, and when it is too fast."
    rests_on = ("magnets", "marks", "circumference")
    cautions = ("Wheels off the ground; fingers, sleeves and hair away from what turns.",)

    def sets(self, values: Values) -> tuple[str, ...]:
        return ("slow_s", "refractory", "smoothing", "over_rpm")

    def work(self, asked: Asked, values: Values) -> Decided:
        all_of_them = intervals_of(asked.seen[0]) if asked.seen else np.zeros(0)
        if all_of_them.size < LEAST_PULSES:
            return Decided("No limits yet: too few pulses are recorded", "record it turning, from slow to fast.",
                           why_not=f"At least {LEAST_PULSES} pulses are needed.", good=False)  # fmt: skip
        per_turn = pulses_per_turn(values)
        usual = float(np.median(all_of_them[all_of_them > CHATTER * np.median(all_of_them)]))
        bounce = all_of_them[all_of_them < CHATTER * usual]
        true = merged(all_of_them, float(bounce.max()) if bounce.size else 0.0)
        rolling = true[true < SLOW_AT_MOST_S * 1e6]
        shortest, longest = float(rolling.min()), float(rolling.max())
        most = shortest / 2  # a refractory time must stay under half the shortest interval
        refractory = float(round(np.sqrt(bounce.max() * most) if bounce.size else most / 2))
        slow = round(min(SLOWER * longest / 1e6, SLOW_AT_MOST_S), 2)
        turn = max(1, round(per_turn))
        ripple = [_ripple(rolling, k, turn) or 0.0 for k in AVERAGED]
        smooth = 1 if ripple[0] < RIPPLE else turn if turn > 1 else next(
            (k for k, one in zip(AVERAGED, ripple, strict=True) if one < RIPPLE), AVERAGED[-1]
        )  # fmt: skip
        fastest = float(pulses.rpm_from_period(shortest, per_turn))
        over = float(10 * np.ceil(FASTER * fastest / 10))
        now = {name: standing(name, asked, values, one) for name, one in (
            ("slow_s", slow), ("refractory", refractory), ("smoothing", float(smooth)), ("over_rpm", over))}  # fmt: skip
        slow_rpm = 60.0 / (per_turn * now["slow_s"])
        bad = now["refractory"] >= most
        kept = merged(all_of_them, now["refractory"])
        alarms = int((pulses.rpm_from_period(kept, per_turn) > now["over_rpm"]).sum())
        heading = (
            f"A refractory time of {fixed(now['refractory'])} µs would swallow true pulses" if bad else
            f"Slow below {slow_rpm:.3g} rpm, alarm above {now['over_rpm']:.4g} rpm"
        )  # fmt: skip
        rejected = int(all_of_them.size - kept.size)
        return Decided(
            heading, "choose these." if not bad else f"keep it under {fixed(most)} µs, half the shortest interval.",
            (
                Choice("slow_s", now["slow_s"], slow, f"half as long again as the longest interval, {longest / 1e6:.2f} s",
                       (Candidate("usual", SLOW_AT_MOST_S, "assumed"),), step=0.05),
                Choice("refractory", now["refractory"], refractory,
                       "between the longest bounce and half the shortest interval" if bounce.size else
                       "a quarter of the shortest interval: nothing bounced here", (Candidate("at most", most),), step=10.0),
                Choice("smoothing", now["smoothing"], float(smooth),
                       "one whole turn, so that unequal gaps cancel" if smooth == turn and turn > 1 else
                       "the pulses come evenly" if smooth == 1 else "until the ripple is under 2 %"),
                Choice("over_rpm", now["over_rpm"], over, f"a fifth above the fastest seen, {fastest:.4g} rpm", step=10.0),
            ),
            why_not=f"Keep the refractory time under {fixed(most)} µs." if bad else "", good=not bad,
            notes=(
                f"{bounce.size} of {all_of_them.size} intervals are bounces; with {fixed(now['refractory'])} µs {rejected} pulses "
                "are rejected.",
                f"The over-speed alarm would have gone off at {alarms} of {kept.size} pulses of this recording.",
                "Between two pulses the shown speed falls as 60/(N·time since the last), then says slow: never the last value.",
            ),
            plots=(_plot(kept, per_turn, now),), tables=(_table(rolling, turn),), used=(asked.seen[0].id,),
        )  # fmt: skip


def _ripple(intervals: Array, averaged: int, turn: int) -> float | None:
    """Relative sd of means over so many pulses about the speed's own course (a mean of whole turns around each); None with
    too few of them."""
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
        late = [1000 * (k - 1) / 2 * one / 1e6 for one in (float(intervals.max()), float(intervals.min()))]
        rows.append((f"{k} pulse{'s' if k > 1 else ''}", "too few" if (ripple := _ripple(intervals, k, turn)) is None else f"{fixed(100 * ripple, 1)} %",
                     f"{fixed(late[0])} ms", f"{fixed(late[1])} ms"))  # fmt: skip
    return Table(
        "Smoothing on this recording", ("mean of", "ripple left", "late at the slowest", "at the fastest"), tuple(rows)
    )


def _plot(kept: Array, per_turn: float, now: dict[str, float]) -> Plot:
    times = np.cumsum(kept) / 1e6
    rpm = np.asarray(pulses.rpm_from_period(kept, per_turn))
    k = max(1, round(now["smoothing"]))
    smooth = np.convolve(rpm, np.ones(k) / k, "full")[: rpm.size] if rpm.size >= k else rpm
    part = slice(None, None, max(1, rpm.size // MOST_DRAWN))
    end = float(times[-1]) if times.size else 1.0
    return Plot("On this recording", "time", "s", "speed", "rpm",
                dots=tuple(Dot(float(t), float(r), off=bool(r > now["over_rpm"])) for t, r in zip(times[part], rpm[part], strict=True)),
                lines=(Line("shown", tuple(zip(times[part].tolist(), smooth[part].tolist(), strict=True))),
                       Line("alarm", ((0.0, now["over_rpm"]), (end, now["over_rpm"])))))  # fmt: skip


DECISIONS = (PulseLimits(),)
