"""The registry: one entry serves the command line, the HTTP API and the screens."""

from __future__ import annotations

import math
import typing
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from importlib import import_module
from itertools import takewhile
from typing import Annotated, Any, TypeVar

import numpy as np
import numpy.typing as npt
from pydantic import AfterValidator, BaseModel, ConfigDict, Field, ValidationError

from tickstone.calculations.contents import PLACES
from tickstone.core.wording import readable
from tickstone.errors import BadInput

LONGEST_LIST = 1_000_000
MOST_WHOLE = 2**64  # no counter holds more
EXTREME = 15  # powers of ten: numbers beyond what can be computed with, and beyond any bench

Finite = Annotated[float, Field(allow_inf_nan=False, strict=True)]
Whole = Annotated[int, Field(strict=True, ge=-MOST_WHOLE, le=MOST_WHOLE)]
Numbers = Annotated[list[Finite], Field(min_length=1, max_length=LONGEST_LIST)]
Pair = tuple[Finite, Finite]
Pairs = Annotated[list[Pair], Field(min_length=1, max_length=LONGEST_LIST)]
Triple = tuple[Finite, Finite, Finite]
Triples = Annotated[list[Triple], Field(min_length=1, max_length=LONGEST_LIST)]


class Inputs(BaseModel):
    """Base of all input models: unknown fields are refused, numbers are finite."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False, defer_build=True)


class ResultPart(BaseModel):
    """Base of what results are made of: a number that cannot be is null with a reason, never NaN or
    infinite."""

    model_config = ConfigDict(allow_inf_nan=False, defer_build=True)


class ArithmeticStep(ResultPart):
    """One line of the substituted arithmetic."""

    name: str
    expression: str
    value: float | None
    unit: str


def step(name: str, expression: str, value: float | None, unit: str = "") -> ArithmeticStep:
    """One line of the substituted arithmetic."""
    return ArithmeticStep(name=name, expression=readable(expression), value=value, unit=unit)


class Result(ResultPart):
    """Base of all results: the worked steps, what was assumed, and warnings in plain sentences."""

    steps: list[ArithmeticStep] = []
    assumptions: list[str] = []
    warnings: list[Annotated[str, AfterValidator(readable)]] = []


I = TypeVar("I", bound=Inputs)  # noqa: E741
R = TypeVar("R", bound=Result)


@dataclass(frozen=True)
class Calculation:
    """A named function from an input model to a result model."""

    name: str
    summary: str
    inputs: type[Inputs]
    result: type[Result]
    function: Callable[[Any], Result]


_LOADED: dict[str, Calculation] = {}


def calculation(name: str) -> Callable[[Callable[[I], R]], Callable[[I], R]]:
    """Register a function under a public name; its annotations give the models."""

    def register(function: Callable[[I], R]) -> Callable[[I], R]:
        hints = typing.get_type_hints(function)
        result = hints.pop("return")
        (inputs,) = hints.values()
        summary = (function.__doc__ or "").strip().splitlines()[0]
        _LOADED[name] = Calculation(name, summary, inputs, result, function)
        return function

    return register


def find(name: str) -> Calculation:
    """The calculation of that name. Raises BadInput for field ``calc``."""
    if name not in PLACES:
        raise BadInput(f"There is no calculation {name!r}; --list shows them all.", "calc")
    # only what is asked for: the command line starts faster
    import_module(f"tickstone.calculations.{PLACES[name]}")
    return _LOADED[name]


def calculations() -> dict[str, Calculation]:
    """All calculations by name."""
    return {name: find(name) for name in PLACES}


def refusal(
    where: Sequence[object], kind: str, message: str, context: Mapping[str, object] | None = None
) -> BadInput:
    """One of Pydantic's complaints as a sentence that names its field."""
    most = (context or {}).get("max_length", LONGEST_LIST)
    parts = [str(part) for part in where if "[" not in str(part)]  # without which of several models was tried
    place = ".".join(parts)  # readings.0.uncertainty
    path = ".".join(takewhile(lambda part: part.replace("-", "_").isidentifier(), parts))  # readings
    text = {
        "missing": f"{place} is missing.",
        "extra_forbidden": f"{place} is not a field here.",
        "finite_number": f"{place} must be a finite number.",
        "float_type": f"{place} must be a number.",
        "int_type": f"{place} must be a whole number.",
        "too_long": f"{place} is too long: a list holds at most {most:,} entries.".replace(",", "\u2009"),
    }.get(kind, f"{place}: {message[:1].lower()}{message[1:]}.")
    return BadInput(text, path)


def run(name: str, inputs: dict[str, Any]) -> dict[str, Any]:
    """Run a calculation on plain values. Returns the result as plain values. Raises BadInput naming the
    field."""
    entry = find(name)
    try:
        given = entry.inputs.model_validate(inputs)
    except ValidationError as error:
        first = error.errors(include_url=False, include_input=False)[0]
        raise refusal(first["loc"], first["type"], first["msg"], first.get("ctx")) from None
    return compute(entry, given).model_dump()


def compute(entry: Calculation, given: Inputs) -> Result:
    """Run a calculation on inputs that are of its model. Raises BadInput naming the field."""
    try:
        with np.errstate(all="ignore"):
            return entry.function(given)
    except (ValueError, ArithmeticError, IndexError) as error:
        field, value = _most_extreme(given)
        if not _beyond_numbers(error) and abs(math.log10(abs(value))) < EXTREME:
            raise  # a mistake of ours, not of the inputs
        raise BadInput(f"{field} of {value:g} is too large or too small to compute with.", field) from None
    except BadInput as error:
        if error.path.split(".")[0] in entry.inputs.model_fields:
            raise
        field, value = _most_extreme(given)  # what was computed on the way cannot be: say what led there
        raise BadInput(f"{field} of {value:g} cannot be here: {error.message}", field) from None


def _beyond_numbers(error: Exception) -> bool:
    """Whether a result came out infinite or as no number."""
    if isinstance(error, ValidationError):
        return all(detail["type"] == "finite_number" for detail in error.errors())
    return isinstance(error, ArithmeticError)


def _most_extreme(given: Inputs) -> tuple[str, float]:
    """The field whose number lies farthest from 1, and that number."""
    result = ("", 1.0)
    for name in type(given).model_fields:
        for value in _numbers(getattr(given, name)).tolist():
            if value and abs(math.log10(abs(value))) >= abs(math.log10(abs(result[1]))):
                result = (name, float(value))
    return result


def _numbers(value: object) -> npt.NDArray[np.float64]:
    if isinstance(value, list) and value and isinstance(value[0], BaseModel):
        value = [each for part in value for each in vars(part).values() if isinstance(each, float)]
    try:
        return np.ravel(np.asarray(value, dtype=np.float64))
    except (TypeError, ValueError):
        return np.zeros(0)


def listing() -> list[dict[str, Any]]:
    """Name and JSON schemas of all calculations."""
    return [
        {
            "name": entry.name,
            "summary": entry.summary,
            "input_schema": entry.inputs.model_json_schema(),
            "result_schema": entry.result.model_json_schema(mode="serialization"),
        }
        for entry in calculations().values()
    ]
