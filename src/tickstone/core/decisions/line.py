"""Thresholds of a row of line sensors: both heaps of each sensor under every recorded light and height, and
the threshold that keeps farthest from all of them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from enum import Enum, auto

import numpy as np
import numpy.typing as npt

from tickstone.core import line_row
from tickstone.core.constants import Values
from tickstone.core.decisions import heaps as odds
from tickstone.core.decisions.decision import (
    Alternative,
    Choice,
    Decided,
    Decision,
    Evidence,
    Heap,
    HeapRow,
    Heaps,
    Marked,
    Odds,
    Question,
    standing,
)
from tickstone.core.figures import Table
from tickstone.core.line_row import GROUND, LINE
from tickstone.core.thresholds import (
    HYSTERESIS_SDS,
    population,
    threshold_midpoint,
    threshold_minimum_error,
    threshold_otsu,
)
from tickstone.core.wording import fixed, listed
from tickstone.errors import BadInput

Array = npt.NDArray[np.float64]

SAFE_SDS = 4.0  # a normal heap crosses it once in 32 000 readings: ten minutes at 50 a second
TIGHT_SDS = 3.0
LADDER = (250.0, 350.0, 450.0, 550.0)  # of 1023: the practitioners' ladder, common practice
LADDER_TOP = 1023.0
PERCENT = 0.5  # the percent school: half of the whole scale, common practice
MOST_BITS = 16
RULE_OF_THREE = 3.0  # nothing seen in n readings only says: fewer than 3/n (95 %)
MOST_COUNTS = 4096  # of a finer converter only so many thresholds are told
LEAST_READINGS = 8  # in a heap


@dataclass(frozen=True)
class Light:
    """The whole row under one condition in one recording: readings of each sensor over the line and over
    ground."""

    name: str
    recording_id: int
    line: tuple[Array, ...]
    ground: tuple[Array, ...]
    mark_ids: tuple[int, ...] = ()


def names_of(values: Values) -> list[str]:
    """The channels of the row, left to right."""
    return [f"s{place}" for place in range(1, int(values["sensors"].value) + 1)]


def top_code(values: Values) -> int:
    """The highest code of the converter."""
    return int(2 ** values["bits"].value) - 1


def lights_of(evidence: Sequence[Evidence], values: Values) -> tuple[list[Light], list[str]]:
    """The row under every condition of every recording, and sentences about spans that had no counterpart."""
    names = names_of(values)
    lights: list[Light] = []
    sentences: list[str] = []
    for item in evidence:
        spans: dict[str, dict[str, list[Marked]]] = {}
        for mark in item.marks:
            place = line_row.place_of(mark.label, mark.conditions)
            if place is not None and place[0] in (GROUND, LINE) and mark.t1_s > mark.t0_s:
                spans.setdefault(line_row.condition(place[1]), {}).setdefault(place[0], []).append(mark)
        for condition, both in spans.items():
            called = condition or item.name
            if len(evidence) > 1 and condition:
                called = f"{condition} · {item.name}"
            lacks = [place for place in (GROUND, LINE) if place not in both]
            if lacks:
                sentences.append(
                    f"{called}: no span is marked over {'the line' if lacks[0] == LINE else 'ground'}."
                )
                continue
            read = {place: _readings(item, marks, names) for place, marks in both.items()}
            few = next(
                (names[i] for place in read for i, x in enumerate(read[place]) if x.size < LEAST_READINGS),
                None,
            )
            if few is not None:
                sentences.append(
                    f"{called}: {few} has fewer than {LEAST_READINGS} readings in a marked span."
                )
                continue
            ids = tuple(mark.id for marks in both.values() for mark in marks if mark.id is not None)
            lights.append(Light(called, item.id, read[LINE], read[GROUND], ids))
    return lights, sentences


def _readings(evidence: Evidence, marks: Sequence[Marked], names: Sequence[str]) -> tuple[Array, ...]:
    def of(name: str) -> Array:
        column = evidence.channels.get(name, np.full(evidence.times_s.shape, np.nan))
        some = np.concatenate([column[evidence.between(mark)] for mark in marks])
        return np.asarray(some[np.isfinite(some)])

    return tuple(of(name) for name in names)


@dataclass(frozen=True)
class SensorOdds:
    """One sensor worked out: its pairs (low, high) under every condition, what every threshold means, the
    safest one."""

    pairs: tuple[odds.Pair, ...]
    table: odds.OddsTable
    safest: odds.Safest
    white_high: bool
    band: float


def sensor_odds(
    line: Sequence[Array], ground: Sequence[Array], conditions: Sequence[str], top: int
) -> SensorOdds:
    """One sensor under every condition.

    Parameters: line and ground, counts, one array (n,) for each condition; conditions, their names; top,
    highest code. Raises: BadInput for ``marks`` when conditions disagree which way is dark, or nothing tells
    ground from line.
    """
    white_high = odds.white_is_high(line, ground, conditions)
    pairs = tuple(
        odds.pair(name, dark if white_high else pale, pale if white_high else dark)
        for name, dark, pale in zip(conditions, line, ground, strict=True)
    )
    band = HYSTERESIS_SDS * max(fit.sd for pair in pairs for fit in (pair.low_fit, pair.high_fit))
    safest = odds.safest([(pair.low_fit, pair.high_fit) for pair in pairs])
    return SensorOdds(pairs, odds.table(pairs, top), safest, white_high, band)


def robust_row(lights: Sequence[Light], top: int) -> tuple[SensorOdds, ...]:
    """Every sensor of a row under every condition. Raises BadInput for ``marks``, naming the sensor."""
    row = []
    for i in range(len(lights[0].line)):
        try:
            row.append(
                sensor_odds(
                    [light.line[i] for light in lights],
                    [light.ground[i] for light in lights],
                    [light.name for light in lights],
                    top,
                )
            )
        except BadInput as error:
            raise BadInput(f"Sensor {i + 1}: {error}", "marks") from None
    return tuple(row)


@dataclass(frozen=True)
class OneForAll:
    """One threshold for the whole row: where, and the least margin it leaves, counts, at which sensor."""

    threshold: float
    margin: float
    worst: int


def one_for_all(row: Sequence[SensorOdds]) -> OneForAll | None:
    """The best single threshold of a row; None when its sensors do not agree which way is dark."""
    if len({item.white_high for item in row}) > 1:
        return None
    best = odds.safest([(p.low_fit, p.high_fit) for item in row for p in item.pairs])
    t = min(max(round(best.threshold), 0), row[0].table.margin.shape[1] - 1)
    least = [float(item.table.margin[:, t].min()) for item in row]
    return OneForAll(float(t), min(least), int(np.argmin(least)))


class LineThresholds(Decision):
    """A threshold and a band of hysteresis for every sensor of the row."""

    id = "line"
    title = "Line thresholds"
    begin = "choose where black ends and white begins."
    inputs = ()
    rests_on = (
        "reference",
        "bits",
        *(f"{what}{tail}" for what in ("white", "black") for tail in ("", *(f"_s{n}" for n in range(1, 9)))),
    )
    marked = True
    most = 8

    def sets(self, values: Values) -> tuple[str, ...]:
        return tuple(f"{what}_{name}" for name in names_of(values) for what in ("threshold", "band"))

    def speaks(self, marks: Sequence[Marked]) -> bool:
        names = {
            place[0]
            for mark in marks
            if mark.t1_s > mark.t0_s and (place := line_row.place_of(mark.label, mark.conditions)) is not None
        }
        return {GROUND, LINE} <= names

    def work(self, question: Question, values: Values) -> Decided:
        lights, sentences = lights_of(question.evidence, values)
        if not lights:
            return Decided(
                "No threshold yet: nothing is recorded over ground and over the line"
                if not sentences
                else "One heap is missing: a threshold stands between two",
                "record the row over ground and over the line, and mark both spans; or "
                "hold both at Calibrate.",
                why_not=sentences[0] if sentences else "Mark a span over ground and one over the line first.",
                good=False,
                notes=tuple(sentences),
            )
        if values["bits"].value > MOST_BITS:
            why = f"The odds are worked out for converters of up to {MOST_BITS} bits."
            return Decided(
                "This converter is too fine to go through all its counts",
                "read it with fewer bits.",
                why_not=why,
                good=False,
            )
        names, top = names_of(values), top_code(values)
        titles = line_row.places(len(names))
        row = robust_row(lights, top)
        tested = self._tested(question.test, row, values)
        rows, judged, choices = [], [], []
        for i, (name, item) in enumerate(zip(names, row, strict=True)):
            suggested = float(min(max(round(item.safest.threshold), 0), top))
            threshold = standing(f"threshold_{name}", question, values, suggested)
            band = standing(f"band_{name}", question, values, float(round(item.band)))
            judgement = judge(item, lights, threshold)
            judged.append(judgement)
            choices.append(
                Choice(
                    f"threshold_{name}",
                    threshold,
                    suggested,
                    "widest worst-case margin",
                    candidates(item, top),
                    warning=_warning(item, threshold, judgement.why)
                    if judgement.cause is not Cause.NONE
                    else "",
                )
            )
            choices.append(Choice(f"band_{name}", band, float(round(item.band)), "six times the noise"))
            rows.append(
                HeapRow(
                    titles[i],
                    f"threshold_{name}",
                    f"band_{name}",
                    _heaps(item, top),
                    told_odds(item.table, tested[i] if tested else None),
                    judgement.state,
                    judgement.why,
                    "ground" if item.white_high else "line",
                    name,
                )
            )
        heading, good = _heading(rows, len(lights))
        shared = one_for_all(row)
        return Decided(
            heading,
            _next(rows, judged),
            tuple(choices),
            good=good,
            notes=(*_notes(rows, row, shared, lights), *sentences),
            tables=(_table(rows, row, lights, [c for c in choices if c.name.startswith("threshold")]),),
            drawing=Heaps(
                0.0,
                float(top),
                "counts",
                tuple(light.name for light in lights),
                tuple(rows),
                tuple(step * top / LADDER_TOP for step in LADDER),
                None if shared is None else shared.threshold,
                TIGHT_SDS,
            ),
            used=tuple(dict.fromkeys(light.recording_id for light in lights)),
            marks_used=tuple(mark for light in lights for mark in light.mark_ids),
        )

    def _tested(
        self, test: Evidence | None, row: Sequence[SensorOdds], values: Values
    ) -> list[tuple[npt.NDArray[np.int64], int]] | None:
        """Misreads of every threshold on a recording that took no part, by sensor."""
        if test is None:
            return None
        lights, _ = lights_of([test], values)
        if not lights:
            raise BadInput(f"“{test.name}” has no span over ground and over the line to test on.", "test")
        top, results = top_code(values), []
        for i, item in enumerate(row):
            line, ground = (
                np.concatenate([getattr(light, place)[i] for light in lights]) for place in (LINE, GROUND)
            )
            low, high = (line, ground) if item.white_high else (ground, line)
            results.append((odds.counted(low, high, top), int(low.size + high.size)))
        return results


class Cause(Enum):
    """Why a sensor is not safe at its threshold."""

    NONE = auto()
    MISPLACED = auto()  # a safe threshold is there, another is taken
    LIGHTS = auto()  # safe in each light by itself, in no two
    A_LIGHT = auto()
    OVERLAP = auto()


@dataclass(frozen=True)
class Judgement:
    """How a sensor stands at its threshold: its state, why, in a few words, and the light that spoils it."""

    state: str
    cause: Cause
    why: str
    light: str = ""


def judge(item: SensorOdds, lights: Sequence[Light], threshold: float) -> Judgement:
    """Whether a sensor is safe, tight or unsafe at a threshold, and why."""
    t = int(min(max(round(threshold), 0), item.table.margin.shape[1] - 1))
    worst = int(item.table.margin_sds[:, t].argmin())
    sds = float(item.table.margin_sds[worst, t])
    if sds >= TIGHT_SDS:
        return Judgement("safe" if sds >= SAFE_SDS else "tight", Cause.NONE, f"margin {fixed(sds, 1)} σ")
    best = int(min(max(round(item.safest.threshold), 0), item.table.margin.shape[1] - 1))
    if float(item.table.margin_sds[:, best].min()) >= TIGHT_SDS:
        return Judgement("unsafe", Cause.MISPLACED, "the threshold stands in a heap: move it")
    alone = [odds.safest([(p.low_fit, p.high_fit)]).margin > 0 for p in item.pairs]
    if len(lights) > 1 and all(alone):
        return Judgement("unsafe", Cause.LIGHTS, "its heaps move with the light")
    if len(lights) > 1 and any(alone):
        light = lights[alone.index(False)].name
        return Judgement("unsafe", Cause.A_LIGHT, f"heaps overlap in {light}", light)
    return Judgement("unsafe", Cause.OVERLAP, "heaps overlap")


def _warning(item: SensorOdds, threshold: float, why: str) -> str:
    """What goes with a threshold that is not safe, wherever it goes."""
    t = int(min(max(round(threshold), 0), item.table.margin.shape[1] - 1))
    return f"{why}, {int(item.table.counted[:, t].sum())} of {sum(item.table.readings)} misread"


def candidates(item: SensorOdds, top: int) -> tuple[Alternative, ...]:
    """Where the threshold could stand instead: over all conditions together."""
    low, high = (np.concatenate([getattr(p, side) for p in item.pairs]) for side in ("low", "high"))
    least = (
        threshold_minimum_error(population(low, "low"), population(high, "high"))
        if low.mean() < high.mean()
        else None
    )
    alternatives = [
        Alternative("midpoint", threshold_midpoint(low, high)),
        Alternative("Otsu", threshold_otsu(np.concatenate([low, high])).threshold),
    ]
    if least is not None:
        alternatives.append(Alternative("least error", least))
    alternatives.append(Alternative("half of the scale", PERCENT * (top + 1), "assumed"))
    return tuple(alternatives)


def told_odds(result: odds.OddsTable, tested: tuple[npt.NDArray[np.int64], int] | None = None) -> Odds:
    """A table as it is told to a screen: each threshold's worst condition, at most MOST_COUNTS of them."""
    count = result.margin.shape[1]
    step = -(-count // MOST_COUNTS)
    at = slice(None, None, step)
    return Odds(
        0.0,
        float(step),
        tuple(result.counted.sum(axis=0)[at].tolist()),
        sum(result.readings),
        tuple(float(f"{x:.3g}") for x in result.fitted.max(axis=0)[at].tolist()),
        tuple(np.round(result.margin.min(axis=0)[at], 1).tolist()),
        tuple(np.round(result.margin_sds.min(axis=0)[at], 2).tolist()),
        tuple(result.worst[at].tolist()),
        () if tested is None else tuple(tested[0][at].tolist()),
        0 if tested is None else tested[1],
        RULE_OF_THREE * 1000.0 / sum(result.readings),
    )


def _heaps(item: SensorOdds, top: int) -> tuple[Heap, ...]:
    heaps = []
    for each in item.pairs:
        for place, values in (
            (LINE, each.low if item.white_high else each.high),
            (GROUND, each.high if item.white_high else each.low),
        ):
            fit = population(values, place)
            shape = odds.outline(values, 0.0, float(top))
            heaps.append(
                Heap(each.condition, place, place == LINE, fit.mean, fit.sd, int(values.size), shape)
            )
    return tuple(heaps)


NUMBERS = ("No", "One", "Two", "Three", "Four", "Five", "Six", "Seven", "Eight")


def _heading(rows: Sequence[HeapRow], lights: int) -> tuple[str, bool]:
    bad = [row.title for row in rows if row.state == "unsafe"]
    where = " in every light" if lights > 1 else ""
    if not bad:
        if len(rows) == 1:
            return f"The sensor is safe{where}", True
        tight = [row.title for row in rows if row.state == "tight"]
        also = f"; {listed(tight)} only just" if tight else ""
        return f"All {NUMBERS[len(rows)].lower()} sensors are safe{where}{also}", True
    if len(bad) == len(rows):
        return f"No sensor is safe{where}", False
    safe = len(rows) - len(bad)
    verb = "is" if safe == 1 else "are"
    return (
        f"{NUMBERS[safe]} sensor{'' if safe == 1 else 's'} {verb} safe{where}; "
        f"{listed(bad)} {'is' if len(bad) == 1 else 'are'} not"
    ), False


def _next(rows: Sequence[HeapRow], judged: Sequence[Judgement]) -> str:
    title, bad = next(
        (
            (row.title, judgement)
            for row, judgement in zip(rows, judged, strict=True)
            if judgement.cause is not Cause.NONE
        ),
        ("", None),
    )
    if bad is None:
        return "choose these, and they go into the robot with the next stone."
    return {
        Cause.MISPLACED: f"the threshold of {title} stands in a heap: drag it into the gap.",
        Cause.LIGHTS: (
            f"shade {title} from the room's light, or read it with its lamp off and on; "
            "then record both again."
        ),
        Cause.A_LIGHT: f"{title}: no threshold works in {bad.light}: mend its height or its light there.",
        Cause.OVERLAP: (
            f"no threshold works for {title}: lower it or clean it; if that does not help, it is the sensor."
        ),
    }[bad.cause]


def _notes(
    rows: Sequence[HeapRow], row: Sequence[SensorOdds], shared: OneForAll | None, lights: Sequence[Light]
) -> tuple[str, ...]:
    sentences = []
    own = min(item.safest.margin for item in row)
    if len(rows) > 1:
        if shared is None:
            sentences.append("No one threshold serves all: the sensors do not agree which way is dark.")
        elif shared.margin <= 0:
            sentences.append(
                f"One threshold for all would not do: at its best, {shared.threshold:.0f}, it stands in a "
                f"heap of {rows[shared.worst].title}."
            )
        else:
            sentences.append(
                f"One threshold for all would stand at {shared.threshold:.0f} and leave {shared.margin:.0f} "
                f"counts at {rows[shared.worst].title}; one for each leaves {own:.0f} at the least."
            )
    wide = [
        heap.title
        for heap, item in zip(rows, row, strict=True)
        if heap.state != "unsafe" and item.band / 2 > item.safest.margin
    ]
    if wide:
        sentences.append(
            f"The band of {listed(wide)} reaches into a heap: noise would hold the old "
            "state there for longer."
        )
    if len(lights) == 1:
        sentences.append(
            "This is one light and one height only. Record lamp on, lamp off and the height after a bump too."
        )
    high = {"ground" if item.white_high else "line" for item in row}
    sentences.append(
        f"{'Ground' if high == {'ground'} else 'The line' if high == {'line'} else 'Not the same side'} "
        "reads high."
    )
    return tuple(sentences)


def _table(
    rows: Sequence[HeapRow], row: Sequence[SensorOdds], lights: Sequence[Light], choices: Sequence[Choice]
) -> Table:
    cells = []
    for i, light in enumerate(lights):
        sentences = []
        for item, choice in zip(row, choices, strict=True):
            t = int(min(max(round(choice.value), 0), item.table.counted.shape[1] - 1))
            sentences.append(
                f"{item.table.counted[i, t]} of {item.table.readings[i]}, "
                f"{fixed(float(item.table.margin_sds[i, t]), 1)} σ"
            )
        cells.append((light.name, *sentences))
    return Table("Misread in each light, and margin", ("light", *(row.title for row in rows)), tuple(cells))


def thresholds_of(values: Values) -> Mapping[str, tuple[float, float]]:
    """The chosen thresholds and bands of a row, by channel; nothing for sensors without one."""
    results = {}
    for name in names_of(values):
        if f"threshold_{name}" in values:
            band = values.get(f"band_{name}")
            results[name] = (values[f"threshold_{name}"].value, band.value if band is not None else 0.0)
    return results


DECISIONS = (LineThresholds(),)
