"""The stand-in on the track: the rig's own vehicle in a world, driven by a behaviour as the board's program
would drive it. What drives differs from its numbers as real parts do, and nobody is told by how much."""

from __future__ import annotations

import math
from abc import ABC, abstractmethod
from collections.abc import Callable, Mapping
from typing import Any

import numpy as np
import numpy.typing as npt
from pydantic import BaseModel, TypeAdapter

from tickstone.core.behaviours.behaviour import ROW, StepInputs
from tickstone.core.behaviours.catalogue import behaviour as behaviour_named
from tickstone.core.behaviours.steered import as_steered
from tickstone.core.drive import loop, rail
from tickstone.core.drive.ground import ground_of, line_near, tape_share, within
from tickstone.core.drive.parts import Parts
from tickstone.core.drive.request import RunRequest
from tickstone.core.drive.rolling import check_rolls, sensed_by
from tickstone.core.drive.sensing import rangers_of
from tickstone.core.drive.vehicle import as_real, steers
from tickstone.core.drive.world import FloorWorld, RailWorld, TableWorld, World, check_world
from tickstone.core.rigs.commands import commands_of
from tickstone.core.rigs.kinds import kind
from tickstone.core.rigs.kinds.base import Ambient
from tickstone.core.rigs.labels import own_label
from tickstone.core.rigs.rig import Mount, Rig, Sensor
from tickstone.core.rigs.usual import usual_values
from tickstone.errors import BadInput

Array = npt.NDArray[np.float64]
Read = Callable[[str], Mapping[str, float]]  # what a sensor tells just now, raw
WORLD: TypeAdapter[World] = TypeAdapter(World)
STEP_S = 0.001
MOST_SPOT_MM = 6.0  # half of the widest that a sensor sees across
PINGS_S = 0.05
SERVO_MIDDLE_DEG = 90.0
GRAVITY_MM_S2 = 9806.65


class Drive(BaseModel):
    """What runs on the track: the behaviour, the world's document, numbers given for it, and the constants
    of each sensor as the rig has them."""

    behaviour: str
    world: dict[str, Any]
    given: dict[str, float] = {}
    constants: dict[str, dict[str, float]] = {}

    def request(self, rig: Rig) -> RunRequest:
        """The same as a run asks for it. Raises BadInput naming the field that cannot be."""
        values = {}
        for sensor in rig.sensors:
            what = kind(sensor.kind)
            known = {n: v for n, v in self.constants.get(sensor.id, {}).items() if n in what.specs}
            values[sensor.id] = usual_values(what, rig, sensor, known)
        world = WORLD.validate_python(self.world)
        check_world(world)
        return RunRequest(rig, world, self.behaviour, self.given, values=values)


class Track(ABC):
    """A vehicle on the track. ``advance`` carries it on; its program takes a turn whenever its loop is
    due."""

    def __init__(self, request: RunRequest, read: Read) -> None:
        self.request, self._read = request, read
        self.behaviour = behaviour_named(request.behaviour)
        self.parts = Parts(request, self.behaviour)
        self.memory = self.behaviour.begin()
        self.inputs = StepInputs(self.parts.settings, integers=request.integers)
        self.readings = np.full(0, math.nan)
        self.t_s = 0.0
        self._due_s = 0.0
        self._turns = 0

    def advance(self, dt_s: float) -> None:
        """Carry it on by ``dt_s``."""
        end = self.t_s + dt_s
        while self.t_s < end - 1e-9:
            if self.t_s >= self._due_s - 1e-9:
                self._sense()
                self.behaviour.step(self.memory, self.readings, self.inputs, self.parts.loop_s)
                self._due_s += self.parts.loop_s
                self._turns += 1
            step = min(STEP_S, end - self.t_s, self._due_s - self.t_s)
            self._move(step)
            self.t_s += step

    @abstractmethod
    def _sense(self) -> None:
        """Take the readings that the program asks for in a turn."""

    @abstractmethod
    def _move(self, dt_s: float) -> None:
        """Carry what drives on by a small step."""

    def sees(self, sensor: Sensor) -> bool:
        """Whether a sensor is moved by the track, and not by hands."""
        return kind(sensor.kind).family in ("distance", "surface")

    @abstractmethod
    def away(self, sensor: Sensor) -> float:
        """How far what a ranger sees is, mm; inf where nothing comes back."""

    @property
    def rolls_mm_s(self) -> tuple[float, float]:
        """How fast the left and the right wheel roll."""
        return 0.0, 0.0

    @property
    def turns_deg_s(self) -> float:
        """How fast it turns, to the left."""
        return 0.0

    @property
    def pushes_g(self) -> float:
        """How strongly it gains speed forward, g."""
        return 0.0

    @property
    def effort(self) -> float:
        """How hard its motors work, 0 to 1."""
        return 0.0

    @abstractmethod
    def truth(self) -> dict[str, float]:
        """Where it really is. For tests and for the drawing of the track."""

    def commands(self) -> dict[str, float]:
        """What the program commands, by the label on the line."""
        by_name = dict(
            zip((o.name for o in self.behaviour.outputs), self.memory.outputs.tolist(), strict=False)
        )
        if steers(self.request.rig):
            numbers = self.parts.vehicle.array()
            pct, angle = as_steered(
                *self.memory.outputs[:2].tolist(),
                *numbers[[loop.TRACK, loop.WHEELBASE, loop.STEER_END]].tolist(),
            )
            by_name |= {"pct": pct, "deg": SERVO_MIDDLE_DEG + math.degrees(angle)}
        lamps = [by_name[name] for name in by_name if name in ("lamp", "green", "red")]
        results = {}
        for part in self.request.rig.outputs:
            for spec in commands_of(part):
                value = by_name.get(spec.name)
                if part.kind == "led":
                    value = by_name.get(str(part.options.get("colour"))) if lamps else None
                    value = (lamps.pop(0) if lamps else None) if value is None else value
                elif value is None and spec.name in ("deg", "pct"):
                    value = by_name.get("servo_deg")
                elif spec.name == "sounds":
                    value = by_name.get("buzzer")
                elif spec.name == "steps":
                    value = by_name.get("bar_steps")
                if value is not None:
                    results[own_label(part.id, spec.name)] = value
        return results

    def _distance(self, sensor: Sensor) -> float:
        """What a ranger says, mm, by the kind's own conversion; NaN where it means nothing."""
        raw = {name: np.array([value]) for name, value in self._read(sensor.id).items()}
        converted = kind(sensor.kind).convert(raw, self.request.values[sensor.id], Ambient())  # type: ignore[index]
        return float(converted.values[0]) if converted.valid[0] else math.nan


