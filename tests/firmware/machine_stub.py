"""A stub of the pin module ``machine``, of its ``time``, and of ``onewire``: time moves only when the program
asks."""

from __future__ import annotations

import sys
import types
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import Any

TICKS = 2**30  # where the module's own clock wraps


class Board:
    """The simulated board: a clock in µs, levels that change on time, codes, registers, and a thermometer."""

    def __init__(self, start_us: int = 0) -> None:
        self.now_us = start_us
        self.levels: dict[int, list[tuple[int, int]]] = {}
        self.level: dict[int, int] = {}
        self.codes: dict[int, int] = {}
        self.registers: dict[int, dict[int, int]] = {}
        self.written: list[tuple[int, int, int]] = []
        self.echoes: dict[int, tuple[int, int, int]] = {}
        self.handlers: dict[int, tuple[Callable[[object], None], int, object]] = {}
        self.masked = 0
        self.waiting: list[int] = []
        self.scratchpad = bytes(9)

    def later(self, pin: int, us: int, level: int) -> None:
        """Change a level so many µs from now."""
        self.levels.setdefault(pin, []).append((self.now_us + us, level))

    def advance(self, us: int) -> None:
        """Let time pass; interrupts come where levels change."""
        target = self.now_us + us
        while True:
            due = [
                (at, pin, level) for pin, list_ in self.levels.items() for at, level in list_ if at <= target
            ]
            if not due:
                break
            at, pin, level = min(due)
            self.levels[pin].remove((at, level))
            self.now_us = max(self.now_us, at)
            before, self.level[pin] = self.level.get(pin, 1), level
            if before != level and pin in self.handlers and self.handlers[pin][1] & (1 if level else 2):
                self._interrupt(pin)
        self.now_us = target

    def _interrupt(self, pin: int) -> None:
        if self.masked:
            self.waiting.append(pin)
            return
        handler, _, object_ = self.handlers[pin]
        handler(object_)

    def enable(self, state: int) -> None:
        """Let interrupts through again, those that waited first."""
        self.masked = state
        while not self.masked and self.waiting:
            self._interrupt(self.waiting.pop(0))


def modules(board: Board) -> dict[str, types.ModuleType]:
    """The modules that a program on such a board imports."""
    return {"machine": _machine(board), "time": _time(board), "onewire": _onewire(board)}


def _machine(board: Board) -> types.ModuleType:
    def disable_irq() -> int:
        board.masked += 1
        return board.masked - 1

    return _module(
        "machine",
        Pin=_pin_class(board),
        ADC=_adc_class(board),
        I2C=_i2c_class(board),
        time_pulse_us=_pulse_timer(board),
        disable_irq=disable_irq,
        enable_irq=board.enable,
    )


def _module(name: str, **members: object) -> types.ModuleType:
    module = types.ModuleType(name)
    vars(module).update(members)
    return module


def _pin_class(board: Board) -> type:
    class Pin:
        IN, OUT, IRQ_RISING, IRQ_FALLING = 0, 1, 1, 2

        def __init__(self, number: int, mode: int = 0, value: int | None = None) -> None:
            self.number, self.mode, self.out = number, mode, 0
            self.init(mode, value)

        def init(self, mode: int, value: int | None = None) -> None:
            self.mode = mode
            if value is not None:
                self.value(value)

        def value(self, level: int | None = None) -> int:
            if level is None:
                return self.out if self.mode == self.OUT else board.level.get(self.number, 1)
            if self.out and not level and self.number in board.echoes:
                echo, delay, width = board.echoes[self.number]
                board.level[echo] = 0
                if width:
                    board.later(echo, delay, 1)
                    board.later(echo, delay + width, 0)
            self.out = level
            return level

        def irq(self, handler: Callable[[object], None], trigger: int) -> None:
            board.handlers[self.number] = (handler, trigger, self)

    return Pin


def _adc_class(board: Board) -> type:
    class ADC:
        def __init__(self, pin: Any) -> None:
            self.pin = pin

        def read_u16(self) -> int:
            board.advance(60)
            return board.codes.get(self.pin.number, 0) << 4

    return ADC


def _i2c_class(board: Board) -> type:
    class I2C:
        def __init__(self, bus: int, sda: object, scl: object, freq: int) -> None:
            assert (bus, freq) == (0, 100_000)

        def readfrom_mem(self, address: int, register: int, count: int) -> bytes:
            board.advance(90 * (count + 2))
            if address not in board.registers:
                raise OSError("nothing answers")
            return bytes(board.registers[address].get(register + i, 0) for i in range(count))

        def writeto_mem(self, address: int, register: int, data: bytes) -> None:
            board.advance(90 * (len(data) + 2))
            if address not in board.registers:
                raise OSError("nothing answers")
            board.written += [(address, register + i, value) for i, value in enumerate(data)]

    return I2C


def _pulse_timer(board: Board) -> Callable[[Any, int, int], int]:
    def time_pulse_us(pin: Any, level: int, timeout: int) -> int:
        end = board.now_us + timeout
        while pin.value() == level and board.now_us < end:
            board.advance(1)
        while pin.value() != level and board.now_us < end:
            board.advance(1)
        begin = board.now_us
        while pin.value() == level and board.now_us < end:
            board.advance(1)
        return board.now_us - begin if board.now_us < end else -1

    return time_pulse_us


def _time(board: Board) -> types.ModuleType:
    def ticks_us() -> int:
        return board.now_us % TICKS

    def ticks_diff(a: int, b: int) -> int:
        return (a - b + TICKS // 2) % TICKS - TICKS // 2

    return _module(
        "time",
        ticks_us=ticks_us,
        ticks_diff=ticks_diff,
        ticks_ms=lambda: board.now_us // 1000 % TICKS,
        sleep_us=board.advance,
    )


def _onewire(board: Board) -> types.ModuleType:
    class OneWire:
        def __init__(self, pin: object) -> None:
            self.pin = pin

        def reset(self) -> bool:
            board.advance(960)
            return True

        def writebyte(self, value: int) -> None:
            board.advance(560)

        def readinto(self, into: bytearray) -> None:
            board.advance(560 * len(into))
            into[:] = board.scratchpad

        def crc8(self, data: bytes) -> int:
            value = 0
            for byte in data:
                for bit in range(8):
                    mix = (value ^ byte >> bit) & 1
                    value = value >> 1 ^ (0x8C if mix else 0)
            return value

    return _module("onewire", OneWire=OneWire)


@contextmanager
def standing_in(found: dict[str, types.ModuleType]) -> Iterator[None]:
    """Put modules in the place of those that a program imports."""
    before = {name: sys.modules.get(name) for name in found}
    sys.modules.update(found)
    try:
        yield
    finally:
        for name, module in before.items():
            if module is None:
                del sys.modules[name]
            else:
                sys.modules[name] = module
