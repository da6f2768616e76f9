"""JSON documents from outside: what no document of that kind can hold is refused with the field's name."""

from __future__ import annotations

import json
from collections.abc import Iterator, Mapping
from typing import Any, TypeVar

from pydantic import TypeAdapter, ValidationError

from tickstone.errors import BadInput

Document = TypeVar("Document")
MOST_CHARACTERS = 2_000_000


def parsed(text: str, what: str) -> dict[str, Any]:
    """The JSON object of a text. Raises BadInput naming the document, ``what`` it should be."""
    if len(text) > MOST_CHARACTERS:
        raise BadInput(f"This file is far too long for a {what}.", what)
    try:
        document = json.loads(text)
    except (ValueError, RecursionError):
        raise BadInput(f"This is no {what} file, or it is damaged: it is not JSON.", what) from None
    if not isinstance(document, dict):
        raise BadInput(f"This is no {what} file: it holds no JSON object.", what)
    return document


def strict(schema: dict[str, Any]) -> dict[str, Any]:
    """A JSON Schema in which no object has fields that are not named."""
    for part in (schema, *schema.get("$defs", {}).values()):
        if part.get("type") == "object" and "properties" in part:
            part["additionalProperties"] = False
    return schema


def validated(
    adapter: TypeAdapter[Document], document: Mapping[str, Any], schema: Mapping[str, Any], what: str
) -> Document:
    """A document as its record. Raises BadInput naming a field that it has not, or that cannot be so."""
    for path, name in unknown_fields(document, schema, schema, ""):
        raise BadInput(
            f"A {what} has no field {name!r} (at {path or 'the top'}).", f"{path}.{name}".lstrip(".")
        )
    try:
        return adapter.validate_python(document)
    except ValidationError as error:
        first = error.errors(include_url=False, include_context=False, include_input=False)[0]
        where = ".".join(str(part) for part in first["loc"]) or what
        raise BadInput(
            f"The {what}'s {where}: {first['msg'][:1].lower()}{first['msg'][1:]}.", where
        ) from None


def unknown_fields(
    value: Any, part: Mapping[str, Any], schema: Mapping[str, Any], path: str
) -> Iterator[tuple[str, str]]:
    """Fields of a document that its schema does not name, each with the path to where it stands."""
    if "$ref" in part:
        part = schema["$defs"][part["$ref"].rsplit("/", 1)[1]]
    for item in part.get("anyOf", ()):
        if value is not None and "$ref" in item:
            yield from unknown_fields(value, item, schema, path)
    if isinstance(value, dict) and "properties" in part:
        for name, inner in value.items():
            if name not in part["properties"]:
                yield path, name
            else:
                yield from unknown_fields(
                    inner, part["properties"][name], schema, f"{path}.{name}".lstrip(".")
                )
    if isinstance(value, list) and "items" in part:
        for i, inner in enumerate(value):
            yield from unknown_fields(inner, part["items"], schema, f"{path}.{i}".lstrip("."))
