"""The catalogue of sensor kinds: adding a kind is adding a file and a line here."""

from __future__ import annotations

from tickstone.core.rigs.kinds import air_temperature, ultrasonic_ranger
from tickstone.core.rigs.kinds.base import Kind
from tickstone.errors import BadInput

KINDS: dict[str, Kind] = {module.KIND.id: module.KIND for module in (ultrasonic_ranger, air_temperature)}


def kind(kind_id: str) -> Kind:
    """The sensor kind of that id. Raises BadInput for field ``kind``."""
    if kind_id not in KINDS:
        raise BadInput(f"kind must be one of {', '.join(KINDS)}, not {kind_id!r}.", "kind")
    return KINDS[kind_id]
