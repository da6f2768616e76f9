"""Recordings as decisions look at them, made of arrays."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from tickstone.core.constants import Provenance, Value, settle
from tickstone.core.decisions.decision import Evidence, Marked
from tickstone.core.rigs.kinds import kind


def values_of(kind_id: str, **chosen: float) -> dict[str, Value]:
    """The constants of a kind as they are assumed, some of them set."""
    what = kind(kind_id)
    specs = {spec.name: spec for spec in what.constants}
    known = {
        name: Value(name, specs[name].label, specs[name].unit, value, 0.0, Provenance.CHOSEN, "set")
        for name, value in chosen.items()
    }
    return settle(what.constants, what.derived, known)


def row_seen(
    line: np.ndarray, ground: np.ndarray, name: str = "noon", number: int = 1, **conditions: object
) -> Evidence:
    """A row over ground, then over the line: shapes (sensors, n)."""
    n = ground.shape[1]
    columns = np.concatenate([ground, line], axis=1)
    times = np.arange(columns.shape[1]) / 50.0
    marks = (
        Marked(0.0, n / 50.0, "ground", None, conditions, 10 * number),
        Marked(n / 50.0, 2 * n / 50.0, "line", None, conditions, 10 * number + 1),
    )
    channels = {f"s{i + 1}": column for i, column in enumerate(columns)}
    return Evidence(number, name, times, channels, channels, columns[0], np.isfinite(columns[0]), marks)


def plain_seen(
    said: np.ndarray,
    valid: np.ndarray | None = None,
    rate_hz: float = 20.0,
    asked: Mapping[str, np.ndarray] | None = None,
) -> Evidence:
    """Converted readings at a steady rate."""
    good = np.isfinite(said) if valid is None else valid
    return Evidence(1, "a push", np.arange(said.size) / rate_hz, {}, asked or {}, said, good)