class Rolling(Track):
    """On wheels, on a floor or on a table."""

    def __init__(self, request: RunRequest, read: Read, random: np.random.Generator) -> None:
        super().__init__(request, read)
        world = request.world
        assert isinstance(world, FloorWorld | TableWorld)
        check_rolls(world, self.behaviour)
        row, rangers, _ = sensed_by(self.behaviour, self.parts)
        self.inputs = StepInputs(self.parts.settings, row.sensors, row.choices, request.integers)
        size = row.places.size if self.behaviour.reads == ROW else 2 * rangers.table.shape[0]
        self.readings = np.full(size, math.nan)
        self._ground = ground_of(world, MOST_SPOT_MM)
        self._vehicle = as_real(self.parts.vehicle.array(), random)
        start = world.start
        self._pose = np.array([start.x_mm, start.y_mm, math.radians(start.heading_deg)])
        self._moves, self._gains = np.zeros(3), 0.0
        self.fell, self.hits = False, 0
        self._touching = False
        self._mounted = self._mounts(request.rig)

    def _mounts(self, rig: Rig) -> dict[str, Array]:
        """Where each ranger of the rig looks, as loops have it."""
        rows = {}
        for sensor in rig.sensors:
            if kind(sensor.kind).family == "distance":
                values = self.request.values[sensor.id]  # type: ignore[index]
                rows[sensor.id] = rangers_of([sensor], [values], self.parts.loop_s, None)[0].table[0]
        return rows

    def _sense(self) -> None:
        if self.behaviour.reads == ROW:
            told = self._read(self.parts.sensors[0].id)
            first = (int(self.parts.values[0]["sensors"].value) - self.readings.size) // 2
            for i in range(self.readings.size):
                self.readings[i] = told.get(f"s{first + i + 1}", math.nan)
            return
        count = len(self.parts.sensors)
        every = max(count, round(PINGS_S / self.parts.loop_s))
        for i, sensor in enumerate(self.parts.sensors):
            new = self._turns % every == (i * every) // count
            self.readings[2 * i + 1] = 1.0 if new else 0.0
            if new:
                self.readings[2 * i] = self._distance(sensor)

    def _move(self, dt_s: float) -> None:
        if self.fell:
            self._moves[:], self._gains = 0.0, 0.0
            return
        kept, vehicle, moves = self._pose.copy(), self._vehicle, self._moves
        c, s = math.cos(self._pose[2]), math.sin(self._pose[2])
        before = moves[loop.LEFT] + moves[loop.RIGHT]
        ground = self._ground
        numbers = ground.patches, ground.patch_starts, ground.patch_numbers
        pull = loop.slope_pull(self._pose, c, s, vehicle, *numbers)
        loop.move(self.memory.outputs, vehicle, pull, dt_s, loop.share_in(dt_s, vehicle), moves, self._pose)
        walls = self._ground.walls
        touching = bool(walls.shape[0]) and loop.touches(self._pose, vehicle, walls)
        if touching:
            self._pose = kept
            moves[:2] = 0.0
            self.hits += not self._touching
        self._touching = touching
        self._gains = (moves[loop.LEFT] + moves[loop.RIGHT] - before) / 2 / dt_s if dt_s > 0 else 0.0
        outline = self._ground.outline
        self.fell = bool(outline.shape[0]) and not loop.stands(self._pose, vehicle[loop.TRACK] / 2, outline)

    def _at(self, sensor: Sensor, aside_mm: float = 0.0) -> tuple[float, float]:
        """Where on the floor a sensor is, ``aside_mm`` right of its middle."""
        mount = sensor.mount or Mount(x_mm=80.0)
        c, s = math.cos(self._pose[2]), math.sin(self._pose[2])
        along, aside = mount.x_mm, mount.y_mm - aside_mm
        return self._pose[0] + along * c - aside * s, self._pose[1] + along * s + aside * c

    def dark(self, sensor: Sensor, aside_mm: float, radius_mm: float) -> float:
        """How much of the spot of a sensor is dark, ``aside_mm`` right of the middle of its row."""
        ground, (x, y) = self._ground, self._at(sensor, aside_mm)
        outline = ground.outline
        if outline.shape[0] and not within(x, y, outline, 0, outline.shape[0]):
            return 1.0  # beyond the edge nothing comes back
        return float(tape_share(x, y, radius_mm, ground.near, ground.grid, ground.starts))

    def away(self, sensor: Sensor) -> float:
        walls = self._ground.walls
        if not walls.shape[0]:
            return math.inf
        return float(loop.nearest_ahead(self._pose, self._mounted[sensor.id], walls))

    @property
    def rolls_mm_s(self) -> tuple[float, float]:
        return float(self._moves[loop.LEFT]), float(self._moves[loop.RIGHT])

    @property
    def turns_deg_s(self) -> float:
        left, right = self.rolls_mm_s
        return math.degrees((right - left) / self._vehicle[loop.TRACK])

    @property
    def pushes_g(self) -> float:
        return self._gains / GRAVITY_MM_S2

    @property
    def effort(self) -> float:
        return float(np.abs(self.memory.outputs[:2]).mean() / 100.0)

    def truth(self) -> dict[str, float]:
        x, y, heading = self._pose.tolist()
        results = {
            "x_mm": x,
            "y_mm": y,
            "heading_deg": math.degrees(heading),
            "hits": float(self.hits),
            "fell": float(self.fell),
        }
        if self.behaviour.follows and self._ground.pieces.shape[0]:
            at = self._at(self.parts.sensors[0])
            cos, sin = math.cos(heading), math.sin(heading)
            results["offset_mm"] = float(line_near(*at, cos, sin, self._ground.pieces, -1)[0])
        return results


