"""Calculations over HTTP: the same registry as the command line."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter

from tickstone.calculations import listing, run
from tickstone.errors import BadInput, NotFound

router = APIRouter(prefix="/api/calc", tags=["calculations"])


@router.get("")
def all_calculations() -> list[dict[str, Any]]:
    """Name and schemas of every calculation."""
    return listing()


@router.post("/{name}")
def calculate(name: str, inputs: dict[str, Any]) -> dict[str, Any]:
    """Run one calculation."""
    try:
        return run(name, inputs)
    except BadInput as error:
        if error.path == "calc":
            raise NotFound(error.message, "calc") from None
        raise
