"""What is asked of a run, and what comes of it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

import numpy as np
import numpy.typing as npt

from tickstone.core.behaviours.behaviour import Behaviour
from tickstone.core.constants import Value, Values
from tickstone.core.drive.vehicle import Vehicle
from tickstone.core.drive.world import World
from tickstone.core.rigs.kinds import kind
from tickstone.core.rigs.rig import Rig, Sensor
from tickstone.errors import Conflict

Array = npt.NDArray[np.float64]
Figure = float | int | bool | None


@dataclass(frozen=True)
class Event:
    """Something that happened in a run."""

    t_s: float
    kind: str
    words: str


@dataclass(frozen=True)
class RunVerdict:
    """How a run went: its score, its events, why it failed (empty when it did not), and that in a
    heading."""

    score: Mapping[str, Figure]
    events: tuple[Event, ...]
    why: str
    verdict: str


@dataclass(frozen=True)
class RunRequest:
    """What is run: ``given`` are settings of the behaviour, numbers of the vehicle, constants of the sensor
    and hands (lamp_counts, higher_mm, loop_ms) by name, as they are for this run alone; ``values`` the
    constants of each sensor as they stand (None: as the rig's document tells); ``recorded``: those
    of them that recordings tell; ``real``: parts differ from their constants as real ones do."""

    rig: Rig
    world: World
    behaviour: str
    given: Mapping[str, float] = field(default_factory=dict)
    seconds: float = 20.0
    seed: int = 1
    step_ms: float = 1.0
    real: bool = False
    integers: bool = False
    values: Mapping[str, Values] | None = None
    recorded: tuple[Value, ...] = ()


class RunProgress:
    """How far a run is, told while it is worked out; and the wish that it stop."""

    def __init__(self) -> None:
        self.seen: Array = np.zeros(2)  # loops done; 1 when it shall stop
        self.loops = 0

    @property
    def share(self) -> float:
        """How much of it is done, 0 to 1."""
        return float(self.seen[0]) / self.loops if self.loops else 0.0

    def stop(self) -> None:
        """End it where it is."""
        self.seen[1] = 1.0

    def reached(self, k: int) -> None:
        """Note that a loop is reached. Raises Conflict when it shall stop."""
        self.seen[0] = k
        if self.seen[1] > 0:
            raise Conflict("The run was stopped: nothing of it is kept.", "run")


@dataclass(frozen=True)
class Column:
    """A reading in a trace; one that is ``hidden`` only says whether another is new."""

    name: str
    label: str
    unit: str
    hidden: bool = False


def ranger_columns(sensor: Sensor) -> tuple[Column, Column]:
    """What a trace holds of a ranger: its raw numbers, and what they mean."""
    channel = kind(sensor.kind).channels[0]
    return (
        Column(f"{sensor.id}_raw", f"{sensor.name}, raw", channel.unit),
        Column(f"{sensor.id}_mm", sensor.name, "mm"),
    )


def row_columns(count: int) -> tuple[Column, ...]:
    """What a trace holds of a row of line sensors."""
    return tuple(Column(f"s{i}", f"sensor {i}", "counts") for i in range(1, count + 1))


@dataclass(frozen=True)
class Run:
    """A run worked out, in its world as hands left it. ``trace``: a row for each loop, in the columns of
    ``core.drive.loop``; ``columns`` tells its readings; ``assumed`` are the numbers that nobody has
    measured; ``flags``, of a row, whether each sensor was over the line (of a guard: off its span), shape
    (loops, sensors)."""

    behaviour: Behaviour
    loop_s: float
    trace: Array
    columns: tuple[Column, ...]
    judged: RunVerdict
    assumed: tuple[str, ...]
    settings: Mapping[str, float]
    vehicle: Vehicle
    world: World
    flags: npt.NDArray[np.bool_] = field(default_factory=lambda: np.zeros((0, 0), np.bool_))
