"""Worlds as JSON: the documents, their published schema, and the checks that a file must pass."""

from __future__ import annotations

import json
from collections.abc import Mapping
from functools import cache
from typing import Any

from pydantic import TypeAdapter

from tickstone.core.drive.world import BenchWorld, FloorWorld, RailWorld, TableWorld, World, check_world
from tickstone.errors import BadInput
from tickstone.formats.documents import parsed, strict, validated

DOCUMENTS: dict[str, TypeAdapter[Any]] = {
    "floor": TypeAdapter(FloorWorld),
    "table": TypeAdapter(TableWorld),
    "bench": TypeAdapter(BenchWorld),
    "rail": TypeAdapter(RailWorld),
}


@cache
def _schema_of(kind: str) -> dict[str, Any]:
    schema = strict(DOCUMENTS[kind].json_schema())
    schema["required"] = [*schema.get("required", ()), "kind"]
    return schema


@cache
def world_schema() -> Mapping[str, Any]:
    """The JSON Schema (draft 2020-12) of a world document of any kind."""
    kinds = {kind: dict(_schema_of(kind)) for kind in DOCUMENTS}
    parts = {name: part for schema in kinds.values() for name, part in schema.pop("$defs", {}).items()}
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "World",
        "oneOf": list(kinds.values()),
        "$defs": parts,
    }


def world_to_plain(world: World) -> dict[str, Any]:
    """A world as its document, of plain data."""
    plain: dict[str, Any] = DOCUMENTS[world.kind].dump_python(world, mode="json")
    return plain


def world_to_json(world: World, indent: int | None = 2) -> str:
    """A world as its document."""
    return json.dumps(world_to_plain(world), ensure_ascii=False, allow_nan=False, indent=indent)


def world_of(document: Mapping[str, Any]) -> World:
    """The world of a document. Raises BadInput naming the field that cannot be."""
    kind = document.get("kind")
    if kind not in DOCUMENTS:
        raise BadInput(f"kind of a world must be one of {', '.join(DOCUMENTS)}, not {kind!r}.", "kind")
    world: World = validated(DOCUMENTS[kind], document, _schema_of(kind), "world")
    check_world(world)
    return world


def world_from_json(text: str) -> World:
    """The world of a JSON document. Raises BadInput naming the field that cannot be, and for text that is
    none."""
    return world_of(parsed(text, "world"))
