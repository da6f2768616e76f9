"""The watch program in Python, for single-board computers: the kernel's own time stamps of edges (libgpiod's Python module
``gpiod``, version 2), its I2C bus (``smbus2``), its thermometers (files of the kernel)."""

from __future__ import annotations

from tickstone.core.rigs.reading import (
    Counts,
    Echo,
    Edges,
    Levels,
    PulseThermometer,
    Registers,
    SlotThermometer,
    Steps,
    Swing,
)
from tickstone.firmware import python_parts, watch
from tickstone.firmware.python_parts import Pieces
from tickstone.firmware.watch import PinUse, Plan, Use

LINES = '''
last_line = [0]


def now_us():
    return time.monotonic_ns() // 1000 & 0xFFFFFFFF


def tell(at, pairs):
    """One line; its time never runs back."""
    behind = (last_line[0] - at) & 0xFFFFFFFF
    if 0 < behind < 0x80000000:
        at = last_line[0]
    last_line[0] = at
    print("t_us:" + str(at) + " " + " ".join(name + ":" + str(value) for name, value in pairs), flush=True)


class Due:
    """True once every so many ms; never waits."""

    def __init__(self, every_ms):
        self.every_s = every_ms / 1000
        self.last = time.monotonic()

    def __call__(self):
        now = time.monotonic()
        if now - self.last < self.every_s:
            return False
        self.last = now
        return True
'''

EDGES = '''
# Edges carry the kernel's own time stamps: they do not wait for this program.
def stamp_us(event):
    return event.timestamp_ns // 1000 & 0xFFFFFFFF


def rising(event):
    return event.event_type is gpiod.EdgeEvent.Type.RISING_EDGE


class Line:
    """One pin of the computer, with what it last did."""

    def __init__(self, number, output=False):
        if output:
            settings = gpiod.LineSettings(direction=Direction.OUTPUT, output_value=Value.INACTIVE)
        else:
            settings = gpiod.LineSettings(direction=Direction.INPUT, edge_detection=Edge.BOTH)
        self.number = number
        self.request = gpiod.request_lines(CHIP, consumer="watch", config={number: settings})

    def value(self):
        return int(self.request.get_value(self.number) is Value.ACTIVE)

    def set(self, high):
        self.request.set_value(self.number, Value.ACTIVE if high else Value.INACTIVE)

    def reconfigure(self, output):
        direction = Direction.OUTPUT if output else Direction.INPUT
        edges = Edge.NONE if output else Edge.BOTH
        self.request.reconfigure_lines({self.number: gpiod.LineSettings(direction=direction, edge_detection=edges)})

    def events(self):
        return self.request.read_edge_events() if self.request.wait_edge_events(0) else []
'''

RANGERS = '''
PING_EVERY_US = {every}
ECHO_TIMEOUT_US = {timeout}


class Rangers:
    """Rangers fire in turn; the kernel tells the echo's edges, so nothing waits."""

    def __init__(self, rangers):
        self.rangers = rangers  # (trigger, echo, label)
        self.turn = 0
        self.up = None
        self.sent = False
        self.pinged = now_us()

    def ping(self):
        trigger, echo, _ = self.rangers[self.turn]
        echo.events()  # what came before belongs to no ping
        if trigger is echo:
            trigger.reconfigure(True)
        trigger.set(True)
        until = time.monotonic_ns() + 10_000
        while time.monotonic_ns() < until:
            pass
        trigger.set(False)
        if trigger is echo:
            trigger.reconfigure(False)
        self.up = None
        self.sent = True

    def over(self, width):
        tell(now_us(), [(self.rangers[self.turn][2], width)])
        self.sent = False
        self.turn = (self.turn + 1) % len(self.rangers)

    def watch(self):
        _, echo, _ = self.rangers[self.turn]
        waited = (now_us() - self.pinged) & 0xFFFFFFFF
        if not self.sent:
            if waited >= PING_EVERY_US and not echo.value():
                self.pinged = now_us()
                self.ping()
            return
        for event in echo.events():
            if rising(event):
                self.up = stamp_us(event)
            elif self.up is not None:
                self.over((stamp_us(event) - self.up) & 0xFFFFFFFF)
                return
        if waited > ECHO_TIMEOUT_US:
            self.over(0)
'''

