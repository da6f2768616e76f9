"""The edge guard: go only while every sensor reads what the table reads. And the trim of a comparator: the
voltage between two populations, and what a meter should say there."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from tickstone.core import line_row
from tickstone.core.constants import Provenance, Values
from tickstone.core.deciding import fastest_stop_m_s, overrun_mm
from tickstone.core.decisions import heaps as odds
from tickstone.core.decisions.decision import (
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
from tickstone.core.decisions.line import LEAST_READINGS, names_of, top_code
from tickstone.core.figures import Table
from tickstone.core.line_row import GROUND, LINE
from tickstone.core.thresholds import Population, population, tail
from tickstone.core.wording import fixed, listed, rate, significant

# so far from the table's middle a normal reading strays once in 1.7 million, half a day at 50 a second
TABLE_SDS = 5.0
METER_SHARE, METER_DIGIT_V = 0.01, 0.01  # of a cheap meter, common practice
SPEEDS = (0.5, 1.0, 1.5, 2.0)
OFFSET_V = 0.005  # of a cheap comparator, common practice


class EdgeGuard(Decision):
    """The span of counts that is the table, for every sensor: outside of it the vehicle stops, backs and
    turns."""

    id = "edge"
    title = "Edge guard"
    begin = "choose what counts as the table."
    inputs = ("drive_speed", "braking", "look_interval", "edge_votes", "reaction", "ahead")
    rests_on = ("reference", "bits", "white", "black")
    cautions = ("Try it on the floor first, then with a hand at the edge.",)
    marked = True
    most = 8

    def sets(self, values: Values) -> tuple[str, ...]:
        return tuple(f"table_{end}_{name}" for name in names_of(values) for end in ("low", "high"))

    def speaks(self, marks: Sequence[Marked]) -> bool:
        return any(self._place(mark) == GROUND for mark in marks)

    def _place(self, mark: Marked) -> str | None:
        if mark.label.strip().lower().startswith(("edge", "over the edge", "nothing")):
            return LINE  # over an edge nothing reflects, which reads as dark
        result = line_row.place_of(mark.label, mark.conditions)
        return None if result is None or mark.t1_s <= mark.t0_s else result[0]

    def work(self, question: Question, values: Values) -> Decided:
        names, top = names_of(values), top_code(values)
        table = [_spans(question.evidence, name, GROUND, self) for name in names]
        edge = [_spans(question.evidence, name, LINE, self) for name in names]
        if any(sum(item.size for item in some) < LEAST_READINGS for some in table):
            why = "Mark a span over the table (ground) first."
            return Decided(
                "No edge guard yet: the table is not recorded",
                "record the row over the bare table, and mark it.",
                why_not=why,
                good=False,
            )
        worked = [
            _sensor(name, title, table[i], edge[i], question, values, top)
            for i, (name, title) in enumerate(zip(names, line_row.places(len(names)), strict=True))
        ]
        rows = tuple(row for row, _ in worked)
        choices = tuple(choice for _, pair in worked for choice in pair)
        bad = [row.title for row in rows if row.state == "unsafe"]
        wide = [row.title for row, (low, high) in worked if high.value - low.value > top / 2]
        stop = _Stop.of(values)
        heading = (
            f"{listed(bad).capitalize()} would take the edge for the table"
            if bad
            else (
                f"At {stop.speed:g} m/s the wheel would be {fixed(stop.overrun - stop.ahead)} mm over the "
                "edge before it stands"
            )
            if stop.falls
            else (
                f"Every sensor knows its table; at {stop.speed:g} m/s it stands "
                f"{fixed(stop.ahead - stop.overrun)} mm before the edge"
            )
        )
        following = (
            "lower the row, or narrow the span."
            if bad
            else f"drive no faster than {fixed(stop.fastest, 2)} m/s, or mount the row farther ahead."
            if stop.falls
            else "choose these, then try it with a hand at the edge."
        )
        return Decided(
            heading,
            following,
            choices,
            good=not bad and not stop.falls,
            notes=(stop.sentence, *_notes(any(item.size for some in edge for item in some), wide)),
            tables=(_overruns(stop), _percent(names, [row.title for row in rows], choices, values)),
            drawing=Heaps(0.0, float(top), "counts", ("table", "edge"), rows),
            used=tuple(evidence.id for evidence in question.evidence),
        )


@dataclass(frozen=True)
class _Stop:
    """How far the vehicle goes between the first look beyond the table and standing, mm, and how far the row
    looks ahead of what must not fall."""

    speed: float
    delay: float
    braking: float
    ahead: float

    @staticmethod
    def of(values: Values) -> _Stop:
        delay = values["look_interval"].value * round(values["edge_votes"].value) + values["reaction"].value
        return _Stop(values["drive_speed"].value, delay, values["braking"].value, values["ahead"].value)

    @property
    def overrun(self) -> float:
        return overrun_mm(self.speed, self.delay, self.braking)

    @property
    def falls(self) -> bool:
        return self.overrun > self.ahead

    @property
    def fastest(self) -> float:
        return math.floor(100 * fastest_stop_m_s(self.ahead, self.delay, self.braking)) / 100

    @property
    def sentence(self) -> str:
        return (
            f"It overruns the edge by {fixed(self.overrun)} mm at {self.speed:g} m/s: "
            f"{fixed(1000 * self.speed * self.delay)} mm until it brakes "
            f"({fixed(1000 * self.delay)} ms), "
            f"{fixed(overrun_mm(self.speed, 0.0, self.braking))} mm while it does. The row "
            f"looks {fixed(self.ahead)} mm ahead of the wheel: up to "
            f"{fixed(self.fastest, 2)} m/s it stands in time."
        )


def _overruns(stop: _Stop) -> Table:
    """What other speeds would overrun."""
    rows = []
    for factor in SPEEDS:
        other = replace(stop, speed=stop.speed * factor)
        left = other.ahead - other.overrun
        rows.append(
            (
                f"{significant(other.speed, 2)} m/s",
                f"{fixed(other.overrun)} mm",
                f"{fixed(left)} mm before the edge" if left >= 0 else f"{fixed(-left)} mm over the edge",
            )
        )
    return Table("What it overruns", ("speed", "until it stands", "then the wheel is"), tuple(rows))


def _sensor(
    name: str,
    title: str,
    table: Sequence[odds.Array],
    edge: Sequence[odds.Array],
    question: Question,
    values: Values,
    top: int,
) -> tuple[HeapRow, tuple[Choice, Choice]]:
    """One sensor's span of counts that is the table, and how well it keeps the edge out."""
    fits = [population(item, "table") for item in table]
    least = max(0.0, math.floor(min(fit.mean - TABLE_SDS * fit.sd for fit in fits)))
    most = min(float(top), math.ceil(max(fit.mean + TABLE_SDS * fit.sd for fit in fits)))
    low = Choice(
        f"table_low_{name}",
        standing(f"table_low_{name}", question, values, least),
        least,
        "five σ below the table",
    )
    high = Choice(
        f"table_high_{name}",
        standing(f"table_high_{name}", question, values, most),
        most,
        "five σ above the table",
    )
    out = max(tail((fit.mean - low.value) / fit.sd) + tail((high.value - fit.mean) / fit.sd) for fit in fits)
    strayed = sum(int(((item < low.value) | (item > high.value)).sum()) for item in table)
    beyond = [item for item in edge if item.size]
    passed = sum(int(((item >= low.value) & (item <= high.value)).sum()) for item in beyond)
    of, dark = sum(item.size for item in table), sum(item.size for item in beyond)
    shapes = [
        Heap(
            f"{place} {k + 1}",
            place,
            filled,
            float(item.mean()),
            population(item, place).sd,
            int(item.size),
            odds.outline(item, 0.0, float(top)),
        )
        for place, filled, some in (("table", False, table), ("edge", True, beyond))
        for k, item in enumerate(some)
    ]
    text = (
        f"{passed} of {dark} dark readings pass for table"
        if passed
        else f"strays {_seldom(out)}; {strayed} of {of} counted"
    )
    nothing = Odds(0, 1, (), of, (), (), (), ())
    row = HeapRow(
        title,
        low.name,
        high.name,
        tuple(shapes),
        nothing,
        "unsafe" if passed else "safe",
        text,
        "table",
        name,
    )
    return row, (low, high)


