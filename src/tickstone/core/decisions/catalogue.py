"""Every decision there is, by the name under which the kinds list it."""

from __future__ import annotations

from tickstone.core.decisions import (
    dropouts,
    filter_choice,
    guard,
    line,
    obstacle,
    pulse_limits,
    steering,
    tipping,
)
from tickstone.core.decisions.decision import Decision
from tickstone.errors import NotFound

DECISIONS: dict[str, Decision] = {
    item.id: item
    for subject in (line, steering, guard, obstacle, pulse_limits, tipping, filter_choice, dropouts)
    for item in subject.DECISIONS
}


def decision(name: str) -> Decision:
    """The decision of that name. Raises NotFound."""
    if name not in DECISIONS:
        raise NotFound(f"There is no decision {name!r}.")
    return DECISIONS[name]
