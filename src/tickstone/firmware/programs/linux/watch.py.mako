<%
    from tickstone.core.rigs.reading import Echo, Edges, Levels, PulseThermometer, Registers, SlotThermometer, Steps

    kernel = plan.of(SlotThermometer, PulseThermometer)
    lines = {
        pin.name: (pin, use.kind == "echo" and name == use.reading.trigger != use.reading.echo, "")
        for use in plan.of(Echo, Edges, Levels, Steps)
        for name, pin in use.pins.items()
        if pin.address is None
    }
    lines |= {use.shutdown.name: (use.shutdown, True, ", held in shutdown") for use in plan.of(Registers) if use.shutdown}
    lines |= {pin.name: (pin, True, ", held off") for pin in plan.held_off}
    uses = [(use, local.get_namespace(f"{use.kind}.py.mako")) for use in plan.uses if use.kind != "echo"]
%>\
% for line in opening:
# ${line}
% endfor

% if kernel:
import glob
% endif
import time

% if lines:
import gpiod
from gpiod.line import Direction, Edge, Value
% endif
% if plan.on_bus:
from smbus2 import SMBus
% endif

% if lines:
CHIP = "/dev/gpiochip0"
% endif
% if plan.on_bus:
bus = SMBus(1)
% endif

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

% if lines:
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
% endif

% if plan.on_bus:
def write_register(address, at, value):
    try:
        bus.write_byte_data(address, at, value)
    except OSError:
        pass  # not there just now: its readings are left out


def read_registers(address, start, count):
    try:
        return bus.read_i2c_block_data(address, start, count)
    except OSError:
        return None


def number(read, offset, signed):
    value = read[offset] << 8 | read[offset + 1]
    return value - 65536 if signed and value > 32767 else value
% endif

% if plan.converters:
def converter_counts(address, channel):
    """A single conversion of one input against ground, 4.096 V full scale, about 1.2 ms."""
    config = 0x83E3 | (4 + channel) << 12
    try:
        bus.write_i2c_block_data(address, 1, [config >> 8, config & 0xFF])
    except OSError:
        return 0
    time.sleep(0.0014)
    read = read_registers(address, 0, 2)
    return max(number(read, 0, True), 0) if read else 0
% endif

% if kernel:
def kernel_number(pattern):
    """A number from a file of the kernel, or None while it has none."""
    for name in glob.glob(pattern):
        try:
            with open(name) as file:
                return int(file.read())
        except (OSError, ValueError):
            pass
    return None
% endif

% if plan.rangers:
PING_EVERY_US = ${PING_EVERY_US}
ECHO_TIMEOUT_US = ${ECHO_TIMEOUT_US}


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
% endif

% for pin, output, remark in lines.values():
${pin.name} = Line(${pin.code}${", output=True" if output else ""})  # ${pin.place}${remark}
% endfor

% for use, part in uses:
${part.declare(use)}

% endfor
% if plan.rangers:
rangers = Rangers([${", ".join(f'({trigger.name}, {echo.name}, "{label}")' for trigger, echo, label in plan.rangers)}])
% endif

def loop():
% if plan.rangers:
    rangers.watch()
% endif
% for use, part in uses:
${part.loop(use)}\
% endfor
    time.sleep(0.0005)

if __name__ == "__main__":
    while True:
        loop()
