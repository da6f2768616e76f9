"""Which filter: every one of them on this recording as noise against lag, in ms and in mm of way at the rig's
speed."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

import numpy as np
import numpy.typing as npt

from tickstone.core import filters
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
from tickstone.core.decisions.line import Light, lights_of, names_of, thresholds_of
from tickstone.core.decisions.stopping import needed_stop
from tickstone.core.decisions.votes import Guard, odds_on, smoothed_truth
from tickstone.core.figures import Dot, Plot, PlotLine, Table
from tickstone.core.noise import step_noise, without_spikes
from tickstone.core.wording import fixed, listed, rate, significant
from tickstone.errors import BadInput

Array = npt.NDArray[np.float64]

KINDS = ("none", "average", "median", "smooth", "kalman")
CALLED = ("none", "average", "median", "smooth", "Kalman")
LENGTHS = (3, 5, 7, 9, 11, 15, 21, 31)
ALPHAS = (0.7, 0.5, 0.3, 0.2, 0.1, 0.05)
RATIOS = (1e-1, 1e-2, 1e-3, 1e-4, 1e-5)  # q/r: people try q from 1e-5 to 1e-1 (common practice)
AMOUNTS = {"none": (1.0,), "average": LENGTHS, "median": LENGTHS, "smooth": ALPHAS, "kalman": RATIOS}
MOST_LAG_MM = 20.0  # of way that a filter may cost by itself: a finger's breadth, as the suggestion has it
MOST_LAG_S = 0.1  # where nothing drives
SPIKE_SDS = 5.0
SHOWN = 5.0  # times that lag is how far the curve is drawn
LEAST_READINGS = 30
SETTLES = 4.0  # times its lag, until a filter has forgotten where it began
DRAWN = 400
RESTS = 2.0  # times their noise that readings at rest may spread
LEAST_SHARE = 0.2  # of the noise that a calm stretch must have to tell what a filter leaves of it
AMOUNT_WORDS = {"average": "of {}", "median": "of {}", "smooth": "α {}", "kalman": "q/r {}"}


@dataclass(frozen=True)
class FilterSetting:
    """A filter with its amount (length, α, or q/r), and what it costs for white noise."""

    kind: str
    amount: float
    noise_ratio: float
    lag_samples: float

    @property
    def label(self) -> str:
        """What it is called."""
        called = CALLED[KINDS.index(self.kind)]
        return (
            called
            if self.kind == "none"
            else f"{called} {AMOUNT_WORDS[self.kind].format(significant(self.amount, 6))}"
        )

    def run(self, values: Array) -> Array:
        """The filter over readings, shape (n,)."""
        if self.kind == "none":
            return values
        return filters.run(self.kind, values, **arguments(self.kind, self.amount))

    def over(self, evidence: Evidence) -> Array:
        """The filter over the good readings of a recording, shape (n,): missing ones stay missing."""
        out = np.full(evidence.converted.shape, np.nan)
        out[evidence.valid] = self.run(evidence.converted[evidence.valid])
        return out


def arguments(kind: str, amount: float) -> dict[str, Any]:
    """The amount of a filter as its arguments. Raises BadInput for ``filter_amount``."""
    if kind in ("average", "median"):
        if amount != round(amount) or not 1 <= amount <= 1000:
            raise BadInput(
                f"The length of a filter must be a whole number from 1 to 1000, not {amount:g}.",
                "filter_amount",
            )
        return {"length": int(amount)}
    if kind == "smooth":
        if not 0 < amount <= 1:
            raise BadInput(f"α must lie above 0 and not above 1, not at {amount:g}.", "filter_amount")
        return {"alpha": amount}
    if amount <= 0:
        raise BadInput(f"q/r must be above 0, not {amount:g}.", "filter_amount")
    return {"q": amount, "r": 1.0}


def setting(kind: str, amount: float) -> FilterSetting:
    """A filter with what it costs. Raises BadInput for ``filter_kind`` or ``filter_amount``.

    >>> setting("average", 4).noise_ratio
    0.5
    """
    if kind not in KINDS:
        raise BadInput(f"filter_kind must be one of {', '.join(KINDS)}, not {kind}.", "filter_kind")
    if kind == "none":
        return FilterSetting(kind, 1.0, 1.0, 0.0)
    tradeoff = filters.tradeoff(kind, **arguments(kind, amount))
    return FilterSetting(kind, amount, tradeoff.noise_ratio, tradeoff.lag_samples)


def chosen(values: Values) -> FilterSetting | None:
    """The filter that is chosen for a sensor; None while there is none."""
    kind = values.get("filter_kind")
    if kind is None or not 0 < round(kind.value) < len(KINDS):
        return None
    return setting(KINDS[round(kind.value)], values["filter_amount"].value)


@dataclass(frozen=True)
class FilterTrial:
    """A filter on these very readings: what is left of their noise (sd, their unit), of their spikes, its
    lag, s, and the recording that it needs to show it, s."""

    setting: FilterSetting
    noise: float
    spikes: int
    lag_s: float
    needs_s: float = 0.0


def needed_readings(item: FilterSetting) -> int:
    """How many readings show what a filter does: those in which it settles, and some to look at."""
    return math.ceil(SETTLES * item.lag_samples) + (0 if item.kind == "none" else LEAST_READINGS)


def on_these(readings: Array, interval_s: float) -> list[FilterTrial]:
    """Every filter on readings, dropouts left out: shape (n,), at least LEAST_READINGS. One that needs more
    readings than there are is judged by what it does to white noise. Raises BadInput for ``recording``.

    The noise is what the filter really leaves of it where the readings rest longest, or what it leaves of
    white noise where they never do; the lag is the group delay at low frequency; spikes are readings that
    stand off from the median around.
    """
    if readings.size < LEAST_READINGS:
        raise BadInput(
            f"A recording of at least {LEAST_READINGS} good readings is needed, not {readings.size}.",
            "recording",
        )
    calm = _calm(readings)
    raw = noise_of(readings, calm)
    there = smoothed_truth(readings, np.isfinite(readings))
    trials = []
    for kind, amounts in AMOUNTS.items():
        for amount in amounts:
            item = setting(kind, float(amount))
            trials.append(
                FilterTrial(
                    item,
                    raw * _left(item, calm, raw),
                    _spikes(item, readings, there, raw),
                    item.lag_samples * interval_s,
                    needed_readings(item) * interval_s,
                )
            )
    return trials


def _left(item: FilterSetting, calm: Array, raw: float) -> float:
    """Which share of the noise a filter leaves of a calm stretch, or of white noise where that is too short
    to tell."""
    settle = math.ceil(SETTLES * item.lag_samples)
    if calm.size < needed_readings(item):
        return item.noise_ratio
    before, after = _spread(calm[settle:]), _spread(item.run(calm)[settle:])
    return after / before if before > LEAST_SHARE * raw else item.noise_ratio


def _spikes(item: FilterSetting, readings: Array, there: Array, raw: float) -> int:
    """How many readings still stand off after a filter, once it has settled."""
    lag = round(item.lag_samples)
    if not raw or readings.size < needed_readings(item):
        return 0
    off = np.abs(item.run(readings)[lag:] - there[: there.size - lag])
    return int((off > SPIKE_SDS * raw).sum())


def noise_of(readings: Array, calm: Array) -> float:
    """Noise of readings that may move, sd: by their second differences, or of their calmest stretch where
    those are mostly equal."""
    return max(step_noise(readings) or 0.0, _spread(calm))


def _spread(values: Array) -> float:
    """Sd about a moving middle, single spikes left out: what trembles, not what moves."""
    kept = without_spikes(values)
    if kept.size < 9:
        return 0.0
    x = np.arange(kept.size, dtype=np.float64)
    return float((kept - np.polyval(np.polyfit(x, kept, 2), x)).std(ddof=3))


def _calm(readings: Array) -> Array:
    """The longest stretch in which the readings rest; empty where they never do for LEAST_READINGS
    together."""
    block, noise = LEAST_READINGS, step_noise(readings) or 0.0
    limit = max(RESTS * noise, 1e-9)
    best, run, before = (0, 0), 0, np.inf
    for i in range(readings.size // block):
        piece = readings[i * block : (i + 1) * block]
        middle = float(np.median(piece))
        rests = float(without_spikes(piece).std()) <= limit
        run = (run + 1 if abs(middle - before) <= limit else 1) if rests else 0
        before = middle
        if run > best[1]:
            best = (i - run + 1, run)
    return readings[best[0] * block : (best[0] + best[1]) * block]


def most_lag_s(speed_m_s: float) -> float:
    """The lag from which a filter is called too late, s."""
    return MOST_LAG_MM / 1000 / speed_m_s if speed_m_s > 0 else MOST_LAG_S


def _suggested(trials: list[FilterTrial], speed_m_s: float, length_s: float) -> FilterTrial:
    """The quietest of those that are not too late, and that a recording of that length shows."""
    most = max(trial.spikes for trial in trials)
    quick = (trial for trial in trials if trial.lag_s <= most_lag_s(speed_m_s) and trial.needs_s <= length_s)
    return min(quick, key=lambda trial: trial.noise * (1 + (trial.spikes / most if most else 0)))


class FilterChoice(Decision):
    """The filter between readings and decisions."""

    id = "filter"
    title = "Filter"
    begin = "choose a filter by what it costs."
    rests_on = ("jitter", "noise")
    least = LEAST_READINGS

    def sets(self, values: Values) -> tuple[str, ...]:
        return ("filter_kind", "filter_amount")

    def work(self, question: Question, values: Values) -> Decided:
        if not question.evidence:
            return Decided(
                "No filter yet: none is chosen by eye here",
                "record half a minute, at rest and moving.",
                why_not="Record first: the noise and the lag are of real readings.",
                good=False,
            )
        evidence = question.evidence[0]
        readings, interval = evidence.converted[evidence.valid], evidence.interval_s or 0.05
        trials = on_these(readings, interval)
        speed = values["drive_speed"].value if "drive_speed" in values else 0.0
        length_s = readings.size * interval
        best = _suggested(trials, speed, length_s)
        kind = standing("filter_kind", question, values, float(KINDS.index(best.setting.kind)))
        if not 0 <= kind < len(KINDS) or kind != int(kind):
            raise BadInput(
                f"filter_kind must be a whole number from 0 to {len(KINDS) - 1}, not {kind:g}.", "filter_kind"
            )
        name = KINDS[int(kind)]
        amounts = AMOUNTS[name]
        amount = standing("filter_amount", question, values, best.setting.amount)
        if (
            name != best.setting.kind
            and "filter_amount" not in question.picked
            and "filter_kind" in question.picked
        ):
            amount = float(amounts[len(amounts) // 2])
        mine = setting(name, amount)
        raw = trials[0].noise
        now = next((trial for trial in trials if trial.setting == mine), None) or FilterTrial(
            mine, raw * mine.noise_ratio, 0, mine.lag_samples * interval, needed_readings(mine) * interval
        )
        unit = values_unit(values)
        share = 100.0 * now.noise / raw if raw else 100.0
        late = f"{fixed(1000 * now.lag_s)} ms late"
        late += f": {fixed(1000 * speed * now.lag_s)} mm farther" if speed else ""
        label = f"{mine.label[0].upper()}{mine.label[1:]}"
        short = now.needs_s > length_s
        heading = (
            f"No filter: {_size(raw)} {unit} of noise, and no lag"
            if mine.kind == "none"
            else f"{label} needs a recording of {fixed(now.needs_s)} s; this one has {fixed(length_s)} s"
            if short
            else f"{label} leaves {fixed(share)} % of the noise, {late}"
        )
        shown = [trial for trial in trials if trial.needs_s <= length_s]
        return Decided(
            heading,
            "pick a point of the curve, then choose it."
            if not short
            else "record longer, or pick a quicker one.",
            (
                Choice(
                    "filter_kind",
                    kind,
                    float(KINDS.index(best.setting.kind)),
                    "least noise that is not too late",
                    options=CALLED,
                ),
                Choice(
                    "filter_amount",
                    mine.amount,
                    best.setting.amount,
                    f"{best.setting.label}",
                    tuple(Alternative(setting(name, float(a)).label, float(a)) for a in amounts),
                    step=1.0 if name in ("average", "median") else 0.01,
                ),
            ),
            good=not short,
            notes=(*_notes(evidence, shown, unit, values, mine), *_too_slow(trials, length_s)),
            plots=(_curve(shown, now, unit, most_lag_s(speed)), *_traces(evidence, mine, values)),
            tables=(
                *_odds(evidence, mine, raw, values),
                _table(shown, unit, speed, raw),
                _ladder(trials, unit, speed, raw, length_s),
            ),
            used=(evidence.id,),
        )


def values_unit(values: Values) -> str:
    """The unit that a sensor's filtered readings have, by the constants that go with it."""
    for name, unit in (
        ("trip", "mm"),
        ("farthest", "mm"),
        ("pitch", "mm"),
        ("offset_x", "°"),
        ("zero_x", "°"),
        ("empty", "V"),
        ("circumference", "m/s"),
    ):
        if name in values:
            return unit
    return ""


