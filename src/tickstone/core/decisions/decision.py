"""The vocabulary of a decision: what recordings say, what can be chosen, with which odds.

A decision is one class; no station, table or address knows which ones there are. It gets recordings as arrays
and the constants as they stand, and says in words and numbers what each choice would mean.
"""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, ClassVar, Literal

import numpy as np
import numpy.typing as npt

from tickstone.core.constants import Provenance, Value, Values
from tickstone.core.figures import Plot, Table

Array = npt.NDArray[np.float64]


@dataclass(frozen=True)
class Marked:
    """A marked span of a recording, s, with what was true there and under what conditions."""

    t0_s: float
    t1_s: float
    label: str
    truth: Mapping[str, Any] | None
    conditions: Mapping[str, Any]
    id: int | None = None


@dataclass(frozen=True)
class Evidence:
    """A recording of one sensor: ``times_s``, shape (n,), rising; raw ``channels`` and the numbers ``inputs``
    by name, ``converted``, what today's constants make of them, and where that is ``valid``, all of shape
    (n,)."""

    id: int
    name: str
    times_s: Array
    channels: Mapping[str, Array]
    inputs: Mapping[str, Array]
    converted: Array
    valid: npt.NDArray[np.bool_]
    marks: tuple[Marked, ...] = ()

    @property
    def interval_s(self) -> float | None:
        """The usual time between two readings, s."""
        return float(np.median(np.diff(self.times_s))) if self.times_s.size > 2 else None

    @property
    def hours(self) -> float:
        """How long it is, h."""
        return float(self.times_s[-1] - self.times_s[0]) / 3600.0 if self.times_s.size else 0.0

    def between(self, mark: Marked) -> slice:
        """The rows of a marked span; what begins at its end belongs to what comes next."""
        first, last = np.searchsorted(self.times_s, [mark.t0_s, mark.t1_s])
        return slice(int(first), int(last))


@dataclass(frozen=True)
class Alternative:
    """A value that could be chosen instead, and where it comes from: derived from these readings, or
    assumed."""

    label: str
    value: float
    provenance: str = "derived"


@dataclass(frozen=True)
class Choice:
    """A constant that is chosen here. ``value`` is what stands or is picked, ``suggested`` what the readings
    recommend and ``why``. ``options`` names the values 0, 1, … of one that is only ever those; ``step`` is
    one nudge. ``warning`` is what speaks against ``value``, and goes with it wherever it is chosen all the
    same."""

    name: str
    value: float
    suggested: float
    why: str
    candidates: tuple[Alternative, ...] = ()
    options: tuple[str, ...] = ()
    step: float = 1.0
    warning: str = ""


@dataclass(frozen=True)
class Heap:
    """Readings of one sensor in one place under one condition, for drawing: ``outline`` is (count, height
    from 0 to 1)."""

    condition: str
    place: str
    filled: bool
    mean: float
    sd: float
    n: int
    outline: tuple[tuple[float, float], ...]


@dataclass(frozen=True)
class Odds:
    """What each threshold would mean, at ``first``, ``first + step``, …: misreads counted of ``of`` readings,
    misreads per 1000 by the fitted heaps under the worst condition, margin to the nearest heap's edge in
    counts and to its middle in its sds, and the condition that is worst; ``tested`` are the misreads of
    ``tested_of`` readings of a recording that took no part in the choice. With nothing misread no rate below
    ``proved_per_1000`` is proved (95 %)."""

    first: float
    step: float
    counted: tuple[int, ...]
    of: int
    fitted: tuple[float, ...]
    margin: tuple[float, ...]
    margin_sds: tuple[float, ...]
    worst: tuple[int, ...]
    tested: tuple[int, ...] = ()
    tested_of: int = 0
    proved_per_1000: float = 0.0


@dataclass(frozen=True)
class HeapRow:
    """One sensor's heaps on the common axis, with the constants that are chosen for it, and why it is safe or
    not."""

    title: str
    threshold: str
    band: str
    heaps: tuple[Heap, ...]
    odds: Odds
    state: str  # safe, tight or unsafe
    said: str
    high_place: str  # what a reading above the threshold is
    channel: str = ""  # whose readings come live


@dataclass(frozen=True)
class Heaps:
    """Heaps of all sensors on one axis, the conditions by name, and rules of thumb as graduations of the same
    axis; ``shared`` is the one threshold that would serve all of them best, ``least_sds`` the margin below
    which a threshold is not safe."""

    low: float
    high: float
    unit: str
    conditions: tuple[str, ...]
    rows: tuple[HeapRow, ...]
    ladder: tuple[float, ...] = ()
    shared: float | None = None
    least_sds: float = 0.0
    draws: Literal["heaps"] = "heaps"