BUS = python_parts.BUS.format(
    write="bus.write_byte_data(address, at, value)",
    read="bus.read_i2c_block_data(address, start, count)",
)
CONVERTER = python_parts.CONVERTER.format(
    write="bus.write_i2c_block_data(address, 1, [config >> 8, config & 0xFF])",
    pause="time.sleep(0.0014)",
)

KERNEL = '''
def kernel_number(pattern):
    """A number from a file of the kernel, or None while it has none."""
    for name in glob.glob(pattern):
        try:
            with open(name) as file:
                return int(file.read())
        except (OSError, ValueError):
            pass
    return None
'''


def write(plan: Plan) -> str:
    """The whole program."""
    pieces, lines = Pieces(), _lines(plan)
    rangers = []
    for use in plan.uses:
        if isinstance(use.reading, Echo):
            reading = use.reading
            rangers.append(
                f'({use.pins[reading.trigger].name}, {use.pins[reading.echo].name}, "{use.labels[reading.channel]}")'
            )
        else:
            _WRITERS[type(use.reading)](use, pieces)
    if rangers:
        pieces.declared.append(f"rangers = Rangers([{', '.join(rangers)}])")
        pieces.loop.insert(0, "rangers.watch()")
    kernel = bool(plan.of(SlotThermometer, PulseThermometer))
    imports = (["import glob"] if kernel else []) + ["import time"]
    outside = []
    if lines:
        outside += ["import gpiod", "from gpiod.line import Direction, Edge, Value"]
    if plan.on_bus:
        outside.append("from smbus2 import SMBus")
    blocks = [LINES]
    for wanted, block in (
        (lines, EDGES), (plan.on_bus, BUS), (plan.converters, CONVERTER), (kernel, KERNEL),
        (rangers, RANGERS.format(every=watch.PING_EVERY_US, timeout=watch.ECHO_TIMEOUT_US)),
    ):  # fmt: skip
        if wanted:
            blocks.append(block)
    head = "".join(f"{line}\n" for line in watch.opening(plan, "#"))
    opened = (['CHIP = "/dev/gpiochip0"'] if lines else []) + (["bus = SMBus(1)"] if plan.on_bus else [])
    loop = "def loop():\n" + "".join(f"    {line}\n" for line in [*pieces.loop, "time.sleep(0.0005)"])
    run = 'if __name__ == "__main__":\n    while True:\n        loop()\n'
    made = ["\n".join(imports), "\n".join(outside), "\n".join(opened), *blocks, "\n".join(lines), *pieces.declared]
    return watch.python_layout([head, *made, loop, run])


def _lines(plan: Plan) -> list[str]:
    seen: dict[str, str] = {}
    for use in plan.uses:
        if isinstance(use.reading, Counts | Swing | SlotThermometer | PulseThermometer | Registers):
            continue
        for name, pin in use.pins.items():
            if pin.address is not None:
                continue
            output = isinstance(use.reading, Echo) and name == use.reading.trigger != use.reading.echo
            seen[pin.name] = f"{pin.name} = Line({pin.code}{', output=True' if output else ''})  # {pin.place}"
    for use in plan.of(Registers):
        for pin in use.pins.values():
            if not {"i2c-data", "i2c-clock"} & set(pin.abilities):
                seen[pin.name] = f"{pin.name} = Line({pin.code}, output=True)  # {pin.place}, held in shutdown"
    for pin in plan.held_off:
        seen[pin.name] = f"{pin.name} = Line({pin.code}, output=True)  # {pin.place}, held off"
    return list(seen.values())


def _edges(use: Use, pieces: Pieces) -> None:
    reading = use.reading
    assert isinstance(reading, Edges)
    wanted = "rising(event)" if reading.rising else "not rising(event)"
    pieces.declared.append(
        f"def watch_{use.name}():\n    for event in {use.pins[reading.pin].name}.events():\n        if {wanted}:\n"
        f"            tell(stamp_us(event), [(\"{use.labels[reading.channel]}\", stamp_us(event))])"
    )  # fmt: skip
    pieces.loop.append(f"watch_{use.name}()")


