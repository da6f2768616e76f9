"""Calculations over HTTP: the same registry as the command line, an address each."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from fastapi import APIRouter

from tickstone.api.errors import REFUSALS
from tickstone.calculations import calculations, listing
from tickstone.calculations.registry import Calculation, Inputs, Result, compute
from tickstone.errors import NotFound

router = APIRouter(prefix="/api/calc", tags=["calculations"], responses=REFUSALS)


@router.get("")
def all_calculations() -> list[dict[str, Any]]:
    """Name and schemas of every calculation."""
    return listing()


def _handler(entry: Calculation) -> Callable[..., Result]:
    def calculate(given: Inputs) -> Result:
        return compute(entry, given)

    calculate.__annotations__ = {"given": entry.inputs, "return": entry.result}
    return calculate


for _entry in calculations().values():
    for _model in (_entry.inputs, _entry.result):
        _model.model_config["defer_build"] = (
            False  # the command line wants to start fast; a server wants them all
        )
        _model.model_rebuild(force=True)
    router.add_api_route(
        f"/{_entry.name}", _handler(_entry), methods=["POST"], name=_entry.name, summary=_entry.summary
    )


@router.post("/{name}", include_in_schema=False)
def no_such_calculation(name: str) -> None:
    """Everything else."""
    raise NotFound(f"There is no calculation {name!r}.", "calc")
