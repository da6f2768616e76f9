"""The simulated board: it runs the rig's watch program, so to speak, and prints the lines that the real one
would."""

from __future__ import annotations

import heapq
from collections.abc import Iterator, Mapping
from dataclasses import dataclass

import numpy as np

from tickstone.core.rigs.labels import labels
from tickstone.core.rigs.part import Chosen
from tickstone.core.rigs.reading import Counts, Echo, Edges, Levels, Reading, Registers, Steps, Swing
from tickstone.core.rigs.rig import Rig
from tickstone.standin.faults import Disturber
from tickstone.standin.hands import BOARD, BOARD_HANDS
from tickstone.standin.parts import part_for
from tickstone.standin.parts.base import SimulatedPart
from tickstone.standin.track import Drive, track_of
from tickstone.standin.world import World

PING_S = 0.05
AIR_S = 1.0
AGAIN_S = 0.5  # levels and counts that do not change are told again
COMMANDS_S = 0.05  # commands are told so often
STEP_S = 0.005  # of the physics, for what happens between two readings
JITTER_S = 0.012
GARBLED = 0.15
SWALLOWED = "\x00"  # the process leaves out a line's end after this mark
WRAP_US = 2**32


@dataclass
class _Sampled:
    """A part that is read every so often."""

    part: SimulatedPart
    disturber: Disturber
    channels: tuple[str, ...]
    every_s: float


@dataclass
class _Watched:
    """A part whose events are told as they come, and whose state is told again."""

    part: SimulatedPart
    edges: bool
    last: dict[str, float] | None = None
    again_s: float = 0.0


