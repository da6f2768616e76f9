"""Runs that are repeated: each is a step of its own, numbered; so many are wanted, and more are welcome."""

from __future__ import annotations

from typing import Any

from tickstone.core.calibration.procedure import FormField, Steps, Want


def numbered(
    steps: Steps[Any],
    name: str,
    do: str,
    least: int,
    fields: tuple[FormField, ...] = (),
    *,
    watched: bool = True,
) -> tuple[Want, ...]:
    """The wants of runs that are repeated: those held, those missing, and one more when enough are held."""
    held = {int(step.key.rsplit(" ", 1)[1]) for step in steps if step.key.startswith(f"{name} ")}
    wanted = sorted(held | set(range(1, least + 1)))
    wants = tuple(Want(f"{name} {n}", f"{name} {n}", do, fields, watched) for n in wanted)
    if set(range(1, least + 1)) <= held:
        wants = (
            *wants,
            Want(f"{name} {wanted[-1] + 1}", f"{name} {wanted[-1] + 1}", do, fields, watched, more=True),
        )
    return wants
