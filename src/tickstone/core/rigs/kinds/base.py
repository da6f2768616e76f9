"""What a sensor kind is. A kind is one file; no station has a chain of cases over kinds."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace

import numpy as np
import numpy.typing as npt

from tickstone.core.constants import ConstantSpec, DerivedSpec, Value, Values, settle
from tickstone.core.rigs.part import Chosen, OptionSpec, Part
from tickstone.core.rigs.reading import Reading
from tickstone.core.rigs.rig import Options

Array = npt.NDArray[np.float64]


@dataclass(frozen=True)
class ChannelSpec:
    """One raw signal: ``labels`` are the names it goes by in our own line format, ``called`` words that
    people's programs have for it."""

    name: str
    label: str
    form: str  # level, edge or counter
    unit: str
    labels: tuple[str, ...]
    low: float
    high: float
    digits: int = 0
    called: tuple[str, ...] = ()


@dataclass(frozen=True)
class Ambient:
    """What other sensors of the rig say about the moment: air temperature per sample (NaN = unknown), °C."""

    air_c: Array | None = None


MISSING = 3  # so many readings in a row that mean nothing are not passed over in words


@dataclass(frozen=True)
class Converted:
    """Converted readings: ``values`` is NaN where the reading means nothing at all; ``codes`` index the
    kind's reasons (0 = fine)."""

    values: Array
    codes: npt.NDArray[np.int8]

    @property
    def valid(self) -> npt.NDArray[np.bool_]:
        """True where the reading means something."""
        return np.asarray(self.codes == 0)

    @property
    def missing(self) -> int:
        """How many of the last readings, in a row, mean nothing."""
        return int(np.argmax(self.valid[::-1])) if self.valid.any() else self.codes.size


@dataclass(frozen=True)
class Moment:
    """A short stretch of converted readings up to now, for putting into words; times in seconds, rising.
    ``inputs`` holds the raw numbers behind them where they are at hand; ``age_s`` is how long ago the last
    one came."""

    times_s: Array
    converted: Converted
    inputs: Mapping[str, Array] = field(default_factory=dict)
    age_s: float = 0.0


@dataclass(frozen=True)
class Quantity:
    """What a kind converts to: its name and unit (mm, °C …), the span it can have, and the decimals worth
    showing."""

    name: str
    unit: str
    low: float
    high: float
    digits: int = 0


@dataclass(frozen=True)
class Ask:
    """A raw number that is typed, dragged, or taken from a reading: its span, and what it typically is.

    ``logarithmic`` numbers are dragged by ratio; ``choices`` names the values 0, 1, … of one that is only
    ever those; without one that is not ``needed`` the main result is there all the same. ``slide`` is the
    span that is dragged over, where the whole one is more than a bench sees.
    """

    name: str
    label: str
    unit: str
    low: float
    high: float
    typical: float
    digits: int = 0
    logarithmic: bool = False
    choices: tuple[str, ...] = ()
    needed: bool = True
    slide: tuple[float, float] | None = None


@dataclass(frozen=True)
class Term:
    """One box of the worked line; ``sign`` stands before it. ``sd`` is k = 1."""

    name: str
    label: str
    value: float
    unit: str
    provenance: str
    sd: float | None = None
    sign: str = ""


@dataclass(frozen=True)
class Chain:
    """A line of arithmetic on the way: terms, and what they come to."""

    terms: tuple[Term, ...]
    result: Term


@dataclass(frozen=True)
class Spread:
    """What makes a raw number uncertain: the number's name, its standard uncertainty, and the cause in
    words."""

    input: str
    sd: float
    cause: str


@dataclass(frozen=True)
class Doubt:
    """What makes a result uncertain beside its numbers: a standard uncertainty in the result's unit, the
    cause in words."""

    sd: float
    cause: str


@dataclass(frozen=True)
class RuleReading:
    """What a rule of thumb would have said instead, in the quantity's unit, and when it is right (perhaps
    nothing)."""

    name: str
    value: float
    exact: str = ""


