"""The watch program in Python, for boards whose pin module is ``machine``."""

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
# The clock of this module wraps early: it is carried on to 32 bits here.
_clock = [time.ticks_us(), 0, 0]


def now_us():
    ticks = time.ticks_us()
    _clock[1] = (_clock[1] + time.ticks_diff(ticks, _clock[0])) & 0xFFFFFFFF
    _clock[0] = ticks
    return _clock[1]


def tell(at, pairs):
    """One line; its time never runs back."""
    behind = (_clock[2] - at) & 0xFFFFFFFF
    if 0 < behind < 0x80000000:
        at = _clock[2]
    _clock[2] = at
    print("t_us:" + str(at) + " " + " ".join(name + ":" + str(value) for name, value in pairs))


class Due:
    """True once every so many ms; never waits."""

    def __init__(self, every_ms):
        self.every_ms = every_ms
        self.last = time.ticks_ms()

    def __call__(self):
        now = time.ticks_ms()
        if time.ticks_diff(now, self.last) < self.every_ms:
            return False
        self.last = now
        return True
'''

EVENTS = '''
ROOM = 24


class Events:
    """What an interrupt has seen and the loop has not yet told: no memory is taken inside an interrupt."""

    def __init__(self):
        self.at = array.array("L", [0] * ROOM)
        self.what = bytearray(ROOM)
        self.next = 0
        self.waiting = 0

    def put(self, at, what):
        if self.waiting == ROOM:
            return
        self.at[self.next] = at
        self.what[self.next] = what
        self.next = (self.next + 1) % ROOM
        self.waiting += 1

    def take(self):
        state = machine.disable_irq()
        found = None
        if self.waiting:
            oldest = (self.next - self.waiting) % ROOM
            found = self.at[oldest], self.what[oldest]
            self.waiting -= 1
        machine.enable_irq(state)
        return found


def since(ticks):
    """An interrupt's own ticks as a time of this board's clock."""
    return (now_us() - time.ticks_diff(time.ticks_us(), ticks)) & 0xFFFFFFFF
'''

RANGERS = '''
PING_EVERY_US = {every}
ECHO_TIMEOUT_US = {timeout}


class Rangers:
    """Rangers fire in turn; an interrupt tells the echo's edges, so nothing waits."""

    def __init__(self, rangers):
        self.rangers = rangers  # (trigger, echo, label)
        self.turn = 0
        self.state = 0  # 0 no ping, 1 sent, 2 echo high, 3 echo over
        self.up = 0
        self.width = 0
        self.pinged = time.ticks_us()
        for place, (_, echo, _) in enumerate(rangers):
            echo.irq(handler=self.edge_of(place), trigger=machine.Pin.IRQ_RISING | machine.Pin.IRQ_FALLING)

    def edge_of(self, place):
        def edge(pin):
            ticks = time.ticks_us()
            if place != self.turn:
                return
            if pin.value():
                if self.state == 1:
                    self.up = ticks
                    self.state = 2
            elif self.state == 2:
                self.width = time.ticks_diff(ticks, self.up)
                self.state = 3

        return edge

    def ping(self):
        trigger, echo, _ = self.rangers[self.turn]
        trigger.init(machine.Pin.OUT)
        trigger.value(0)
        time.sleep_us(2)
        trigger.value(1)
        time.sleep_us(10)
        trigger.value(0)
        if trigger is echo:
            trigger.init(machine.Pin.IN)
        self.state = 1

    def over(self, width):
        tell(now_us(), [(self.rangers[self.turn][2], width)])
        state = machine.disable_irq()
        self.state = 0
        self.turn = (self.turn + 1) % len(self.rangers)
        machine.enable_irq(state)

    def watch(self):
        irq = machine.disable_irq()
        state, width = self.state, self.width
        machine.enable_irq(irq)
        waited = time.ticks_diff(time.ticks_us(), self.pinged)
        if state == 0:
            if waited >= PING_EVERY_US and not self.rangers[self.turn][1].value():
                self.pinged = time.ticks_us()
                self.ping()
        elif state == 3:
            self.over(width)
        elif waited > ECHO_TIMEOUT_US:
            self.over(0)
