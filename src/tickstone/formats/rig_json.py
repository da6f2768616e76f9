"""A rig as JSON: the rig document itself."""

from __future__ import annotations

from pydantic import TypeAdapter, ValidationError

from tickstone.core.rigs.rig import Rig
from tickstone.errors import BadInput

RIG_DOCUMENT: TypeAdapter[Rig] = TypeAdapter(Rig)


def rig_from_json(text: str) -> Rig:
    """The rig of a JSON document. Raises BadInput naming the field that cannot be."""
    try:
        return RIG_DOCUMENT.validate_json(text)
    except ValidationError as error:
        first = error.errors(include_url=False, include_context=False, include_input=False)[0]
        where = ".".join(str(part) for part in first["loc"]) or "rig"
        raise BadInput(f"The rig's {where}: {first['msg'][:1].lower()}{first['msg'][1:]}.", where) from None
