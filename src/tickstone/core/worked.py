"""The worked line: what raw numbers mean with a set of constants, how sure that is, and what would move it.

Nothing here knows a kind of sensor: the kind's own conversion is asked, and asked again with each number a
little off.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import partial
from typing import Any, NamedTuple

import numpy as np
import numpy.typing as npt

from tickstone.core.checks import check_between
from tickstone.core.constants import Provenance, Values
from tickstone.core.rigs.kinds.base import (
    Ambient,
    Chain,
    Converted,
    Doubt,
    Kind,
    Moment,
    RuleReading,
    Series,
    Term,
)
from tickstone.core.uncertainty import Budget, combine, drawn, interval_of, lopsided, propagate
from tickstone.core.wording import fixed
from tickstone.errors import BadInput

Array = npt.NDArray[np.float64]

# constants that are whole or name a choice, and ends beyond which a reading means nothing: none is drawn
WHOLE = frozenset(("bits", "pole_pairs", "sensors", "axis_up", "axis_forward", "nearest", "farthest"))
NOTHING = Budget(0.0, {})
NOTHING_MOVED = 5e-7  # in the result's unit


class Moved(NamedTuple):
    """A number that may be a little off: a constant, a raw number, or, where ``reason`` is given, one of the
    reasons for which a raw number is off."""

    name: str
    raw: bool = False
    reason: int | None = None


@dataclass(frozen=True)
class Worked:
    """A conversion step by step. ``value`` is None with a reason when the reading means nothing.

    ``chains`` lead up to ``terms``, the main line; ``sd`` is k = 1; ``shares`` are of the variance, by cause,
    largest first; ``interval`` is that of 95 % where value ± 2 sd is not it; ``more`` are further results of
    the same reading; ``moves`` and ``sentence`` are sentences.
    """

    chains: tuple[Chain, ...]
    terms: tuple[Term, ...]
    value: float | None
    sd: float | None
    interval: tuple[float, float] | None
    valid: bool
    reason: str
    shares: tuple[tuple[str, float], ...]
    rules: tuple[RuleReading, ...]
    more: tuple[Series, ...]
    moves: tuple[str, ...]
    sentence: str
    warnings: tuple[str, ...]


def check_asked(what: Kind, values: Values, inputs: Mapping[str, float]) -> dict[str, float]:
    """The raw numbers that a kind asks for, typical ones where none is given.

    Raises BadInput naming the number that lies outside its span, or that is not asked for.
    """
    asks = {ask.name: ask for ask in what.working.asks(values)}
    unknown = [name for name in inputs if name not in asks]
    if unknown:
        raise BadInput(f"{unknown[0]} is not asked for here; {', '.join(asks)} are.", unknown[0])
    return {
        name: check_between(inputs.get(name, ask.typical), ask.low, ask.high, name)
        for name, ask in asks.items()
    }


def work(what: Kind, values: Values, inputs: Mapping[str, float], ambient: Ambient) -> Worked:
    """Work one reading.

    Parameters: what, the kind; values, its constants as they stand; inputs, its raw numbers; ambient, other
    sensors. Returns: Worked. Raises: BadInput naming a raw number that cannot be. Source of the ±: JCGM
    100:2008, 5.1.2.
    """
    numbers = check_asked(what, values, inputs)
    converted = _convert(what, values, numbers, ambient)
    code, value = int(converted.codes[0]), float(converted.values[0])
    known = math.isfinite(value)
    budget = interval = None
    if known:
        doubts, doubtful = what.working.doubts(value, values), _doubtful(what, values, numbers)
        budget = _doubted(_budget(what, values, ambient, doubtful), doubts)
        interval = (
            None if budget is None else _interval(what, values, ambient, doubtful, doubts, value, budget)
        )
    chains, terms = what.working.chains(numbers, values, ambient)
    single = {name: np.array([number]) for name, number in numbers.items()}
    return Worked(
        chains=chains,
        terms=terms,
        value=value if known else None,
        sd=budget.uncertainty if budget is not None else None,
        interval=interval,
        valid=code == 0,
        reason=what.reasons[code],
        shares=tuple(sorted(_felt((budget or NOTHING).shares), key=lambda item: -item[1])),
        rules=what.working.rules(numbers, values, ambient) if known else (),
        more=what.working.more(single, values, ambient),
        moves=_moves(what, values, numbers, ambient, value) if known else (),
        sentence=what.words(Moment(np.zeros(1), converted, single), values),
        warnings=_warnings(what, numbers, values),
    )


def _felt(shares: Mapping[str, float]) -> list[tuple[str, float]]:
    return [(cause, share) for cause, share in shares.items() if share > 0]


def _convert(what: Kind, values: Values, numbers: Mapping[str, float], ambient: Ambient) -> Converted:
    return what.working.read({name: np.array([number]) for name, number in numbers.items()}, values, ambient)


def _result(what: Kind, values: Values, ambient: Ambient, changed: Mapping[Moved, float]) -> float:
    """The result with some raw numbers and constants changed."""
    single = {key: np.array([number]) if key.raw else number for key, number in changed.items()}
    return float(_results(what, values, ambient, single)[0])


def _results(what: Kind, values: Values, ambient: Ambient, changed: Mapping[Moved, Any]) -> Array:
    """The same, of raw numbers of shape (n,), and constants, a number or one for each of them."""
    raw = {key.name: number for key, number in changed.items() if key.raw and key.reason is None}
    for key, off in changed.items():
        if key.reason is not None:
            raw[key.name] = raw[key.name] + off
    constants = {key.name: number for key, number in changed.items() if not key.raw}
    moved = dict(values) | {
        name: replace(values[name], value=number)
        for name, number in constants.items()
        if np.ndim(number) or number != values[name].value
    }
    air = ambient.air_c
    if air is not None and "air" in constants:
        ambient = replace(ambient, air_c=air + constants["air"] - values["air"].value)
    return what.working.read(raw, moved, ambient).values


def _numbers(values: Values, numbers: Mapping[str, float]) -> dict[Moved, float]:
    constants = {Moved(name): value.value for name, value in values.items()}
    return constants | {Moved(name, raw=True): number for name, number in numbers.items()}


@dataclass(frozen=True)
class _Doubtful:
    """Every uncertain constant, and what makes the raw numbers uncertain: the numbers as they stand, their
    sds and covariances, and the cause under which each is counted."""

    base: dict[Moved, float]
    sds: dict[Moved, float]
    covariances: dict[tuple[Moved, Moved], float]
    causes: dict[Moved, str]


def _doubtful(what: Kind, values: Values, numbers: Mapping[str, float]) -> _Doubtful:
    causes = {Moved(name): what.working.causes.get(name, value.label) for name, value in values.items()}
    sds = {
        Moved(name): value.sd
        for name, value in values.items()
        if value.sd and value.provenance is not Provenance.DERIVED
    }
    base = _numbers(values, numbers)
    spreads = what.working.spreads(numbers, values)
    for index, spread in enumerate(spreads):  # a raw number may be uncertain for more than one reason
        key = Moved(spread.input, raw=True, reason=index)
        base[key], sds[key], causes[key] = 0.0, spread.sd, spread.cause
    covariances = {
        (Moved(name), Moved(covariance.other)): covariance.value
        for name, value in values.items()
        for covariance in value.covariances
    }
    for together in _together(covariances):  # what was fitted together is counted together
        labels = dict.fromkeys(causes[key] for key in causes if key in together)
        causes |= dict.fromkeys(together, " and ".join(labels))
    return _Doubtful(base, sds, covariances, causes)


def _budget(what: Kind, values: Values, ambient: Ambient, doubtful: _Doubtful) -> Budget | None:
    """What each uncertain number makes of the result, asked for by moving it a little."""
    return propagate(
        partial(_result, what, values, ambient),
        doubtful.base,
        doubtful.sds,
        doubtful.covariances,
        doubtful.causes,
    )


def _interval(
    what: Kind,
    values: Values,
    ambient: Ambient,
    doubtful: _Doubtful,
    doubts: Sequence[Doubt],
    value: float,
    budget: Budget,
) -> tuple[float, float] | None:
    """The 95 % interval where it is not the value ± 2 sd, as of a tilt near level: many numbers are drawn and
    worked. None where ± says it."""
    left_out = {f"doubt {i}": doubt.sd for i, doubt in enumerate(doubts)}
    drawn_sds = {key: sd for key, sd in doubtful.sds.items() if key.name not in WHOLE}
    errors = drawn({**drawn_sds, **left_out}, doubtful.covariances)
    if not errors:
        return None
    draws = len(next(iter(errors.values())))
    changed: dict[Moved, Any] = {
        key: np.full(draws, number) if key.raw else number for key, number in doubtful.base.items()
    }
    for key, error in errors.items():
        if isinstance(key, Moved):
            changed[key] = changed[key] + error
    with np.errstate(all="ignore"):
        results = _results(what, values, ambient, changed)
    ends = interval_of(sum((errors[key] for key in left_out if key in errors), results), value)
    return ends if ends is not None and lopsided(ends, value, budget.uncertainty) else None


def _together(pairs: Iterable[tuple[Moved, Moved]]) -> list[set[Moved]]:
    """Numbers that hang together by pairs, a set each."""
    sets: list[set[Moved]] = []
    for pair in pairs:
        touched = [some for some in sets if some & set(pair)]
        sets = [some for some in sets if some not in touched] + [set(pair).union(*touched)]
    return sets


def _doubted(budget: Budget | None, doubts: Sequence[Doubt]) -> Budget | None:
    """A budget with what the model leaves out."""
    if budget is None or not doubts:
        return budget
    variances = {cause: share * budget.uncertainty**2 for cause, share in budget.shares.items()}
    for doubt in doubts:
        variances[doubt.cause] = variances.get(doubt.cause, 0.0) + doubt.sd**2
    return combine(variances)


def _moves(
    what: Kind, values: Values, numbers: Mapping[str, float], ambient: Ambient, value: float
) -> tuple[str, ...]:
    sentences = []
    base = _numbers(values, numbers)
    for move in what.working.moves(values):
        key = Moved(move.name, raw=move.name in numbers)
        if key not in base:
            continue
        moved = _result(what, values, ambient, {**base, key: base[key] + move.step}) - value
        if math.isfinite(moved):
            unit = what.quantity.unit
            gap = "" if unit == "°" else "\u2009"
            if abs(moved) < NOTHING_MOVED:
                sentences.append(f"{move.when} hardly moves this.")
                continue
            digits = max(0, min(6, 1 - math.floor(math.log10(abs(moved)))))
            sentences.append(f"{move.when} moves this by {fixed(moved, digits)}{gap}{unit}.")
    return tuple(sentences)


def _warnings(what: Kind, numbers: Mapping[str, float], values: Values) -> tuple[str, ...]:
    pinned = [
        ask.label
        for ask in what.working.asks(values)
        if ask.unit == "counts" and numbers[ask.name] in (ask.low, ask.high)
    ]
    if not pinned:
        return ()
    return (
        f"{' and '.join(pinned)} {'is' if len(pinned) == 1 else 'are'} pinned at an end: "
        "the truth may lie beyond.",
    )


def solve(what: Kind, values: Values, wanted: float, ambient: Ambient) -> dict[str, float]:
    """The inverse question: the raw numbers that would give ``wanted``. Raises BadInput for ``wanted``."""
    inverse = what.working.inverse
    if inverse is None:
        raise BadInput(f"A {what.title} cannot be asked backwards.", "wanted")
    check_between(wanted, inverse.low, inverse.high, "wanted")
    results = dict(inverse.solve(wanted, values, ambient))
    for name, number in results.items():
        if not math.isfinite(number):
            raise BadInput(f"No reading of {name} would give {wanted:g} {what.quantity.unit}.", "wanted")
    return results