class SimBoard:
    """A rig's board. ``lines(until_us)`` are what it prints up to a time of its own clock, in order.

    ``pace`` makes all regular readings so many times as frequent. Seeded, so that a run can be repeated.
    """

    def __init__(self, rig: Rig, seed: int = 1, pace: float = 1.0) -> None:
        self.rig, self.seed, self.world = rig, seed, World(seed)
        self.world.add(BOARD, BOARD_HANDS)
        self.labels = labels(rig)
        self.parts = [part_for(self.world, rig, sensor) for sensor in rig.sensors]
        self.sampled: list[_Sampled] = []
        self._watched: list[_Watched] = []
        for part in self.parts:
            for reading in part.kind.reads(Chosen(part.kind.options, part.sensor.options)):
                self._plan(part, reading, pace)
        self._due = [(0.0, i) for i in range(len(self.sampled))]
        heapq.heapify(self._due)
        self._t_s = 0.0
        self._drive: Drive | None = None
        self._told_s = 0.0  # when commands were told last
        self._late: list[tuple[float, int, str]] = []  # lines whose time has not come
        self._boot_s = 0.0
        self._greets = True

    def _plan(self, part: SimulatedPart, reading: Reading, pace: float) -> None:
        if isinstance(reading, Edges | Levels | Steps):
            self._watched.append(_Watched(part, isinstance(reading, Edges)))
            return
        names = tuple(channel.name for channel in part.kind.channels_of(part.sensor.options))
        every_s = AIR_S
        if isinstance(reading, Echo):
            every_s = PING_S
        elif isinstance(reading, Counts | Registers):
            every_s = reading.every_ms / 1000.0
        elif isinstance(reading, Swing):
            every_s = reading.window_ms / 1000.0
        self.sampled.append(_Sampled(part, Disturber(part), names, every_s / pace))

    @property
    def lines_per_s(self) -> float:
        """How many regular lines it prints a second."""
        return sum(1.0 / sampled.every_s for sampled in self.sampled)

    def move(self, changes: Mapping[str, float]) -> None:
        """Move hands. Raises BadInput naming the one that cannot be; then none is moved."""
        changes = self.world.check(dict(changes))
        before = dict(self.world.set)
        self.world.set.update(changes)
        owners = {part.key: part for part in self.parts}
        for key in changes:
            owner, _, name = key.partition(".")
            if owner in owners and self.world.set[key] != before[key]:
                owners[owner].changed(name)
        if self.world.set[f"{BOARD}.fault.reset"]:
            self.world.set[f"{BOARD}.fault.reset"] = 0.0
            self._boot_s, self._greets, self._late = self._t_s, True, []

    def put_on_track(self, drive: Drive | None) -> None:
        """Let it drive, from the start of a world; None takes it back to the bench. Raises BadInput naming
        what cannot be; then nothing changes."""
        random = np.random.default_rng([self.seed, 7])
        track = None if drive is None else track_of(self.rig, drive, self._read_now, random)
        self.world.track, self._drive = track, drive

    @property
    def drive(self) -> Drive | None:
        """What it drives by; None on the bench."""
        return self._drive

    def _read_now(self, sensor: str) -> Mapping[str, float]:
        """What its program reads of a sensor in a turn, faults and all."""
        return next(
            (
                sampled.disturber.disturb(sampled.part.sample())
                for sampled in self.sampled
                if sampled.part.key == sensor
            ),
            {},
        )

    def has(self, name: str) -> bool:
        """Whether a fault of the board is switched on."""
        return self.world.set[f"{BOARD}.fault.{name}"] >= 0.5

    def truth(self) -> dict[str, dict[str, float]]:
        """What is really so, by sensor, and on the track. For tests."""
        truth = {part.key: dict(part.truth()) for part in self.parts}
        return truth if self.world.track is None else truth | {"track": self.world.track.truth()}

    def made(self) -> dict[str, dict[str, float]]:
        """The constants as the parts on the bench really have them, by sensor. For tests."""
        return {part.key: dict(part.made) for part in self.parts}

    def lines(self, until_us: int) -> list[str]:
        """What it prints up to ``until_us`` µs after it was first plugged in."""
        said, self._late = self._late, []
        if self._greets:
            said.append((self._t_s, 0, f"Watch program of {self.rig.title}"))
            self._greets = False
        until_s = until_us / 1e6
        while self._t_s < until_s - 1e-9 or (self._due and self._due[0][0] <= until_s + 1e-9):
            end = min(until_s, self._t_s + STEP_S)
            if self._due:
                end = min(end, max(self._due[0][0], self._t_s))
            self._step(end, said)
        said.sort(key=lambda item: item[0])
        self._late = [item for item in said if item[0] > until_s + 1e-9]
        return [text for t_s, _, text in said if t_s <= until_s + 1e-9]

    def _step(self, end_s: float, said: list[tuple[float, int, str]]) -> None:
        before_s = self._t_s
        if end_s > before_s:
            if self.world.track is not None:
                self.world.t_s = before_s
                self.world.track.advance(end_s - before_s)
            for part in self.parts:
                part.advance(end_s - before_s)
            self._tell_commands(end_s, said)
            for watched in self._watched:
                for t_s, known in self._happened(watched, before_s, end_s):
                    said.append((t_s, len(said), self._line(watched.part, t_s, known)))
        self._t_s = end_s
        while self._due and self._due[0][0] <= end_s + 1e-9:
            due_s, index = heapq.heappop(self._due)
            sampled = self.sampled[index]
            heapq.heappush(self._due, (due_s + sampled.every_s, index))
            self.world.t_s = due_s
            read = sampled.disturber.disturb(sampled.part.sample())
            late = abs(self.world.normal(JITTER_S)) if self.has("jitter") else 0.0
            said.append((due_s + late, len(said), self._line(sampled.part, due_s + late, read)))

    def _tell_commands(self, end_s: float, said: list[tuple[float, int, str]]) -> None:
        track = self.world.track
        if track is None or end_s - self._told_s < COMMANDS_S - 1e-9:
            return
        self._told_s = end_s
        pairs = [f"t_us:{round((end_s - self._boot_s) * 1e6) % WRAP_US}"]
        pairs += [f"{label}:{value:.1f}" for label, value in track.commands().items()]
        if len(pairs) > 1:
            said.append((end_s, len(said), " ".join(pairs)))

    def _happened(
        self, watched: _Watched, t0_s: float, t1_s: float
    ) -> Iterator[tuple[float, dict[str, float]]]:
        for t_s, known in watched.part.events(t0_s, t1_s):
            if watched.edges:
                known = {
                    name: float(round((at - self._boot_s) * 1e6) % WRAP_US) for name, at in known.items()
                }
            else:
                watched.last, watched.again_s = known, t_s
            yield t_s, known
        if watched.last is not None and t1_s - watched.again_s >= AGAIN_S:
            watched.again_s = t1_s
            yield t1_s, watched.last

    def _line(self, part: SimulatedPart, t_s: float, read: Mapping[str, float]) -> str:
        pairs = [f"t_us:{round((t_s - self._boot_s) * 1e6) % WRAP_US}"]
        for channel in part.kind.channels:
            if channel.name in read:
                number = read[channel.name]
                pairs.append(f"{self.labels[part.key, channel.name]}:{number:.{channel.digits}f}")
        text = " ".join(pairs)
        return self._garbled(text) if self.has("garbled") and self.world.chance(GARBLED) else text

    def _garbled(self, text: str) -> str:
        """Noise on the line: some characters become others, or a piece is lost together with the line's
        end."""
        where = int(self.world.random.integers(1, len(text)))
        if self.world.chance(0.5):
            return text[:where] + "~}\ufffd"[int(self.world.random.integers(0, 3))] + text[where + 1 :]
        return text[:where] + SWALLOWED