def _notes(seen_edge: bool, wide: Sequence[str]) -> tuple[str, ...]:
    sentences = [
        "Over an edge nothing reflects, which reads as dark: stop, back, turn. “Dark go, pale back” is "
        "only for a dark field with a pale border.",
        "A reading that is missing is not the table: stop.",
    ]
    if not seen_edge:
        sentences.append(
            "Nothing is recorded over the edge or over dark: mark one as “edge”, to see that it is caught."
        )
    if wide:
        sentences.append(f"The table of {listed(wide)} takes more than half of the scale: it hardly guards.")
    return tuple(sentences)


def _spans(evidence: Sequence[Evidence], name: str, place: str, guard: EdgeGuard) -> list[odds.Array]:
    results = []
    for item in evidence:
        for mark in item.marks:
            if guard._place(mark) == place and name in item.channels:
                span = item.channels[name][item.between(mark)]
                if np.isfinite(span).any():
                    results.append(span[np.isfinite(span)])
    return results


def _seldom(share: float) -> str:
    return (
        "never by the fit" if share < 1e-12 else f"once in {1 / share:,.0f} by the fit".replace(",", "\u2009")
    )


def _percent(names: Sequence[str], titles: Sequence[str], choices: Sequence[Choice], values: Values) -> Table:
    """The same limits as reflectance, in percent."""
    rows = []
    for i, name in enumerate(names):
        white, black = (values.get(f"{what}_{name}", values[what]).value for what in ("white", "black"))
        ends = (
            sorted(100 * (choices[2 * i + k].value - black) / (white - black) for k in (0, 1))
            if white != black
            else (0, 0)
        )
        rows.append(
            (
                titles[i],
                f"{fixed(choices[2 * i].value)} to {fixed(choices[2 * i + 1].value)}",
                f"{fixed(ends[0])} to {fixed(ends[1])} %",
            )
        )
    return Table("The table, in counts and as reflectance", ("sensor", "counts", "of white"), tuple(rows))


