"""The live message: what a window gets twenty times a second. Built without validation, from what is right
already."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel

from tickstone.actions.live.hold import Hold
from tickstone.actions.live.ring import ReadingStretch
from tickstone.actions.live.state import LiveState
from tickstone.actions.live.watched import Now
from tickstone.api.models import FaultModel, number, numbers
from tickstone.core.calibration.procedure import Holding
from tickstone.core.diagnosis.finding import Finding
from tickstone.core.instruments import Shown

Figure = float | str | list[bool] | None  # what stands on an instrument: a number, a word, the lamps of a bar


class SensorNow(BaseModel):
    """A sensor as it stands, and its readings since the message before: ``t`` s, ``r`` raw, ``v`` converted;
    ``fresh`` ones take the place of all before. ``instruments`` holds what stands on each."""

    raw: float | None
    value: float | None
    reason: str
    sentence: str
    noise: float | None
    readings: int
    dropouts: int
    asked: dict[str, float | None]
    instruments: dict[str, dict[str, Figure]]
    fresh: bool
    t: list[float | None]
    r: list[float | None]
    v: list[float | None]

    @staticmethod
    def of(now: Now, reason: str, stretch: ReadingStretch, *, fresh: bool) -> SensorNow:
        """What a sensor says now, with a stretch of its readings."""
        return SensorNow.model_construct(
            raw=number(now.raw),
            value=None if now.value is None else number(round(now.value, 3)),
            reason=reason,
            sentence=now.sentence,
            noise=None if now.noise is None else round(now.noise, 4),
            readings=now.readings,
            dropouts=now.dropouts,
            asked={name: number(value) for name, value in now.asked.items()},
            instruments={name: rounded(shown) for name, shown in now.instruments.items()},
            fresh=fresh,
            t=numbers(stretch.times_s, 6),
            r=numbers(stretch.raw),
            v=numbers(stretch.values),
        )


class RecordingNow(BaseModel):
    """The recording that runs; ``start_s`` is the rig's time of its first row."""

    id: int
    name: str
    start_s: float | None
    committed: int
    lost: int
    store_away: bool


class HoldNow(BaseModel):
    """What is being watched for: a want of a procedure, or whichever the readings show (``any``)."""

    sensor: str
    procedure: str
    key: str
    label: str
    true_mm: float | None
    any: bool
    ready: bool
    why_not: str
    held_s: float
    of_s: float
    figure: str

    @staticmethod
    def of(hold: Hold, judged: Holding) -> HoldNow:
        """A hold and how it stands."""
        want = hold.want
        return HoldNow.model_construct(
            sensor=hold.sensor,
            procedure=hold.procedure.id,
            key=want.key if want else judged.key,
            label=hold.procedure.label_of(want, hold.truth) if want else "",
            true_mm=hold.truth.get("true_mm"),
            any=want is None,
            ready=judged.ready,
            why_not=judged.why_not,
            held_s=round(judged.held_s, 1),
            of_s=hold.procedure.window_s(want),
            figure=judged.figure,
        )


class LiveMessage(BaseModel):
    """How a rig stands and what is new of its sensors. ``now_s`` is the rig's time; ``version`` rises with
    every stored change that windows show."""

    status: Literal["idle", "live", "silent", "lost"]
    source: str
    why: str
    advice: str
    left_out: int
    now_s: float
    rate_hz: float | None
    jitter_ms: float | None
    gaps: int
    garbled: int
    lines: int
    air_c: float | None
    recording: RecordingNow | None
    findings: list[FaultModel]
    hold: HoldNow | None
    version: int
    sensors: dict[str, SensorNow]

    @staticmethod
    def of(
        state: LiveState,
        now_s: float,
        air_c: float | None,
        findings: tuple[Finding, ...],
        hold: HoldNow | None,
        version: int,
    ) -> LiveMessage:
        """How a rig stands, nothing said of its sensors."""
        recording = state.recording
        return LiveMessage.model_construct(
            status=state.status,
            source=state.source,
            why=state.why,
            advice=state.advice,
            left_out=state.left_out,
            now_s=round(now_s, 3),
            rate_hz=state.rhythm.rate_hz,
            jitter_ms=state.rhythm.jitter_ms,
            gaps=state.rhythm.gaps,
            garbled=state.garbled,
            lines=state.lines,
            air_c=None if air_c is None else round(air_c, 2),
            recording=None
            if recording is None
            else RecordingNow.model_construct(
                id=recording.id,
                name=recording.name,
                start_s=None if recording.start_us is None else recording.start_us / 1e6,
                committed=recording.progress.committed,
                lost=recording.progress.lost,
                store_away=recording.progress.away != "",
            ),
            findings=[FaultModel.of(finding) for finding in findings],
            hold=hold,
            version=version,
            sensors={},
        )


def rounded(shown: Shown) -> dict[str, Figure]:
    """What stands on an instrument, as JSON can carry it."""
    return {name: number(round(v, 4)) if isinstance(v, float) else v for name, v in shown.items()}
