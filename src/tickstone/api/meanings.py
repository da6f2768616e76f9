"""What labels and columns mean, as it travels on the wire."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import BaseModel, Field

from tickstone.api.models import Body, Finite
from tickstone.core.rigs.labels import channels
from tickstone.core.rigs.meanings import Meaning
from tickstone.core.rigs.rig import Rig

Role = Literal["channel", "time", "mark", "ignored", "command"]


class MeaningModel(Body):
    """What becomes of a label's number: a channel by ``number × factor + zero``, the board's time, what was
    true at a row of a file, what the program commands, or nothing."""

    role: Role
    sensor: Annotated[str, Field(max_length=120)] = ""
    channel: Annotated[str, Field(max_length=60)] = ""
    factor: Finite = 1.0
    zero: Finite = 0.0
    unit_us: Finite | None = None

    @staticmethod
    def of(meaning: Meaning | None) -> MeaningModel | None:
        """A meaning as the screens show it; None where nobody knows it."""
        if meaning is None:
            return None
        return MeaningModel.model_validate(
            {name: getattr(meaning, name) for name in MeaningModel.model_fields}
        )

    def meaning(self) -> Meaning:
        """The meaning as the core takes it."""
        return Meaning(**{name: getattr(self, name) for name in MeaningModel.model_fields})


class TargetModel(BaseModel):
    """A raw channel that a label or a column can stand for."""

    sensor: str
    channel: str
    title: str
    unit: str


def targets_of(rig: Rig) -> list[TargetModel]:
    """Everything of a rig that a label or a column can stand for."""
    return [
        TargetModel(
            sensor=sensor.id, channel=channel.name, title=f"{sensor.name}: {channel.label}", unit=channel.unit
        )
        for sensor, channel in channels(rig)
    ]