class Trim(Decision):
    """Where the trim screw of a comparator should stand: read the receiver's voltage over pale and over dark
    with a meter."""

    id = "trim"
    title = "Trim screw"
    begin = "choose where the trim screw stands."
    inputs = ("pale_v", "dark_v", "meter_sd")
    cautions = ("Turn the screw with the motors off; the meter's tip must not bridge two pins.",)

    def sets(self, values: Values) -> tuple[str, ...]:
        return ("trim_v",)

    def work(self, question: Question, values: Values) -> Decided:
        pale, dark = values["pale_v"], values["dark_v"]
        sd = values["meter_sd"].value
        gap = abs(dark.value - pale.value)
        middle = (pale.value + dark.value) / 2
        trim = standing("trim_v", question, values, round(middle, 2))
        off = math.hypot(METER_SHARE * trim, METER_DIGIT_V)
        measured = Provenance.ASSUMED not in (pale.provenance, dark.provenance)
        spread = max(sd, 1e-3)
        margin = min(abs(trim - pale.value), abs(trim - dark.value))
        inside = min(pale.value, dark.value) < trim < max(pale.value, dark.value)
        why_not = (
            ""
            if measured
            else "Read the receiver's voltage over pale and over dark with a meter, and type both."
        )
        good = inside and margin > 3 * spread + off + OFFSET_V
        heading = (
            "No trim yet: both voltages are only assumed"
            if not measured
            else f"Pale and dark are only {fixed(gap, 2)} V apart: no setting of the screw parts them"
            if gap <= 6 * spread
            else f"Set the screw so that the meter says {fixed(trim - off, 2)} to {fixed(trim + off, 2)} V"
            if inside
            else f"{fixed(trim, 2)} V is not between pale and dark: the output would never change"
        )
        wrong = odds.fitted(
            Population(min(pale.value, dark.value), spread),
            Population(max(pale.value, dark.value), spread),
            [trim],
        )[0]
        share = (trim - pale.value) / (dark.value - pale.value) if gap else 0.5
        return Decided(
            heading,
            "turn the screw until the meter says so, then choose it." if measured else "type both readings.",
            (Choice("trim_v", trim, round(middle, 2), "half way between pale and dark", step=0.01),),
            why_not=why_not,
            good=good or not measured,
            notes=(
                f"Pale {fixed(pale.value, 2)} V, dark {fixed(dark.value, 2)} V; the screw at "
                f"{fixed(100 * share)} % of the way to dark leaves {fixed(margin, 2)} V to the nearer one.",
                f"Misreads per 1000 by the fit: {rate(float(wrong))}; a meter of 1 % and a digit says ± "
                f"{fixed(off, 2)} V.",
                "The output goes low when light comes back. More than half way to dark switches at a "
                "greater distance, less at a nearer one.",
            ),
        )


DECISIONS = (EdgeGuard(), Trim())
