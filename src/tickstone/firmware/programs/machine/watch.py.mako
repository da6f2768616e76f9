<%
    from tickstone.core.rigs.reading import Echo, Edges, Levels, PulseThermometer, Registers, SlotThermometer, Steps

    events = plan.of(Edges, Levels)
    modules = {"machine", "time"}
    modules |= {"array"} if events or plan.of(Steps) else set()
    modules |= {"onewire"} if plan.of(SlotThermometer) else set()
    uses = [(use, local.get_namespace(f"{use.kind}.py.mako")) for use in plan.uses if use.kind != "echo"]
%>\
% for line in opening:
# ${line}
% endfor

% for module in sorted(modules):
import ${module}
% endfor

% for pin in plan.pins:
% if pin.name in plan.analogue:
${pin.name} = machine.ADC(machine.Pin(${pin.code}))  # ${pin.place}
% else:
${pin.name} = machine.Pin(${pin.code}, machine.Pin.IN)  # ${pin.place}
% endif
% endfor
% for pin in plan.held_off:
${pin.name} = machine.Pin(${pin.code}, machine.Pin.OUT, value=0)  # ${pin.place}
% endfor
% if plan.on_bus:
<% data, clock = plan.bus_pins %>\
bus = machine.I2C(0, sda=machine.Pin(${data}), scl=machine.Pin(${clock}), freq=100_000)
% endif

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

% if events:
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
% endif

% if plan.on_bus:
def write_register(address, at, value):
    try:
        bus.writeto_mem(address, at, bytes([value]))
    except OSError:
        pass  # not there just now: its readings are left out


def read_registers(address, start, count):
    try:
        return bus.readfrom_mem(address, start, count)
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
        bus.writeto_mem(address, 1, bytes([config >> 8, config & 0xFF]))
    except OSError:
        return 0
    time.sleep_us(1400)
    read = read_registers(address, 0, 2)
    return max(number(read, 0, True), 0) if read else 0
% endif

% if plan.analogue:
def codes(pin):
    """The converter's code of a pin: the module gives 16 bits, the converter has ${plan.bits}."""
    return pin.read_u16() >> ${16 - plan.bits}
% endif

% if plan.of(PulseThermometer):
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
% endif

% if plan.rangers:
PING_EVERY_US = ${PING_EVERY_US}
ECHO_TIMEOUT_US = ${ECHO_TIMEOUT_US}


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
% endif

% for use in plan.of(Registers):
% if use.shutdown:
${use.shutdown.name}.init(machine.Pin.OUT, value=0)  # held in shutdown

% endif
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
% if not plan.uses:
    pass
% endif

if __name__ == "__main__":
    while True:
        loop()