def _size(value: float) -> str:
    return significant(round(value, 9), 2) if value < 10 else fixed(value)


def _notes(
    evidence: Evidence, trials: list[FilterTrial], unit: str, values: Values, mine: FilterSetting
) -> tuple[str, ...]:
    sentences = ["Order: reject what is no reading, then a median against spikes, then smooth, then decide."]
    lost = int((~evidence.valid).sum())
    if lost:
        sentences.append(
            f"{lost} of {evidence.valid.size} readings were dropouts: they were left out, never "
            "filtered as numbers."
        )
    spiky = trials[0].spikes
    if spiky:
        calm = next((trial for trial in trials if trial.setting.kind == "median" and not trial.spikes), None)
        sentences.append(
            f"{spiky} single spikes" + (f": a {calm.setting.label} takes them all." if calm else ".")
        )
    if "ping_interval" in values and mine.kind != "none" and "drive_speed" in values:
        interval = values["ping_interval"].value
        cost = 1000 * values["drive_speed"].value * mine.lag_samples * interval
        gain = 3 * (trials[0].noise - trials[0].noise * mine.noise_ratio)
        verb = "farther" if cost > gain else "nearer"
        sentences.append(
            f"For the obstacle guard: {fixed(cost)} mm more for the lag, {fixed(gain)} {unit} less for "
            f"the noise: it must trip {fixed(abs(cost - gain))} mm {verb}."
        )
    if "tilt_rate" in values and mine.kind != "none":
        behind = values["tilt_rate"].value * mine.lag_samples * (evidence.interval_s or 0.0)
        quieter = 3 * trials[0].noise * (1 - mine.noise_ratio)
        sentences.append(
            f"For the tilt alarm: {fixed(behind, 1)}° for the lag, {fixed(quieter, 1)}° less for the noise."
        )
    if "pitch" in values:
        sentences.append(
            "A line follower turns by what it sees now: half the tape's width over the "
            "speed is all the lag it has."
        )
    return tuple(sentences)


