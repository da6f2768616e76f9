"""What a screen draws or lists without knowing what it is about: plots with lines and points, tables in
words."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field


@dataclass(frozen=True)
class PlotLine:
    """A line of a plot: x and y, and its half width where it is a band."""

    label: str
    points: tuple[tuple[float, float], ...]
    half_width: tuple[float, ...] = ()


@dataclass(frozen=True)
class Dot:
    """A measured point of a plot, with its ± (95 %), whether it is off, and whether it is of something
    ``dark``. One that stands for a choice says what it ``picks``; ``picked`` is the one that stands."""

    x: float
    y: float
    plus_minus: float | None = None
    off: bool = False
    label: str = ""
    picks: Mapping[str, float] = field(default_factory=dict)
    picked: bool = False
    dark: bool = False


@dataclass(frozen=True)
class Plot:
    """A picture: axes in words with their units, lines, and points. ``zero`` draws the line of nothing
    left."""

    title: str
    x: str
    x_unit: str
    y: str
    y_unit: str
    dots: tuple[Dot, ...] = ()
    lines: tuple[PlotLine, ...] = ()
    zero: bool = False
    logarithmic: bool = False


@dataclass(frozen=True)
class Table:
    """Rows to read: a title, heads, and cells in words."""

    title: str
    heads: tuple[str, ...]
    rows: tuple[tuple[str, ...], ...]