'''

BUS = python_parts.BUS.format(
    write="bus.writeto_mem(address, at, bytes([value]))",
    read="bus.readfrom_mem(address, start, count)",
)
CONVERTER = python_parts.CONVERTER.format(
    write="bus.writeto_mem(address, 1, bytes([config >> 8, config & 0xFF]))",
    pause="time.sleep_us(1400)",
)

CODES = '''
def codes(pin):
    """The converter's code of a pin: the module gives 16 bits, the converter has {bits}."""
    return pin.read_u16() >> {shift}
'''

PULSES = '''
def pulse_answer(pin):
    """40 pulses on one data wire: a long one is a 1. The answer takes about 5 ms; None when it does not hold."""
    pin.init(machine.Pin.IN)
    if machine.time_pulse_us(pin, 1, 1000) < 0:
        return None
    found = bytearray(5)
    for bit in range(40):
        width = machine.time_pulse_us(pin, 1, 1000)
        if width < 0:
            return None
        if width > 48:
            found[bit // 8] |= 0x80 >> bit % 8
    return found if sum(found[:4]) & 0xFF == found[4] else None
'''


def write(plan: Plan) -> str:
    """The whole program."""
    pieces = Pieces({"machine", "time"})
    events = bool(plan.of(Edges, Levels))
    analogue = any(pin.address is None for use in plan.of(Counts, Swing, Steps) for pin in use.pins.values()
                   if "analogue" in pin.abilities)  # fmt: skip
    blocks = [LINES]
    bits = plan.rig.board.adc_bits or 12
    for wanted, block in (
        (events, EVENTS), (plan.on_bus, BUS), (plan.converters, CONVERTER),
        (analogue, CODES.format(bits=bits, shift=16 - bits)), (plan.of(PulseThermometer), PULSES),
        (plan.of(Echo), RANGERS.format(every=watch.PING_EVERY_US, timeout=watch.ECHO_TIMEOUT_US)),
    ):  # fmt: skip
        if wanted:
            blocks.append(block)
    if events:
        pieces.modules.add("array")
    rangers = []
    for use in plan.uses:
        if isinstance(use.reading, Echo):
            rangers.append(_ranger(use))
        else:
            _WRITERS[type(use.reading)](use, pieces)
    if rangers:
        pieces.declared.append(f"rangers = Rangers([{', '.join(rangers)}])")
        pieces.loop.insert(0, "rangers.watch()")
    head = "".join(f"{line}\n" for line in watch.opening(plan, "#"))
    imports = "".join(f"import {name}\n" for name in sorted(pieces.modules))
    pins = "".join(_pins(plan))
    bus = _bus(plan)
    loop = "def loop():\n" + "".join(f"    {line}\n" for line in pieces.loop or ["pass"])
    run = 'if __name__ == "__main__":\n    while True:\n        loop()\n'
    return watch.python_layout([head, imports, pins + bus, *blocks, *pieces.declared, loop, run])


def _pins(plan: Plan) -> list[str]:
    seen: dict[str, str] = {}
    for use in plan.uses:
        analogue = isinstance(use.reading, Counts | Swing) or (isinstance(use.reading, Steps) and use.reading.analogue)
        for pin in use.pins.values():
            if pin.address is None and not {"i2c-data", "i2c-clock"} & set(pin.abilities):
                made = (
                    f"machine.ADC(machine.Pin({pin.code}))" if analogue else f"machine.Pin({pin.code}, machine.Pin.IN)"
                )
                seen[pin.name] = f"{pin.name} = {made}  # {pin.place}\n"
    for pin in plan.held_off:
        seen[pin.name] = f"{pin.name} = machine.Pin({pin.code}, machine.Pin.OUT, value=0)  # {pin.place}\n"
    return list(seen.values())


def _bus(plan: Plan) -> str:
    if not plan.on_bus:
        return ""
    line = {p.name: p.code or p.name for p in plan.rig.board.pins for a in p.abilities if a.startswith("i2c")}
    data = next(line[p.name] for p in plan.rig.board.pins if "i2c-data" in p.abilities)
    clock = next(line[p.name] for p in plan.rig.board.pins if "i2c-clock" in p.abilities)
    return f"bus = machine.I2C(0, sda=machine.Pin({data}), scl=machine.Pin({clock}), freq=100_000)\n"


def _ranger(use: Use) -> str:
    reading = use.reading
    assert isinstance(reading, Echo)
    return f'({use.pins[reading.trigger].name}, {use.pins[reading.echo].name}, "{use.labels[reading.channel]}")'


def _edges(use: Use, pieces: Pieces) -> None:
    reading = use.reading
    assert isinstance(reading, Edges)
    pin, mode = use.pins[reading.pin], "IRQ_RISING" if reading.rising else "IRQ_FALLING"
    pieces.declared.append(
        f"{use.name}_events = Events()\n{pin.name}.irq(handler=lambda pin: {use.name}_events.put(time.ticks_us(), 0), "
        f"trigger=machine.Pin.{mode})"
    )
    pieces.declared.append(
        f"def tell_{use.name}():\n    found = {use.name}_events.take()\n    while found:\n        at = since(found[0])\n"
        f"        tell(at, [(\"{use.labels[reading.channel]}\", at)])\n        found = {use.name}_events.take()"
    )  # fmt: skip
    pieces.loop.append(f"tell_{use.name}()")


def _levels(use: Use, pieces: Pieces) -> None:
    reading = use.reading
    assert isinstance(reading, Levels)
    pins = [use.pins[pin] for _, pin in reading.pairs]
    bits = " | ".join(f"{pin.name}.value() << {i}" if i else f"{pin.name}.value()" for i, pin in enumerate(pins))
    told = ", ".join(f'("{use.labels[c]}", what >> {i} & 1)' for i, (c, _) in enumerate(reading.pairs))
    pieces.declared.append(
        f"{use.name}_events = Events()\n{use.name}_was = bytearray([255])\n{use.name}_again = Due({watch.AGAIN_MS})"
    )
    pieces.declared.append(
        f"def on_{use.name}(pin=None):\n    now = {bits}\n    if now != {use.name}_was[0]:\n        {use.name}_was[0] = now\n"
        f"        {use.name}_events.put(time.ticks_us(), now)"
    )
    both = "machine.Pin.IRQ_RISING | machine.Pin.IRQ_FALLING"
    pieces.declared.append("\n".join(f"{pin.name}.irq(handler=on_{use.name}, trigger={both})" for pin in pins))
    pieces.declared.append(f"def tell_{use.name}(at, what):\n    tell(at, [{told}])")
    pieces.declared.append(
        f"def watch_{use.name}():\n    state = machine.disable_irq()\n    on_{use.name}()\n    machine.enable_irq(state)\n"
        f"    found = {use.name}_events.take()\n    while found:\n        tell_{use.name}(since(found[0]), found[1])\n"
        f"        found = {use.name}_events.take()\n    if {use.name}_again():\n"
        f"        tell_{use.name}(now_us(), {use.name}_was[0])"
    )
    pieces.loop.append(f"watch_{use.name}()")


def _code_of(pin: PinUse) -> str:
    if pin.address is not None:
        return f"converter_counts(0x{pin.address:02X}, {pin.channel})"
    return f"codes({pin.name})"


def _steps(use: Use, pieces: Pieces) -> None:
    reading = use.reading
    assert isinstance(reading, Steps)
    pin = use.pins[reading.pin]
    pieces.declared.append(f'{use.name}_steps = array.array("l", [0, 0])  # steps, high\n{use.name}_due = Due(100)')
    pieces.modules.add("array")
    if reading.analogue:
        low, high = round(reading.low * use.codes), round(reading.high * use.codes)
        pieces.declared.append(
            f"def on_{use.name}():\n    read = {_code_of(pin)}\n    steps = {use.name}_steps\n"
            f"    if read < {low} if steps[1] else read > {high}:\n        steps[1] = 1 - steps[1]\n        steps[0] += 1"
        )
        pieces.loop.append(f"on_{use.name}()")
    else:
        pieces.declared.append(
            f"def on_{use.name}(pin):\n    {use.name}_steps[0] += 1\n\n\n{pin.name}.irq(handler=on_{use.name}, "
            "trigger=machine.Pin.IRQ_RISING | machine.Pin.IRQ_FALLING)"
        )
    pieces.declared.append(
        f"def tell_{use.name}():\n    if {use.name}_due():\n        state = machine.disable_irq()\n"
        f"        steps = {use.name}_steps[0]\n        machine.enable_irq(state)\n"
        f"        tell(now_us(), [(\"{use.labels[reading.channel]}\", steps)])"
    )  # fmt: skip
    pieces.loop.append(f"tell_{use.name}()")


def _slot_thermometer(use: Use, pieces: Pieces) -> None:
    reading = use.reading
    assert isinstance(reading, SlotThermometer)
    pieces.modules |= {"onewire"}
    pin = use.pins[reading.pin]
    pieces.declared.append(
        f"{use.name}_line = onewire.OneWire({pin.name})\n{use.name}_due = Due(1000)\n{use.name}_begun = [False]"
    )
    pieces.declared.append(
        f"def watch_{use.name}():\n    \"\"\"Reads what was begun a second ago, and begins the next: nothing waits for it.\"\"\"\n"
        f"    if not {use.name}_due():\n        return\n    line = {use.name}_line\n    if {use.name}_begun[0] and line.reset():\n"
        f"        line.writebyte(0xCC)\n        line.writebyte(0xBE)\n        read = bytearray(9)\n        line.readinto(read)\n"
        f"        if line.crc8(read) == 0:\n            value = read[1] << 8 | read[0]\n"
        f"            value = value - 65536 if value > 32767 else value\n"
        f"            tell(now_us(), [(\"{use.labels[reading.channel]}\", round(value / 16, 2))])\n"
        f"    {use.name}_begun[0] = line.reset()\n    if {use.name}_begun[0]:\n        line.writebyte(0xCC)\n"
        f"        line.writebyte(0x44)"
    )  # fmt: skip
    pieces.loop.append(f"watch_{use.name}()")


def _pulse_thermometer(use: Use, pieces: Pieces) -> None:
    reading = use.reading
    assert isinstance(reading, PulseThermometer)
    pin = use.pins[reading.pin]
    pieces.declared.append(f"{use.name}_due = Due(2000)\n{use.name}_asked = [None]")
    pieces.declared.append(
        f"def watch_{use.name}():\n    \"\"\"Asks by 20 ms of low, which the loop goes on through, every two seconds.\"\"\"\n"
        f"    if {use.name}_asked[0] is None:\n        if {use.name}_due():\n            {pin.name}.init(machine.Pin.OUT, value=0)\n"
        f"            {use.name}_asked[0] = time.ticks_ms()\n        return\n"
        f"    if time.ticks_diff(time.ticks_ms(), {use.name}_asked[0]) < 20:\n        return\n    {use.name}_asked[0] = None\n"
        f"    read = pulse_answer({pin.name})\n    if read:\n        air = ((read[2] & 0x7F) << 8 | read[3]) / 10\n"
        f"        air = -air if read[2] & 0x80 else air\n        tell(now_us(), [(\"{use.labels[reading.air]}\", air), "
        f"(\"{use.labels[reading.humidity]}\", (read[0] << 8 | read[1]) / 10)])"
    )  # fmt: skip
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
        wake = [f"{pin.name}.init(machine.Pin.OUT, value=1)", "time.sleep_us(5000)"]
        pieces.declared.insert(0, f"{pin.name}.init(machine.Pin.OUT, value=0)  # held in shutdown")
    python_parts.registers(use, use.reading, pieces, wake)


_WRITERS = {
    Edges: _edges, Levels: _levels, Counts: _counts, Steps: _steps, Swing: _swing,
    SlotThermometer: _slot_thermometer, PulseThermometer: _pulse_thermometer, Registers: _registers,
}  # fmt: skip