def _odds(evidence: Evidence, mine: FilterSetting, raw: float, values: Values) -> tuple[Table, ...]:
    """What the filter makes of the odds of what is decided from these readings, beside none."""
    both = (setting("none", 1.0), mine)
    if "ping_interval" in values:
        there, interval = smoothed_truth(evidence.converted, evidence.valid), values["ping_interval"].value
        rows = []
        for item in both:
            stop = needed_stop(values, raw * item.noise_ratio, item.lag_samples * interval)
            guard = Guard(
                stop.trip_mm, stop.clear_mm, round(values["votes"].value), round(values["votes_of"].value)
            )
            odds = odds_on(
                evidence.times_s,
                item.over(evidence),
                evidence.valid,
                guard,
                max(raw * item.noise_ratio, 1e-6),
                evidence.interval_s or interval,
                there,
                round(item.lag_samples),
            )
            rows.append(
                (
                    item.label,
                    f"{fixed(stop.trip_mm)} mm",
                    rate(odds.false_per_hour),
                    f"{odds.counted.false} of {odds.counted.trips}",
                    f"{odds.counted.late} of {odds.counted.approaches}",
                )
            )
        heads = ("filter", "must trip at", "false trips an hour", "false, counted", "late, counted")
        return (Table("The obstacle guard with it", heads, tuple(rows)),)
    limits = thresholds_of(values) if "sensors" in values else {}
    lights, _ = lights_of([evidence], values) if limits else ([], [])
    misread = []
    for light in lights:
        for item in both:
            wrong = sum(
                _misread(item, light, i, limits[name][0])
                for i, name in enumerate(names_of(values))
                if name in limits
            )
            of = sum(
                light.line[i].size + light.ground[i].size
                for i, name in enumerate(names_of(values))
                if name in limits
            )
            misread.append((light.name, item.label, f"{wrong} of {of}"))
    return (
        (Table("The line thresholds with it", ("light", "filter", "misread"), tuple(misread)),)
        if misread
        else ()
    )


