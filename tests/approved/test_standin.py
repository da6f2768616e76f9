"""What the simulated boards print, as it was approved: each template's, and each kind's under every hand and
fault."""

from __future__ import annotations

from tests import approved
from tests.rigs import part, rig
from tickstone.core.rigs.kinds import KINDS
from tickstone.core.rigs.templates import TEMPLATES, template
from tickstone.standin.board import SimBoard
from tickstone.standin.hands import BOARD, BOARD_FAULTS, ROOM

SECONDS = 1.6
AWAY = 0.7  # of a hand's span


def printed(board: SimBoard, hands: dict[str, float], kept: int = 4) -> dict[str, object]:
    """The last lines after a while with these hands, and what was so."""
    board.lines(400_000)
    board.move(hands)
    lines = board.lines(round(SECONDS * 1e6))
    return {"lines": len(lines), "last": lines[-kept:], "truth": board.truth()}


def test_boards_of_templates() -> None:
    made = {}
    for name in TEMPLATES:
        board = SimBoard(template(name), seed=5)
        made[name] = {
            "made": board.made(),
            "at once": board.lines(150_000)[:8],
            "later": printed(board, {}, 8),
        }
    approved.check("boards", made)


def test_hands_and_faults_of_kinds() -> None:
    made = {}
    for kind_id in KINDS:
        alone = rig(part(kind_id, "it"))
        for name, hand in SimBoard(alone, seed=5).world.specs.items():
            owner, _, own = name.partition(".")
            if (
                owner == BOARD
                and own.removeprefix("fault.") in BOARD_FAULTS
                and kind_id != "ultrasonic-ranger"
            ):
                continue  # the board's faults are the same for all
            value = hand.high if hand.fault or hand.choices else hand.low + AWAY * (hand.high - hand.low)
            made[f"{kind_id}, {name}"] = printed(
                SimBoard(alone, seed=5), {name: value}, 3 if owner == ROOM else 6
            )
    approved.check("hands", made)
