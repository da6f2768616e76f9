"""What is being watched for in what comes live."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from tickstone.core.calibration.procedure import Procedure, Step, Want
from tickstone.core.constants import Values


@dataclass(frozen=True)
class Hold:
    """What is being watched for: a want (None: whichever of them it is), what was typed for it, what is held
    already. ``moved`` becomes true once something has moved since the step before, at ``before_s``: the next
    one is never a copy of the last. Only readings after ``since_s`` count."""

    calibration_id: int
    sensor: str
    sensor_id: int
    procedure: Procedure[Any]
    want: Want | None
    truth: Mapping[str, float]
    steps: tuple[Step[Any], ...]
    values: Values
    since_s: float
    air_sd: float = 0.5
    supplied: bool = False
    moved: bool = True
    before_s: float = 0.0

    @property
    def own_key(self) -> str:
        """Under which key its step is held; empty for one that is seen by itself."""
        return self.procedure.key_of(self.want, self.truth) if self.want is not None else ""


@dataclass(frozen=True)
class Taken:
    """The step that was taken last: in which recording, of which sensor, under which key, and when, s of the
    rig's time."""

    recording_id: int
    sensor: str
    key: str
    at_s: float


@dataclass
class HoldState:
    """How holding stands on a rig while a recording runs: ``began`` is whether it began that recording."""

    hold: Hold | None = None
    last: Taken | None = None
    began: bool = False