def _levels(use: Use, pieces: Pieces) -> None:
    reading = use.reading
    assert isinstance(reading, Levels)
    pins = ", ".join(use.pins[pin].name for _, pin in reading.pairs)
    labels = ", ".join(f'"{use.labels[channel]}"' for channel, _ in reading.pairs)
    pieces.declared.append(
        f"{use.name}_lines = [{pins}]\n{use.name}_labels = [{labels}]\n"
        f"{use.name}_levels = [line.value() for line in {use.name}_lines]\n{use.name}_again = Due({watch.AGAIN_MS})"
    )
    pieces.declared.append(
        f"def watch_{use.name}():\n    found = []\n    for place, line in enumerate({use.name}_lines):\n"
        f"        found += [(event.timestamp_ns, place, event) for event in line.events()]\n"
        f"    for _, place, event in sorted(found, key=lambda one: one[0]):\n"
        f"        {use.name}_levels[place] = int(rising(event))\n"
        f"        tell(stamp_us(event), zip({use.name}_labels, {use.name}_levels))\n    if {use.name}_again():\n"
        f"        tell(now_us(), zip({use.name}_labels, {use.name}_levels))"
    )
    pieces.loop.append(f"watch_{use.name}()")


def _code_of(pin: PinUse) -> str:
    return f"converter_counts(0x{pin.address:02X}, {pin.channel})"


def _steps(use: Use, pieces: Pieces) -> None:
    reading = use.reading
    assert isinstance(reading, Steps)
    pin = use.pins[reading.pin]
    pieces.declared.append(f"{use.name}_steps = [0, 0]  # steps, high\n{use.name}_due = Due(100)")
    if reading.analogue:
        low, high = round(reading.low * use.codes), round(reading.high * use.codes)
        step = (f"    read = {_code_of(pin)}\n    if read < {low} if steps[1] else read > {high}:\n"
                "        steps[1] = 1 - steps[1]\n        steps[0] += 1\n")  # fmt: skip
    else:
        step = f"    steps[0] += len({pin.name}.events())\n"
    pieces.declared.append(
        f"def watch_{use.name}():\n    steps = {use.name}_steps\n{step}    if {use.name}_due():\n"
        f"        tell(now_us(), [(\"{use.labels[reading.channel]}\", steps[0])])"
    )  # fmt: skip
    pieces.loop.append(f"watch_{use.name}()")


def _thermometer(use: Use, pieces: Pieces) -> None:
    reading = use.reading
    if isinstance(reading, SlotThermometer):
        wants, read = 1000, {reading.channel: "/sys/bus/w1/devices/*/temperature"}
        remark = (
            f"# The kernel reads it, by its single-wire bus on pin {use.pins[reading.pin].code}: switch that on first."
        )
    else:
        assert isinstance(reading, PulseThermometer)
        wants = 2000
        read = {reading.air: "/sys/bus/iio/devices/iio:device*/in_temp_input",
                reading.humidity: "/sys/bus/iio/devices/iio:device*/in_humidityrelative_input"}  # fmt: skip
        remark = (
            f"# The kernel reads it, by its humidity driver on pin {use.pins[reading.pin].code}: switch that on first."
        )
    pairs = ", ".join(f'("{use.labels[channel]}", kernel_number("{file}"))' for channel, file in read.items())
    pieces.declared.append(f"{remark}\n{use.name}_due = Due({wants})")
    pieces.declared.append(
        f"def watch_{use.name}():\n    if {use.name}_due():\n        found = [{pairs}]\n"
        "        found = [(label, value / 1000) for label, value in found if value is not None]\n"
        "        if found:\n            tell(now_us(), found)"
    )
    pieces.loop.append(f"watch_{use.name}()")


def _counts(use: Use, pieces: Pieces) -> None:
    assert isinstance(use.reading, Counts)
    python_parts.counts(use, use.reading, pieces, _code_of)


def _swing(use: Use, pieces: Pieces) -> None:
    assert isinstance(use.reading, Swing)
    python_parts.swing(use, use.reading, pieces, _code_of)


def _registers(use: Use, pieces: Pieces) -> None:
    assert isinstance(use.reading, Registers)
    wake = []
    if use.reading.shutdown:
        pin = use.pins[use.reading.shutdown]
        wake = [f"{pin.name}.set(True)", "time.sleep(0.005)"]
    python_parts.registers(use, use.reading, pieces, wake)


_WRITERS = {
    Edges: _edges, Levels: _levels, Counts: _counts, Steps: _steps, Swing: _swing,
    SlotThermometer: _thermometer, PulseThermometer: _thermometer, Registers: _registers,
}  # fmt: skip
