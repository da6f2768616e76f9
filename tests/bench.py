"""A bench without a wall clock: the stand-in's board and a live, with time that is moved by hand."""

from __future__ import annotations

from collections.abc import Mapping

from tickstone.actions.live.rig import LiveRig
from tickstone.core.rigs.kinds import kind
from tickstone.core.rigs.rig import Rig
from tickstone.core.rigs.usual import usual_values
from tickstone.standin.board import SimBoard


class Bench:
    """A rig on the bench; nothing happens until ``hear``."""

    def __init__(self, rig: Rig, seed: int = 3) -> None:
        self.now = 1000.0
        self.values = {one.id: usual_values(kind(one.kind), rig, one) for one in rig.sensors}
        self.live = LiveRig(rig, self.values, clock=lambda: self.now)
        self.live.connection.status = "live"
        self.board = SimBoard(rig, seed=seed)

    def move(self, hands: Mapping[str, float]) -> None:
        """Move hands at the stand-in."""
        self.board.move(dict(hands))

    def hear(self, seconds: float, at_once_s: float = 0.8) -> None:
        """Let time go by; lines arrive together after each ``at_once_s``."""
        for _ in range(round(seconds / at_once_s)):
            self.now += at_once_s
            self.live.intake.take_lines(self.board.lines(round((self.now - 1000) * 1e6)), self.now)
