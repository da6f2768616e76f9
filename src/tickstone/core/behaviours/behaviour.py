"""The vocabulary of a behaviour: what it reads and moves, its settings, its states, and its step.

A step is a plain function over arrays, so that a loop can be compiled with it, a board's simulated program
can call it and a recording can be decided again by it: all are the same code. A step knows no time but the
length of its loop.
"""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import ClassVar

import numpy as np
import numpy.typing as npt

from tickstone.core.checks import check_between
from tickstone.core.loops import part_of_loops
from tickstone.errors import BadInput

Array = npt.NDArray[np.float64]
# (loop, s; readings; settings; sensors; choices; integers; memory; outputs) → state
Step = Callable[[float, Array, Array, Array, Array, bool, Array, Array], int]

ROW, RANGERS, LEVEL = "row", "rangers", "level"  # what a behaviour reads
WHEELS, SERVO, LAMPS = "wheels", "servo", "lamps"  # what it moves
MEMORY = 64  # numbers that any behaviour may keep
MOST_SENSORS = 8


@dataclass(frozen=True)
class Setting:
    """A number that a person sets for a behaviour, or one of ``choices`` (0, 1, …). ``constant`` is the
    constant of the sensor that it is, where another station settles it; else it has one of its own."""

    name: str
    label: str
    unit: str
    usual: float
    low: float
    high: float
    constant: str = ""
    choices: tuple[str, ...] = ()


@dataclass(frozen=True)
class Command:
    """Something that a behaviour moves or lights: the command it gives."""

    name: str
    label: str
    unit: str = ""


LEFT_WHEEL, RIGHT_WHEEL = Command("left_pct", "left wheel", "%"), Command("right_pct", "right wheel", "%")


@dataclass
class Memory:
    """What a behaviour keeps from step to step, and its last outputs: wheels in % (left, right), a servo in
    °, lamps 0 or 1."""

    kept: Array
    outputs: Array
    state: int = 0


@dataclass(frozen=True)
class StepInputs:
    """What a behaviour is set to: its settings by name; per sensor of a row white, black, threshold and
    hysteresis (counts), shape (sensors, 4); what is done in each state of a row, shape (states,)."""

    settings: Mapping[str, float]
    sensors: Array = field(default_factory=lambda: np.zeros((0, 4)))
    choices: Array = field(default_factory=lambda: np.zeros(1))
    integers: bool = False


class Behaviour(ABC):
    """One behaviour. ``number`` is its place in compiled loops; ``states`` are named in the order of their
    numbers; ``outputs`` names what it moves, in order."""

    id: ClassVar[str]
    number: ClassVar[int]
    title: ClassVar[str]
    words: ClassVar[str]
    reads: ClassVar[str]
    moves: ClassVar[tuple[str, ...]]
    least: ClassVar[int] = 1  # sensors of the row, or rangers
    follows: ClassVar[bool] = False  # a line
    settings: ClassVar[tuple[Setting, ...]]
    states: ClassVar[tuple[str, ...]]
    outputs: ClassVar[tuple[Command, ...]] = (LEFT_WHEEL, RIGHT_WHEEL)

    @abstractmethod
    def kernel(self) -> Step:
        """Its step, as a plain function."""

    def constant_of(self, setting: Setting) -> str:
        """The name of the constant by which a rig keeps a setting."""
        return setting.constant or f"{self.id}_{setting.name}".replace("-", "_")

    def resolved(self, given: Mapping[str, float]) -> dict[str, float]:
        """Every setting by name: as given, else as usual. Raises BadInput naming a setting that it does not
        have, or that cannot be so."""
        known = {setting.name: setting for setting in self.settings}
        for name in given:
            if name not in known:
                raise BadInput(f"{self.title} has no setting {name!r}; it has {', '.join(known)}.", name)
        return {
            setting.name: check_between(
                float(given.get(setting.name, setting.usual)), setting.low, setting.high, setting.name
            )
            for setting in self.settings
        }

    def begin(self) -> Memory:
        """Nothing is known yet, and nothing moves."""
        return Memory(np.zeros(MEMORY), np.zeros(max(len(self.outputs), 2)))

    def array(self, inputs: StepInputs) -> Array:
        """The settings in order; whole numbers where the program has only those."""
        values = np.array([inputs.settings[setting.name] for setting in self.settings], dtype=np.float64)
        return np.trunc(values) if inputs.integers else values

    def step(self, memory: Memory, readings: Array, inputs: StepInputs, loop_s: float) -> Memory:
        """One turn of the loop.

        Parameters: memory, which is changed; readings: of a row counts, shape (sensors,); of rangers distance
        (mm) and 1 where it is new, shape (2·rangers,); of a level 0 or 1; NaN is missing. loop_s, s.
        Returns: the memory, with its outputs and its state.
        """
        memory.state = self.kernel()(
            loop_s,
            readings,
            self.array(inputs),
            inputs.sensors,
            inputs.choices,
            inputs.integers,
            memory.kept,
            memory.outputs,
        )
        return memory


@part_of_loops
def cut(value: float, integers: bool) -> float:
    """A number as a program of whole numbers has it: towards nothing."""
    return float(int(value)) if integers else value


@part_of_loops
def clamped(value: float, low: float, high: float) -> float:
    """A number held between two others."""
    return min(max(value, low), high)