@dataclass(frozen=True)
class Grip:
    """A constant that is dragged in a drawing: it is zero at ``zero_mm`` and grows by ``per_mm`` with each mm
    from there, in steps of ``step``, all in its own unit."""

    constant: str
    zero_mm: float
    per_mm: float
    step: float


@dataclass(frozen=True)
class Floor:
    """The floor in front of the bumper: the parts of the stop, mm, which sum to ``trip_mm``; thresholds that
    people type in; up to where the beam is blind; the steps of an LED bar; and what is dragged."""

    trip_mm: float
    clear_mm: float
    parts_mm: Mapping[str, float]
    reach_mm: float
    common_mm: tuple[float, ...]
    nearest_mm: float = 0.0
    bar_mm: tuple[float, ...] = ()
    grips: tuple[Grip, ...] = ()
    draws: Literal["floor"] = "floor"


@dataclass(frozen=True)
class Flag:
    """Something about a state, in a few words: ``wrong`` when its action contradicts it, odd otherwise."""

    text: str
    wrong: bool


@dataclass(frozen=True)
class RowState:
    """A state of the row: which sensors see the line, what that is in words, the choice that says what to do,
    what is wrong with it, how often it was seen, and what three check lamps would show."""

    pattern: str
    words: str
    choice: str
    flags: tuple[Flag, ...]
    seen: int
    lamps: tuple[bool, bool, bool]
    reachable: bool


@dataclass(frozen=True)
class States:
    """Every state that a row of sensors can be in."""

    rows: tuple[RowState, ...]
    draws: Literal["states"] = "states"


Drawing = Heaps | Floor | States  # told apart by what each ``draws``


@dataclass(frozen=True)
class Decided:
    """What the readings say: the verdict, what to do next, what can be chosen, why nothing can (empty: it
    can), and the drawing in which it is chosen, where it has one."""

    heading: str
    next: str
    choices: tuple[Choice, ...] = ()
    why_not: str = ""
    good: bool = True
    notes: tuple[str, ...] = ()
    plots: tuple[Plot, ...] = ()
    tables: tuple[Table, ...] = ()
    drawing: Drawing | None = None
    used: tuple[int, ...] = ()
    marks_used: tuple[int, ...] = ()


def warning_of(decided: Decided, name: str) -> str:
    """What speaks against a choice as it stands: its own warning, or the verdict on all where none has one of
    its own."""
    mine = next((choice.warning for choice in decided.choices if choice.name == name), "")
    alone = decided.good or any(choice.warning for choice in decided.choices)
    return mine if alone else decided.heading


Picked = Mapping[str, float]


@dataclass(frozen=True)
class Question:
    """What a decision is worked from: the recordings it is made on, one kept aside to test it, which of its
    choices are picked, and whether a sensor of the rig measures the air."""

    evidence: Sequence[Evidence] = ()
    test: Evidence | None = None
    picked: Picked = field(default_factory=dict)
    air_measured: bool = False


class Decision(ABC):
    """A way to choose constants; ``begin`` says in a sentence what is to be done while it is open. ``inputs``
    are constants it is worked from, which a person may set beside it; ``marked`` ones need recordings whose
    marks speak to them; the others take any of ``least`` rows, ``most`` at a time. ``rests_on`` names further
    constants that make the choice stale when they change."""

    id: ClassVar[str]
    title: ClassVar[str]
    begin: ClassVar[str]
    inputs: ClassVar[tuple[str, ...]] = ()
    rests_on: ClassVar[tuple[str, ...]] = ()
    cautions: ClassVar[tuple[str, ...]] = ()
    marked: ClassVar[bool] = False
    most: ClassVar[int] = 1
    least: ClassVar[int] = 50

    @abstractmethod
    def work(self, question: Question, values: Values) -> Decided:
        """What can be chosen, with its odds."""

    def speaks(self, marks: Sequence[Marked]) -> bool:
        """Whether the marks of a recording speak to this decision."""
        return True

    @abstractmethod
    def sets(self, values: Values) -> tuple[str, ...]:
        """The constants that are chosen here."""


def standing(name: str, question: Question, values: Values, suggested: float) -> float:
    """The value of a choice: picked now, chosen before, or the suggested one."""
    if name in question.picked:
        return question.picked[name]
    known = values.get(name)
    return known.value if known is not None and known.provenance is not Provenance.ASSUMED else suggested


def chosen_by(decision: Decision, values: Values) -> tuple[Value, ...]:
    """The constants of a decision that have been chosen; none while it is open."""
    result = (values.get(name) for name in decision.sets(values))
    return tuple(value for value in result if value is not None and value.provenance is Provenance.CHOSEN)
