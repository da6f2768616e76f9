"""Boards, described by ability. Levels follow the usual fractions of the supply for each family (common
practice); the printed names of pins differ from maker to maker: a pin's ``code`` is the usual number in
programs, to be held against the print."""

from __future__ import annotations

from dataclasses import replace

from tickstone.core.rigs.rig import GROUND, Board, Pin, Rail, Service
from tickstone.errors import BadInput

OWN = "own"

_SMALL_PINS = (
    Pin("int 1", ("digital", "interrupt"), "2"),
    Pin("int 2", ("digital", "interrupt"), "3"),
    Pin("capture", ("digital", "capture"), "8", "timer 1"),
    Pin("pwm 1", ("digital", "pwm"), "5", "timer 0"),
    Pin("pwm 2", ("digital", "pwm"), "6", "timer 0"),
    Pin("pwm 3", ("digital", "pwm"), "9", "timer 1"),
    Pin("pwm 4", ("digital", "pwm"), "10", "timer 1"),
    Pin("pwm 5", ("digital", "pwm"), "11", "timer 2"),
    *(Pin(f"digital {n}", ("digital",), code) for n, code in enumerate(("4", "7", "12", "13"), 1)),
    *(Pin(f"analogue {n}", ("digital", "analogue"), f"A{n - 1}") for n in (1, 2, 3, 4)),
    *(Pin(f"analogue {n}", ("analogue",), f"A{n + 1}") for n in (5, 6)),
    Pin("data", ("digital", "analogue", "i2c-data"), "A4"),
    Pin("clock", ("digital", "analogue", "i2c-clock"), "A5"),
)

_SMALL_SERVICES = (Service("servo", "timer 1"), Service("tone", "timer 2"), Service("capture", "timer 1"))

_WIDE_PINS = (
    *(
        Pin(f"free {n}", ("digital", "interrupt", "capture", "pwm"), code)
        for n, code in enumerate(("13", "14", "25", "26", "27", "18", "19", "23"), 1)
    ),
    *(
        Pin(f"analogue {n}", ("digital", "interrupt", "analogue"), code)
        for n, code in enumerate(("32", "33", "34", "35", "36", "39"), 1)
    ),
    Pin("data", ("digital", "interrupt", "i2c-data"), "21"),
    Pin("clock", ("digital", "interrupt", "i2c-clock"), "22"),
)

_COMPUTER_PINS = (
    Pin("data", ("digital", "interrupt", "i2c-data"), "2"),
    Pin("clock", ("digital", "interrupt", "i2c-clock"), "3"),
    *(
        Pin(f"free {n}", ("digital", "interrupt"), code)
        for n, code in enumerate(
            (
                "4",
                "17",
                "27",
                "22",
                "10",
                "9",
                "11",
                "5",
                "6",
                "26",
                "14",
                "15",
                "23",
                "24",
                "25",
                "8",
                "7",
                "16",
                "20",
                "21",
            ),
            1,
        )
    ),
    *(
        Pin(f"pwm {n}", ("digital", "interrupt", "pwm"), code)
        for n, code in enumerate(("12", "13", "18", "19"), 1)
    ),
)

_RAILS = (Rail("5 V", 5.0), Rail("3.3 V", 3.3, 150), Rail(GROUND, 0.0))

BOARDS = {
    board.kind: board
    for board in (
        Board(
            "small-5v",
            "5 V 8-bit board, 16 MHz",
            logic_v=5.0,
            limit_v=5.5,
            high_level_v=3.0,
            low_level_v=1.5,
            supply_ma=400,
            rails=_RAILS,
            pins=_SMALL_PINS,
            adc_bits=10,
            adc_reference_v=5.0,
            services=_SMALL_SERVICES,
        ),
        Board(
            "small-3v3",
            "3.3 V 8-bit board, 8 MHz",
            logic_v=3.3,
            limit_v=3.6,
            high_level_v=1.98,
            low_level_v=0.99,
            supply_ma=400,
            rails=_RAILS,
            pins=_SMALL_PINS,
            adc_bits=10,
            adc_reference_v=3.3,
            clock_mhz=8.0,
            tick_us=8.0,
            services=_SMALL_SERVICES,
        ),
        Board(
            "wide-3v3",
            "3.3 V dual-core 32-bit board",
            logic_v=3.3,
            limit_v=3.6,
            high_level_v=2.475,
            low_level_v=0.825,
            supply_ma=400,
            rails=(Rail("5 V", 5.0), Rail("3.3 V", 3.3), Rail(GROUND, 0.0)),
            pins=_WIDE_PINS,
            adc_bits=12,
            adc_reference_v=3.3,
            pin_ma=12.0,
            pins_ma=120.0,
            clock_mhz=240.0,
            tick_us=1.0,
            programs=("cpp", "python"),
            python="machine",
        ),
        Board(
            "computer-3v3",
            "3.3 V single-board computer, 40 pins, without ADC",
            logic_v=3.3,
            limit_v=3.3,
            high_level_v=2.0,
            low_level_v=0.8,
            supply_ma=1000,
            rails=(Rail("5 V", 5.0), Rail("3.3 V", 3.3, 300), Rail(GROUND, 0.0)),
            pins=_COMPUTER_PINS,
            pin_ma=8.0,
            pins_ma=50.0,
            clock_mhz=1500.0,
            tick_us=1.0,
            jitter_us=100.0,
            programs=("python",),
            python="linux",
        ),
    )
}


def board(kind: str) -> Board:
    """The board record of that kind. Raises BadInput for field ``board``."""
    if kind not in BOARDS:
        raise BadInput(f"board must be one of {', '.join(BOARDS)}, not {kind!r}.", "board")
    return BOARDS[kind]


def own(like: Board) -> Board:
    """A board of one's own, to be edited: it begins as a copy of ``like``."""
    return like if like.kind == OWN else replace(like, kind=OWN, title="my own board")