def _misread(item: FilterSetting, light: Light, sensor: int, threshold: float) -> int:
    """Readings of a sensor that stand on the wrong side of its threshold after the filter."""
    line, ground = item.run(light.line[sensor]), item.run(light.ground[sensor])
    low, high = (ground, line) if ground.mean() < line.mean() else (line, ground)
    return int((low > threshold).sum() + (high <= threshold).sum())


def _curve(trials: list[FilterTrial], now: FilterTrial, unit: str, limit_s: float) -> Plot:
    most = max(SHOWN * limit_s, 1.1 * now.lag_s)
    trials = [trial for trial in trials if trial.lag_s <= most]
    lines = [PlotLine("too late from here", ((1000 * limit_s, 0.0), (1000 * limit_s, trials[0].noise)))]
    for kind, called in zip(KINDS[1:], CALLED[1:], strict=True):
        points = tuple((1000 * trial.lag_s, trial.noise) for trial in trials if trial.setting.kind == kind)
        lines.append(PlotLine(called, tuple(sorted(points))))
    dots = [
        Dot(
            1000 * trial.lag_s,
            trial.noise,
            label=trial.setting.label,
            picked=trial.setting == now.setting,
            picks={
                "filter_kind": float(KINDS.index(trial.setting.kind)),
                "filter_amount": trial.setting.amount,
            },
        )
        for trial in trials
    ]
    if not any(dot.picked for dot in dots):
        dots.append(Dot(1000 * now.lag_s, now.noise, label=now.setting.label, picked=True))
    return Plot("Noise against lag", "lag", "ms", "noise left", unit, tuple(dots), tuple(lines))