@dataclass(frozen=True)
class Series:
    """A further result of the same raw numbers: shape (n,), NaN where there is none. ``needs`` names the raw
    number it cannot do without, where others can."""

    name: str
    label: str
    unit: str
    values: Array
    digits: int = 2
    needs: str = ""


@dataclass(frozen=True)
class Inverse:
    """The inverse question: which raw numbers would give a wanted result? ``solve`` raises BadInput for
    ``wanted``."""

    typical: float
    low: float
    high: float
    solve: Callable[[float, Values, Ambient], Mapping[str, float]]


@dataclass(frozen=True)
class Move:
    """A sentence about how the result moves: when the number ``name`` (raw, or a constant) changes by
    ``step``."""

    name: str
    step: float
    when: str


VALUE = "value"


def _no_series(inputs: Mapping[str, Array], values: Values, ambient: Ambient) -> tuple[Series, ...]:
    return ()


def _no_rules(inputs: Mapping[str, float], values: Values, ambient: Ambient) -> tuple[RuleReading, ...]:
    return ()


def as_they_are(
    channels: Mapping[str, Array], times_us: Array | None, values: Values, notebook: dict[str, float]
) -> Mapping[str, Array]:
    """Channels that are themselves what is asked for: each row stands for itself."""
    return channels


@dataclass(frozen=True)
class Working:
    """How a kind's raw numbers are worked into what they mean, for one reading and for a million.

    ``read`` is the conversion, of raw numbers of shape (n,) with constants that are numbers, or one for
    each, shape (n,): it does no more than arithmetic with either. ``chains`` spells it out for one reading,
    main line last, in the same numbers. ``inputs`` turns channels into the numbers that are asked for,
    where the two differ (edges into periods): it gets the channels, the row times in µs (or None), the
    constants, and a notebook that it may keep from one block of rows to the next. ``spreads`` are what
    makes the raw numbers uncertain, ``doubts`` what the model itself leaves out, for a result. ``causes``
    names the cause under which a constant's uncertainty is counted. ``bare`` names the results that hold
    for a part of which nothing is known but its kind: further results by name, VALUE for the main one.
    """

    asks: Callable[[Values], tuple[Ask, ...]]
    read: Callable[[Mapping[str, Array], Values, Ambient], Converted]
    chains: Callable[[Mapping[str, float], Values, Ambient], tuple[tuple[Chain, ...], tuple[Term, ...]]]
    more: Callable[[Mapping[str, Array], Values, Ambient], tuple[Series, ...]] = _no_series
    rules: Callable[[Mapping[str, float], Values, Ambient], tuple[RuleReading, ...]] = _no_rules
    spreads: Callable[[Mapping[str, float], Values], tuple[Spread, ...]] = lambda inputs, values: ()
    doubts: Callable[[float, Values], tuple[Doubt, ...]] = lambda value, values: ()
    moves: Callable[[Values], tuple[Move, ...]] = lambda values: ()
    inverse: Inverse | None = None
    causes: Mapping[str, str] = field(default_factory=dict)
    bare: tuple[str, ...] = (VALUE,)
    inputs: Callable[[Mapping[str, Array], Array | None, Values, dict[str, float]], Mapping[str, Array]] = (
        as_they_are
    )


CARRY_US = 500_000.0  # programs that print a sensor a line go through a row much faster


def _carried(name: str, column: Array, times_us: Array, notebook: dict[str, float]) -> Array:
    """A column with its gaps filled by the value before, while that is not older than CARRY_US."""
    present = np.isfinite(column)
    if present.all():
        filled = column
    else:
        before, at = notebook.get(f"carried {name}", np.nan), notebook.get(f"carried {name} at", -np.inf)
        last = np.maximum.accumulate(np.where(present, np.arange(column.size), -1))
        value, since = np.where(last < 0, before, column[last]), np.where(last < 0, at, times_us[last])
        filled = np.where(times_us - since <= CARRY_US, value, np.nan)
    if present.any():
        newest = int(np.flatnonzero(present)[-1])
        notebook |= {f"carried {name}": float(column[newest]), f"carried {name} at": float(times_us[newest])}
    return filled