class OnRail(Track):
    """On a rail, before a ranger."""

    def __init__(self, request: RunRequest, read: Read) -> None:
        super().__init__(request, read)
        world = request.world
        assert isinstance(world, RailWorld)
        rail.check_holds(self.behaviour)
        self.inputs = StepInputs(rail.settings_on(world, self.parts), integers=request.integers)
        self.readings = np.array([math.nan, 0.0])
        self.memory.outputs[0] = world.level
        self._plant = rail.Plant(world)

    def _sense(self) -> None:
        new = self._turns % max(1, round(PINGS_S / self.parts.loop_s)) == 0
        self.readings[1] = 1.0 if new else 0.0
        if new:
            self.readings[0] = self._distance(self.parts.sensors[0])

    def _move(self, dt_s: float) -> None:
        self._plant.advance(self.memory.outputs[0], dt_s)

    def sees(self, sensor: Sensor) -> bool:
        return sensor.id == self.parts.sensors[0].id

    def away(self, sensor: Sensor) -> float:
        return self._plant.x if self.sees(sensor) else math.inf

    def truth(self) -> dict[str, float]:
        return {"x_mm": self._plant.x, "y_mm": 0.0, "heading_deg": 0.0}


def track_of(rig: Rig, drive: Drive, read: Read, random: np.random.Generator) -> Track:
    """A rig on the track. Raises BadInput naming the field that cannot be."""
    request = drive.request(rig)
    if isinstance(request.world, FloorWorld | TableWorld):
        return Rolling(request, read, random)
    if isinstance(request.world, RailWorld):
        return OnRail(request, read)
    raise BadInput("On the bench hands move what is sensed: choose a floor, a table or a rail.", "world")
