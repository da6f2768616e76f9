"""The vocabulary of a procedure: places that are wanted, a window of readings judged and taken, steps held,
an outcome.

A procedure is one class; no station, table or address knows which ones there are. It never sees a clock, a
database or a sensor: it gets windows of raw channels and the constants as they stand.
"""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass, field, replace
from enum import StrEnum
from typing import Any, ClassVar, Generic, TypeVar

import numpy as np
import numpy.typing as npt

from tickstone.core.constants import Covariance, Values
from tickstone.core.figures import Plot, Table

Array = npt.NDArray[np.float64]
HOLD_S = 2.0


@dataclass(frozen=True)
class FormField:
    """A number that a person types, or one of ``choices`` (0, 1, …); ``needed`` ones may not be left out,
    ``whole`` ones have no fraction. ``counted_by`` names an instrument of the sensor that counts it, too."""

    name: str
    label: str
    unit: str
    typical: float | None
    low: float
    high: float
    choices: tuple[str, ...] = ()
    needed: bool = True
    whole: bool = False
    counted_by: str = ""


@dataclass(frozen=True)
class Want:
    """A pose, place or run that is wanted: ``do`` says what to do, ``fields`` what is typed for it. One that
    is not ``watched`` is only typed: no reading belongs to it. ``more`` ones are welcome and not counted as
    missing."""

    key: str
    label: str
    do: str
    fields: tuple[FormField, ...] = ()
    watched: bool = True
    more: bool = False


@dataclass(frozen=True)
class Window:
    """A stretch of readings of one sensor: ``times_s``, shape (n,), rising; raw ``channels`` by name, shape
    (n,), NaN where not told; ``converted``, what today's constants make of them, at times of their own;
    ``air``, °C, the newest air readings of the rig (none: no such sensor), and ``air_sd``, how right that
    thermometer is; ``supply_v``, what a battery gauge says."""

    times_s: Array
    channels: Mapping[str, Array]
    converted: Array = field(default_factory=lambda: np.zeros(0))
    air: Array = field(default_factory=lambda: np.zeros(0))
    air_sd: float = 0.5
    supply_v: float | None = None

    @property
    def span_s(self) -> float:
        """From the first reading to the last, s."""
        return float(self.times_s[-1] - self.times_s[0]) if self.times_s.size else 0.0

    @property
    def air_c(self) -> float | None:
        """Mean of the air readings, °C."""
        return float(self.air.mean()) if self.air.size else None

    def told(self, name: str) -> Array:
        """The readings of a channel that are there, shape (m,)."""
        column = self.channels[name]
        return column[np.isfinite(column)]


Taken = TypeVar("Taken")  # what a procedure keeps of a window: a dataclass of its own, or None


@dataclass(frozen=True)
class Step(Generic[Taken]):
    """A place that is held: what was typed as true, and what was taken of the readings."""

    key: str
    label: str
    truth: Mapping[str, float]
    taken: Taken
    n: int = 1
    held_s: float = 0.0
    air_c: float | None = None
    supply_v: float | None = None


Steps = Sequence[Step[Taken]]


class Lack(StrEnum):
    """What a window that is right so far merely lacks."""

    READINGS = "readings"
    TIME = "time"


@dataclass(frozen=True)
class Hindrance:
    """Why a window may not be taken, in a sentence; ``lacks`` when nothing is wrong with it but that."""

    text: str
    lacks: Lack | None = None


@dataclass(frozen=True)
class Holding:
    """The judgement of a moment: ``ready`` when the window may be taken, ``why_not`` a sentence otherwise,
    ``lacks`` as in ``Hindrance``. ``key`` is the want that the readings are of, where the procedure sees that
    by itself; ``figure`` the one number to look at."""

    ready: bool
    why_not: str
    key: str = ""
    held_s: float = 0.0
    figure: str = ""
    lacks: Lack | None = None

    def hindered(self, by: Hindrance) -> Holding:
        """The same moment, not to be taken."""
        return replace(self, ready=False, why_not=by.text, lacks=by.lacks)


def not_ready(by: Hindrance, held_s: float = 0.0, figure: str = "") -> Holding:
    """A moment that may not be taken."""
    return Holding(False, by.text, held_s=held_s, figure=figure, lacks=by.lacks)


@dataclass(frozen=True)
class FittedConstant:
    """A constant that a procedure measures; ``sd`` is half of its 95 % interval, and ``covariances`` are as
    wide."""

    name: str
    value: float
    sd: float | None
    condition: Mapping[str, float] = field(default_factory=dict)
    covariances: tuple[Covariance, ...] = ()


@dataclass(frozen=True)
class Extra:
    """Further constants that a person may take over too, or leave."""

    name: str
    label: str
    constants: tuple[FittedConstant, ...]


