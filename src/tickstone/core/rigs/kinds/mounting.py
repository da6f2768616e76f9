"""How an inertial part sits in the vehicle: cross-axis terms, axes that point elsewhere, and what level
reads."""

from __future__ import annotations

import itertools
import math
from collections.abc import Sequence

import numpy as np

from tickstone.core.constants import ConstantSpec, Values
from tickstone.core.inertial import AXES
from tickstone.core.rigs.kinds.base import Array

Vector = tuple[Array, Array, Array]
CROSS = tuple(f"cross_{a}{b}" for a, b in itertools.permutations(AXES, 2))
UP, FORWARD = 3.0, 1.0  # axes are numbered x 1, y 2, z 3, negative the other way

CONSTANTS = (
    *(
        ConstantSpec(
            name, f"{name[-1]} in {name[-2]}", "", None, None, "", -0.5, 0.5, "calibrate", counts=False
        )
        for name in CROSS
    ),
    ConstantSpec("axis_up", "axis that points up", "", None, None, "", -3, 3, "calibrate", counts=False),
    ConstantSpec(
        "axis_forward", "axis that points forward", "", None, None, "", -3, 3, "calibrate", counts=False
    ),
    ConstantSpec(
        "level_roll", "roll it says when level", "°", None, None, "", -30, 30, "calibrate", counts=False
    ),
    ConstantSpec(
        "level_pitch", "pitch it says when level", "°", None, None, "", -30, 30, "calibrate", counts=False
    ),
)


def cross_matrix(values: Values) -> Array:
    """What each axis has of the others, shape (3, 3), ones on the diagonal; (n, 3, 3) where there is a
    constant for each reading."""
    rows = [
        [1.0 if i == j else values[name].value if (name := f"cross_{i}{j}") in values else 0.0 for j in AXES]
        for i in AXES
    ]
    return _matrix(rows)


def _matrix(rows: Sequence[Sequence[float | Array]]) -> Array:
    """A matrix of numbers, shape (3, 3), or of numbers for each reading, (n, 3, 3)."""
    flat = np.broadcast_arrays(*(np.asarray(item, np.float64) for row in rows for item in row))
    return np.stack(flat, axis=-1).reshape(*flat[0].shape, 3, 3)


def axes_matrix(values: Values) -> Array:
    """Rows: the vehicle's forward, left and up in the part's own axes, shape (3, 3). Two that are not across
    each other are taken as they come: up counts."""
    up, forward = _unit(values["axis_up"].value if "axis_up" in values else UP), None
    if "axis_forward" in values:
        forward = _unit(values["axis_forward"].value)
    if forward is None or abs(float(forward @ up)) > 0.5:
        forward = next(
            item for item in (_unit(FORWARD), _unit(2.0), _unit(3.0)) if abs(float(item @ up)) < 0.5
        )
    return np.array([forward, np.cross(up, forward), up])


def _unit(number: float) -> Array:
    axis = np.zeros(3)
    axis[min(max(int(abs(number)), 1), 3) - 1] = math.copysign(1.0, number)
    return axis


def level_matrix(values: Values) -> Array:
    """The rotation that makes what is read when level read level, shape (3, 3), or (n, 3, 3)."""
    roll, pitch = (
        np.radians(values[name].value) if name in values else 0.0 for name in ("level_roll", "level_pitch")
    )
    about_x = _matrix([[1, 0, 0], [0, np.cos(roll), -np.sin(roll)], [0, np.sin(roll), np.cos(roll)]])
    about_y = _matrix([[np.cos(pitch), 0, np.sin(pitch)], [0, 1, 0], [-np.sin(pitch), 0, np.cos(pitch)]])
    return np.asarray(about_y @ about_x, np.float64)


def mounted(axes: Vector, values: Values, *, crossed: bool = True, levelled: bool = True) -> Vector:
    """A part's axes, shape (n,) each, as the vehicle's: x forward, y left, z up."""
    matrix = axes_matrix(values)
    if crossed:
        matrix = matrix @ cross_matrix(values)
    if levelled:
        matrix = level_matrix(values) @ matrix
    if np.array_equal(matrix, np.eye(3)):
        return axes
    if matrix.ndim > 2:
        x, y, z = np.einsum("nij,jn->in", matrix, np.stack(axes))
        return x, y, z
    stacked = np.tensordot(matrix, np.stack(axes), axes=1)
    return stacked[0], stacked[1], stacked[2]


def unmounted(axes: Array, values: Values) -> Array:
    """The inverse of ``mounted`` for one reading, shape (3,)."""
    return np.asarray(
        np.linalg.solve(level_matrix(values) @ axes_matrix(values) @ cross_matrix(values), axes)
    )
