"""Plots and tables on the wire."""

from __future__ import annotations

from pydantic import BaseModel, ConfigDict


class RecordModel(BaseModel):
    """A model that is read off a record of the core as it stands."""

    model_config = ConfigDict(from_attributes=True)


class CurveModel(RecordModel):
    label: str
    points: list[tuple[float, float]]
    half_width: list[float]


class DotModel(RecordModel):
    x: float
    y: float
    plus_minus: float | None
    off: bool
    label: str
    picks: dict[str, float]
    picked: bool
    dark: bool


class PlotModel(RecordModel):
    title: str
    x: str
    x_unit: str
    y: str
    y_unit: str
    dots: list[DotModel]
    lines: list[CurveModel]
    zero: bool
    logarithmic: bool


class TableModel(RecordModel):
    title: str
    heads: list[str]
    rows: list[list[str]]