@dataclass(frozen=True)
class Outcome:
    """What the held steps say: ``heading`` and ``verdict`` in words, ``notes`` further sentences, the
    constants as they form, what is left over by step (``left``, in ``left_unit``) with its size in σ, which
    steps to repeat, and why nothing can be accepted yet (empty: it can)."""

    heading: str
    verdict: str
    why_not: str = ""
    constants: tuple[FittedConstant, ...] = ()
    extras: tuple[Extra, ...] = ()
    notes: tuple[str, ...] = ()
    repeat: tuple[str, ...] = ()
    left: Mapping[str, float] = field(default_factory=dict)
    left_unit: str = ""
    sigmas: Mapping[str, float] = field(default_factory=dict)
    plots: tuple[Plot, ...] = ()
    tables: tuple[Table, ...] = ()

    @property
    def can_accept(self) -> bool:
        """Whether the constants may become the rig's own."""
        return not self.why_not and bool(self.constants)


class Procedure(ABC, Generic[Taken]):
    """A way to measure constants; ``takes`` is what it keeps of a window. ``seconds`` is the window that must
    be still; 0 means all since the hold began. ``hands_free`` procedures see by themselves which want they
    have before them, and go on to the next by themselves. ``rests_on`` names constants that make the result
    stale when they change."""

    id: ClassVar[str]
    title: ClassVar[str]
    prepare: ClassVar[tuple[str, ...]]
    cautions: ClassVar[tuple[str, ...]] = ()
    seconds: ClassVar[float] = HOLD_S
    hands_free: ClassVar[bool] = False
    rests_on: ClassVar[tuple[str, ...]] = ()
    notebook: ClassVar[tuple[FormField, ...]] = ()
    takes: type[Taken]

    @abstractmethod
    def wants(self, steps: Steps[Taken], values: Values) -> tuple[Want, ...]:
        """Everything that is wanted, held or not, in working order."""

    def window_s(self, want: Want | None) -> float:
        """The window that a want must be still for, s; 0 means all since the hold began."""
        return self.seconds

    @abstractmethod
    def judge(
        self,
        window: Window,
        want: Want | None,
        truth: Mapping[str, float],
        steps: Steps[Taken],
        values: Values,
    ) -> Holding:
        """Whether the window may be taken for a want (None: for whichever it is)."""

    @abstractmethod
    def take(self, window: Window, key: str, values: Values) -> Taken:
        """What is kept of a window. Raises BadInput when there is nothing in it."""

    def stored(self, taken: Taken) -> dict[str, Any]:
        """What was taken, as numbers, words and lists of them by name."""
        return asdict(taken)  # type: ignore[call-overload, no-any-return]

    def restored(self, stored: Mapping[str, Any]) -> Taken:
        """What was taken, from how it was stored."""
        return self.takes(**stored)

    @abstractmethod
    def fit(self, steps: Steps[Taken], values: Values) -> Outcome:
        """What the steps say together; answers for any number of them."""

    def key_of(self, want: Want, truth: Mapping[str, float]) -> str:
        """Under which key a want with these numbers typed is held: another number is another place."""
        return want.key

    def label_of(self, want: Want, truth: Mapping[str, float]) -> str:
        """What a held step is called."""
        return want.label

    def check_typed(self, truth: Mapping[str, float], steps: Steps[Taken], values: Values) -> None:
        """Ask back where what was typed cannot be meant. Raises BadInput that names the field and says what
        may be meant."""
        return

    def from_notebook(self, row: Mapping[str, float], values: Values) -> Step[Taken]:
        """A step from a line that was typed, with the fields of ``notebook``. Raises BadInput."""
        raise NotImplementedError

    def notebook_channels(self, row: Mapping[str, float]) -> dict[str, float]:
        """The raw readings in a line that was typed, by channel; without any, no recording is made of it."""
        return {}

    def of_mark(self, label: str, truth: Mapping[str, Any] | None) -> tuple[str, dict[str, float]] | None:
        """Which want a mark in a recording speaks of, with what it says is true; None when it is none of
        these."""
        return None

    def missing(self, steps: Steps[Taken], values: Values) -> tuple[Want, ...]:
        """The wants that no step holds yet."""
        held = {step.key for step in steps}
        return tuple(want for want in self.wants(steps, values) if want.key not in held and not want.more)


class Typed(Procedure[None]):
    """What is only read off and typed, run after run: no reading of a sensor belongs to it."""

    def judge(
        self,
        window: Window,
        want: Want | None,
        truth: Mapping[str, float],
        steps: Steps[None],
        values: Values,
    ) -> Holding:
        return Holding(True, "")

    def take(self, window: Window, key: str, values: Values) -> None:
        return None

    def stored(self, taken: None) -> dict[str, Any]:
        return {}

    def restored(self, stored: Mapping[str, Any]) -> None:
        return None
