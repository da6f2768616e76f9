"""Boards, described by ability. Levels follow the usual fractions of the supply for each family (common practice);
the printed names of pins differ from maker to maker and are not ours to know."""

from __future__ import annotations

from tickstone.core.rigs.rig import Board, Pin, Rail
from tickstone.errors import BadInput

GROUND = "ground"

_SMALL_PINS = (
    Pin("int 1", ("digital", "interrupt")),
    Pin("int 2", ("digital", "interrupt")),
    Pin("capture", ("digital", "capture")),
    *(Pin(f"pwm {n}", ("digital", "pwm")) for n in (1, 2, 3)),
    *(Pin(f"digital {n}", ("digital",)) for n in (1, 2, 3, 4)),
    *(Pin(f"analogue {n}", ("digital", "analogue")) for n in (1, 2, 3, 4)),
    Pin("data", ("digital", "analogue", "i2c-data")),
    Pin("clock", ("digital", "analogue", "i2c-clock")),
)

_WIDE_PINS = (
    *(Pin(f"free {n}", ("digital", "interrupt", "capture", "pwm")) for n in range(1, 9)),
    *(Pin(f"analogue {n}", ("digital", "interrupt", "analogue")) for n in range(1, 7)),
    Pin("data", ("digital", "interrupt", "i2c-data")),
    Pin("clock", ("digital", "interrupt", "i2c-clock")),
)

BOARDS = {
    board.kind: board
    for board in (
        Board(
            "small-5v", "5 V 8-bit board, 16 MHz", logic_v=5.0, limit_v=5.5, high_level_v=3.0, low_level_v=1.5,
            supply_ma=400, rails=(Rail("5 V", 5.0), Rail("3.3 V", 3.3), Rail(GROUND, 0.0)), pins=_SMALL_PINS,
            adc_bits=10, adc_reference_v=5.0,
        ),
        Board(
            "wide-3v3", "3.3 V dual-core 32-bit board", logic_v=3.3, limit_v=3.6, high_level_v=2.475,
            low_level_v=0.825, supply_ma=400,
            rails=(Rail("5 V", 5.0), Rail("3.3 V", 3.3), Rail(GROUND, 0.0)), pins=_WIDE_PINS,
            adc_bits=12, adc_reference_v=3.3,
        ),
    )
}  # fmt: skip


def board(kind: str) -> Board:
    """The board record of that kind. Raises BadInput for field ``board``."""
    if kind not in BOARDS:
        raise BadInput(f"board must be one of {', '.join(BOARDS)}, not {kind!r}.", "board")
    return BOARDS[kind]
