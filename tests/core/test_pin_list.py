"""Lists of pins as people have them: from a sheet, a table, a note."""

from __future__ import annotations

import pytest

from tickstone.core.rigs.pin_list import pins_of
from tickstone.errors import BadInput


def test_lists_are_read_in_whatever_shape_they_have() -> None:
    pins = pins_of(
        "# my board\n2\nD3 int pwm T2\nA0\nA7 analogue only\n13 = PB5, gpio\nSDA\n\n"
        "GP26\tadc\tpwm\nD9=9;PWM;timer 1\n"
    )
    assert [(pin.name, pin.abilities, pin.code, pin.timer) for pin in pins] == [
        ("2", ("digital",), "", ""),
        ("D3", ("digital", "interrupt", "pwm"), "", "timer 2"),
        ("A0", ("digital", "analogue"), "", ""),
        ("A7", ("analogue",), "", ""),
        ("13", ("digital",), "PB5", ""),
        ("SDA", ("digital", "i2c-data"), "", ""),
        ("GP26", ("digital", "pwm", "analogue"), "", ""),
        ("D9", ("digital", "pwm"), "9", "timer 1"),
    ]


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("", "no pin"),
        ("# nothing", "no pin"),
        ("D2 telepathy", "Line 1: “telepathy”"),
        ("D2\n\nD2 pwm", "Line 3: D2 is there already"),
        ("= 4", "Line 1"),
        ("\n".join(f"P{i}" for i in range(201)), "201 lines"),
    ],
)
def test_what_is_no_list_says_its_line(text: str, words: str) -> None:
    with pytest.raises(BadInput, match=words) as caught:
        pins_of(text)
    assert caught.value.path == "text"
