"""What travels on the wire. Missing numbers are null with a reason; ± is 95 % (``plus_minus``)."""

from __future__ import annotations

import math
from collections.abc import Iterable
from datetime import datetime
from typing import Annotated, Any, Literal

import numpy as np
import numpy.typing as npt
from pydantic import BaseModel, ConfigDict, Field

from tickstone.actions import marking
from tickstone.actions.recordings import StoredMark, StoredRecording
from tickstone.core import constants as core_constants
from tickstone.core.diagnosis.finding import Finding
from tickstone.core.uncertainty import plus_minus

MOST_S = 1e9  # thirty years: no recording is longer, and its µs fit into the store
Finite = Annotated[float, Field(allow_inf_nan=False)]
Seconds = Annotated[float, Field(ge=-MOST_S, le=MOST_S, allow_inf_nan=False)]
Name = Annotated[str, Field(min_length=1, max_length=120)]
Purpose = Annotated[str, Field(max_length=120)]
Provenance = Literal["assumed", "measured", "derived", "chosen"]


class Body(BaseModel):
    """Base of what comes in: unknown fields are refused."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)


class Titled(Body):
    title: Annotated[str, Field(min_length=1, max_length=60)]


class RevisionBody(Body):
    """The revision that the person saw: a change to an older one is refused, never merged silently."""

    revision: int


def numbers(values: npt.NDArray[np.floating[Any]], digits: int = 3) -> list[float | None]:
    """An array as JSON can carry it: NaN is null."""
    return [None if math.isnan(v) else v for v in np.round(values, digits).tolist()]


def number(value: float | None) -> float | None:
    """A number as JSON can carry it."""
    return None if value is None or not math.isfinite(value) else value


class Constant(BaseModel):
    """A constant as it stands; ``id`` is of its value, 0 for one that nobody has set."""

    id: int
    name: str
    label: str
    unit: str
    value: float
    plus_minus: float | None
    provenance: Provenance
    source: str
    station: str
    shown_at: list[str]
    counts: bool = True
    rests_on: list[str]
    stale: str
    warning: str = ""
    made_at: datetime | None
    recording_id: int | None
    low: float | None
    high: float | None
    typed_as: Provenance | None = None

    @staticmethod
    def of(value: core_constants.Value) -> Constant:
        """A constant as the screens show it."""
        return Constant(
            id=value.value_id or 0,
            name=value.name,
            label=value.label,
            unit=value.unit,
            value=value.value,
            plus_minus=plus_minus(value.sd),
            provenance=value.provenance.value,
            source=value.source,
            station=value.station,
            shown_at=list(value.shown_at),
            rests_on=list(value.rests_on),
            stale=value.stale,
            warning=value.warning,
            made_at=datetime.fromisoformat(value.made_at) if value.made_at else None,
            recording_id=value.recording_id,
            low=value.typed[0] if value.typed else None,
            high=value.typed[1] if value.typed else None,
        )


class StreamModel(BaseModel):
    key: str
    n: int
    t0_s: float | None
    t1_s: float | None
    segments: int


class FaultModel(BaseModel):
    """What looks wrong: ``sensor`` is whose it is (empty: the line's), ``channel`` and ``also`` the signals
    with it; the span in s; ``causes`` the likeliest first."""

    kind: str
    title: str
    sensor: str
    channel: str
    also: list[str]
    start_s: float
    end_s: float
    confidence: float
    evidence: str
    causes: list[str]
    advice: str

    @staticmethod
    def of(finding: Finding) -> FaultModel:
        """A finding as the screen shows it."""
        return FaultModel(
            kind=finding.kind,
            title=finding.title,
            sensor=finding.stream,
            channel=finding.channel,
            also=list(finding.also),
            start_s=round(finding.start_s, 4),
            end_s=round(finding.end_s, 4),
            confidence=finding.confidence,
            evidence=finding.evidence,
            causes=list(finding.causes),
            advice=finding.advice,
        )


class RecordingModel(BaseModel):
    id: int
    name: str
    origin: str
    source: str
    status: str
    ended_why: str
    started_at: datetime
    duration_s: float
    odd_lines: int
    archived: bool
    note: str
    clock: str
    made_from: list[dict[str, Any]]
    streams: list[StreamModel]

    @staticmethod
    def of(recording: StoredRecording) -> RecordingModel:
        """A recording as the screens show it."""
        streams = [
            StreamModel(key=s.key, n=s.n, t0_s=seconds(s.t0), t1_s=seconds(s.t1), segments=s.segments)
            for s in recording.streams
        ]
        return RecordingModel(
            id=recording.id,
            name=recording.name,
            origin=recording.origin,
            source=recording.source,
            status=recording.status,
            ended_why=recording.ended_why,
            started_at=recording.started_at,
            duration_s=recording.duration_s,
            odd_lines=recording.odd_lines,
            archived=recording.archived_at is not None,
            streams=streams,
            note=recording.note,
            clock=recording.clock,
            made_from=list(recording.made_from),
        )


class MarkModel(BaseModel):
    id: int
    t0_s: float
    t1_s: float | None
    label: str
    sensor: str | None
    truth: dict[str, Any] | None
    conditions: dict[str, Any]

    @staticmethod
    def all_of(marks: Iterable[StoredMark]) -> list[MarkModel]:
        """Marks as the screens show them."""
        return [
            MarkModel(
                id=m.id,
                t0_s=m.t0 / 1e6,
                t1_s=seconds(m.t1),
                label=m.label,
                sensor=m.sensor,
                truth=m.truth,
                conditions=m.conditions,
            )
            for m in marks
        ]


class TruthModel(Body):
    """What was really so at a mark: a quantity with its unit, and how sure that is (k = 1)."""

    quantity: Annotated[str, Field(min_length=1, max_length=60)]
    value: Finite
    unit: Annotated[str, Field(max_length=20)] = ""
    sd: Annotated[Finite, Field(ge=0)] | None = None


Conditions = dict[
    Annotated[str, Field(min_length=1, max_length=40)], Finite | Annotated[str, Field(max_length=120)]
]


class MarkAsked(Body):
    """A mark's words: its label, the sensor it is about, what was true there, under what conditions."""

    label: Annotated[str, Field(max_length=120)] = ""
    sensor: Name | None = None
    truth: TruthModel | None = None
    conditions: Conditions = {}

    def text(self) -> marking.MarkText:
        """The words as the action takes them."""
        truth = None if self.truth is None else self.truth.model_dump()
        return marking.MarkText(self.label, self.sensor, truth, dict(self.conditions))


def seconds(t_us: int | None) -> float | None:
    """µs as s."""
    return None if t_us is None else t_us / 1e6


class Done(BaseModel):
    """Something was done; ``id`` is of what was made, where something was."""

    id: int | None = None