@dataclass(frozen=True)
class Kind:
    """A sensor kind: data and pure functions. ``raw`` names the channel that the conversion begins with."""

    id: str
    title: str
    family: str  # what it senses: distance, surface, turning, tilt, air, power, sound
    part: Callable[[Chosen], Part]  # its electrical side, with its options chosen
    reads: Callable[[Chosen], tuple[Reading, ...]]  # how a program on the board reads it
    channels: tuple[ChannelSpec, ...]
    quantity: Quantity
    constants: tuple[ConstantSpec, ...]
    derived: tuple[DerivedSpec, ...]
    reasons: tuple[str, ...]
    working: Working
    words: Callable[[Moment, Values], str]
    procedures: tuple[str, ...] = ()  # at Calibrate
    decisions: tuple[str, ...] = ()  # at Decide
    cautions: tuple[str, ...] = ()
    options: tuple[OptionSpec, ...] = ()  # the questions where parts differ
    clues: tuple[str, ...] = ()  # how to tell its legs and its faces
    counted_by: str = ""  # the option that says how many of its channels it has
    instruments: tuple[str, ...] = ()  # at Watch: names of core.instruments
    fades: Callable[[float, Values], float] | None = (
        None  # the most it can be, so many seconds after the last pulse
    )
    places: Callable[[Values], Mapping[str, str]] = lambda _: {}  # constants by the place that their part has

    def settled(self, known: Values) -> dict[str, Value]:
        """All its constants: known ones, defaults, derived; those of a sensor in a row by its place."""
        values = settle(self.constants, self.derived, known)
        for name, label in self.places(values).items():
            if name in values:
                values[name] = replace(values[name], label=label)
        return values

    @property
    def raw(self) -> ChannelSpec:
        """The channel that the conversion begins with."""
        return self.channels[0]

    def inputs(
        self,
        channels: Mapping[str, Array],
        times_us: Array | None,
        values: Values,
        notebook: dict[str, float],
    ) -> Mapping[str, Array]:
        """The raw numbers that are asked for, from rows of channels; ``notebook`` goes on from one block to
        the next. A level that was told on a line of its own holds for the rows of its neighbours, for
        CARRY_US at most."""
        forms = {channel.name: channel.form for channel in self.channels}
        if times_us is not None and len(channels) > 1:
            channels = {
                name: _carried(name, column, times_us, notebook) if forms.get(name) == "level" else column
                for name, column in channels.items()
            }
        return self.working.inputs(channels, times_us, values, notebook)

    def convert(self, raw: Mapping[str, Array], values: Values, ambient: Ambient) -> Converted:
        """Readings of the channels, by name, shape (n,), to what they mean."""
        return self.working.read(self.working.inputs(raw, None, values, {}), values, ambient)

    def part_of(self, options: Options) -> Part:
        """Its pins and what it draws, with these options."""
        return self.part(Chosen(self.options, options))

    @property
    def specs(self) -> dict[str, ConstantSpec]:
        """Its constants by name."""
        return {spec.name: spec for spec in self.constants}

    def specs_of(self, values: Values) -> dict[str, ConstantSpec]:
        """Its constants by name, those of a sensor in a row called by its place."""
        places = self.places(values)
        return {name: replace(spec, label=places.get(name, spec.label)) for name, spec in self.specs.items()}

    def channels_of(self, options: Options) -> tuple[ChannelSpec, ...]:
        """The channels that it has with these options: the first so many, where an option counts them."""
        if not self.counted_by:
            return self.channels
        return self.channels[: int(Chosen(self.options, options).number(self.counted_by))]