def _too_slow(trials: list[FilterTrial], length_s: float) -> tuple[str, ...]:
    """Which filters a recording is too short for."""
    slow = [trial for trial in trials if trial.needs_s > length_s]
    if not slow:
        return ()
    return (
        f"Not shown, since this recording of {fixed(length_s)} s is too short for them: "
        f"{listed([f'{trial.setting.label} ({fixed(trial.needs_s)} s)' for trial in slow])}.",
    )


def _traces(evidence: Evidence, mine: FilterSetting, values: Values) -> tuple[Plot, ...]:
    """The liveliest stretch of the recording, raw and through the filter; and what the filter takes away."""
    times, readings = evidence.times_s[evidence.valid], evidence.converted[evidence.valid]
    start = 0
    if readings.size > DRAWN:
        spans = np.array(
            [np.ptp(readings[i : i + DRAWN]) for i in range(0, readings.size - DRAWN + 1, DRAWN // 4)]
        )
        start = int(spans.argmax()) * (DRAWN // 4)
    part = slice(start, start + DRAWN)
    filtered, unit = mine.run(readings)[part], values_unit(values)
    lines = [PlotLine("raw", _points(times[part], readings[part]))]
    if mine.kind == "none":
        return (Plot("On this recording", "time", "s", "reading", unit, lines=tuple(lines)),)
    lines.append(PlotLine(mine.label, _points(times[part], filtered)))
    away = PlotLine("raw less filtered", _points(times[part], readings[part] - filtered))
    return (
        Plot("On this recording", "time", "s", "reading", unit, lines=tuple(lines)),
        Plot("What it takes away", "time", "s", "raw less filtered", unit, lines=(away,), zero=True),
    )


def _points(times: Array, values: Array) -> tuple[tuple[float, float], ...]:
    return tuple(zip(times.tolist(), values.tolist(), strict=True))


def _row(trial: FilterTrial, unit: str, speed: float, raw: float) -> tuple[str, ...]:
    share = f"{fixed(100 * trial.noise / raw)} %" if raw else "none"
    way = (f"{fixed(1000 * speed * trial.lag_s, 1)} mm",) if speed else ()
    return (
        trial.setting.label,
        f"{_size(trial.noise)} {unit}".strip(),
        share,
        str(trial.spikes),
        f"{fixed(1000 * trial.lag_s)} ms",
        *way,
    )


def _table(trials: list[FilterTrial], unit: str, speed: float, raw: float) -> Table:
    shown = [trial for trial in trials if trial.setting.kind != "kalman"]
    way = (f"at {speed:g} m/s",) if speed else ()
    return Table(
        "Every filter on these readings",
        ("filter", "noise", "of raw", "spikes left", "late by", *way),
        tuple(_row(trial, unit, speed, raw) for trial in shown),
    )


def _ladder(trials: list[FilterTrial], unit: str, speed: float, raw: float, length_s: float) -> Table:
    """The ladder of q that people try, for the noise that these readings really have (r = their variance)."""
    variance = max(raw * raw, 1e-12)
    rows = []
    for trial in trials:
        if trial.setting.kind != "kalman":
            continue
        ratio = trial.setting.amount
        gain = filters.kalman_gain(ratio * variance, variance)
        way = (f"{fixed(1000 * speed * trial.lag_s, 1)} mm",) if speed else ()
        left = f"{fixed(100 * trial.noise / raw)} %" if raw else "none"
        rows.append(
            (
                significant(ratio),
                significant(ratio * variance, 2),
                f"{gain.gain:.3f}",
                left
                if trial.needs_s <= length_s
                else f"{left} of white noise; record {fixed(trial.needs_s)} s",
                f"{fixed(1000 * trial.lag_s)} ms",
                *way,
            )
        )
    way_head = (f"at {speed:g} m/s",) if speed else ()
    return Table(
        f"Kalman filter, r = {significant(variance)}" + (f" {unit}²" if unit else ""),
        ("q/r", "q", "gain", "of the noise", "late by", *way_head),
        tuple(rows),
    )


DECISIONS = (FilterChoice(),)
