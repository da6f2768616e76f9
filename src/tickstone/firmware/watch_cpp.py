"""The watch program in C++, for boards with the usual pin and timing calls."""

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
from tickstone.firmware import cpp_blocks, watch
from tickstone.firmware.watch import PinUse, Plan, Use


class Pieces:
    """The parts of a program as they gather: what is declared, set up, and done in each turn of the loop."""

    def __init__(self) -> None:
        self.declared: list[str] = []
        self.setup: list[str] = []
        self.loop: list[str] = []


def write(plan: Plan) -> str:
    """The whole program."""
    pieces = Pieces()
    blocks = ["".join(f"{line}\n" for line in watch.opening(plan, "//"))]
    blocks.append("#include <stdint.h>\n" + ("#include <Wire.h>\n" if plan.on_bus else ""))
    blocks.append(f"const uint32_t BAUD = {watch.BAUD};\n" + "".join(_constants(plan)))
    events = bool(plan.of(Edges, Levels))
    blocks.append(cpp_blocks.EVENTS if events else "")
    blocks.append(cpp_blocks.LINES)
    if plan.of(PulseThermometer, SlotThermometer):
        blocks.append(cpp_blocks.DECIMALS)
    for wanted, block in (
        (events, cpp_blocks.EVENT_CALLS), (plan.on_bus, cpp_blocks.BUS), (plan.converters, cpp_blocks.CONVERTER), (plan.of(SlotThermometer), cpp_blocks.SLOTS),
        (plan.of(PulseThermometer), cpp_blocks.PULSES),
    ):  # fmt: skip
        if wanted:
            blocks.append(block)
    if plan.of(Echo):
        blocks.append(_rangers(plan.of(Echo), pieces))
    for use in plan.uses:
        _WRITERS[type(use.reading)](use, pieces)
    blocks.append("\n\n".join(pieces.declared) + "\n" if pieces.declared else "")
    held = [
        line for pin in plan.held_off for line in (f"digitalWrite({pin.name}, LOW);", f"pinMode({pin.name}, OUTPUT);")
    ]
    bus = ["Wire.begin();"] if plan.on_bus else []
    blocks.append(_function("setup", [*held, "Serial.begin(BAUD);", *bus, *pieces.setup]))
    blocks.append(_function("loop", pieces.loop))
    return "\n".join(block.strip("\n") + "\n" for block in blocks if block)


def _function(name: str, lines: list[str]) -> str:
    return f"void {name}() {{\n" + "".join(f"  {line}\n" for line in lines) + "}\n"


def _constants(plan: Plan) -> list[str]:
    pins = {pin.name: pin for use in plan.uses for pin in use.pins.values()} | {p.name: p for p in plan.held_off}
    lines = []
    for pin in pins.values():
        if pin.address is None and not {"i2c-data", "i2c-clock"} & set(pin.abilities):
            lines.append(f"const uint8_t {pin.name} = {pin.code};  // {pin.place}\n")
    for use in plan.of(Registers):
        lines.append(f"const uint8_t {use.name.upper()}_ADDRESS = 0x{use.address:02X};\n")
    return lines


def _camel(text: str) -> str:
    first, *rest = text.split("_")
    return first + "".join(word.capitalize() for word in rest)


def _on(use: Use) -> str:
    return "on" + _camel(f"x_{use.name}")[1:]


def _rangers(uses: list[Use], pieces: Pieces) -> str:
    pairs = [(use.pins[r.trigger], use.pins[r.echo], use.labels[r.channel]) for use in uses
             if isinstance(r := use.reading, Echo)]  # fmt: skip
    handlers = []
    for i, (trigger, echo, _) in enumerate(pairs):
        if trigger is not echo:
            pieces.setup.append(f"pinMode({echo.name}, INPUT);")
        if echo.timed:
            handlers.append(f"void onEcho{i}() {{ echoEdge({i}); }}\n")
            pieces.setup.append(f"attachInterrupt(digitalPinToInterrupt({echo.name}), onEcho{i}, CHANGE);")
    pieces.loop.append("watchRangers();")
    return cpp_blocks.RANGERS.format(
        every=watch.PING_EVERY_US, timeout=watch.ECHO_TIMEOUT_US, count=len(pairs),
        triggers=", ".join(t.name for t, _, _ in pairs), echoes=", ".join(e.name for _, e, _ in pairs),
        timed=", ".join("true" if e.timed else "false" for _, e, _ in pairs),
        labels=", ".join(f'"{label}"' for _, _, label in pairs), handlers="\n".join(handlers),
    )  # fmt: skip


def _echo(use: Use, pieces: Pieces) -> None:
    """All rangers are one block: they fire in turn."""


def _edges(use: Use, pieces: Pieces) -> None:
    reading = use.reading
    assert isinstance(reading, Edges)
    pin, name = use.pins[reading.pin], _camel(use.name)
    mode = "RISING" if reading.rising else "FALLING"
    pieces.setup.append(f"pinMode({pin.name}, INPUT);")
    pieces.declared.append(f"Events {name}Events;")
    if pin.timed:
        pieces.declared.append(f"void {_on(use)}() {{ put({name}Events, micros(), 0); }}")
        pieces.setup.append(f"attachInterrupt(digitalPinToInterrupt({pin.name}), {_on(use)}, {mode});")
    else:
        seen = "HIGH" if reading.rising else "LOW"
        pieces.declared.append(
            f"uint8_t {name}Was = HIGH;\n\n// {pin.place} has no interrupt: asked in the loop, which may miss a short pulse.\n"
            f"void {_on(use)}() {{\n  uint8_t now = digitalRead({pin.name});\n"
            f"  if (now != {name}Was && now == {seen}) put({name}Events, micros(), 0);\n  {name}Was = now;\n}}"
        )
        pieces.setup.append(f"{name}Was = digitalRead({pin.name});")
        pieces.loop.append(f"{_on(use)}();")
    pieces.declared.append(
        f"void tell{_on(use)[2:]}() {{\n  uint32_t at;\n  uint8_t what;\n  while (take({name}Events, at, what)) {{\n"
        f"    lineAt(at);\n    label(\"{use.labels[reading.channel]}\");\n    Serial.print(at);\n    lineEnd();\n  }}\n}}"
    )  # fmt: skip
    pieces.loop.append(f"tell{_on(use)[2:]}();")


def _levels(use: Use, pieces: Pieces) -> None:
    reading = use.reading
    assert isinstance(reading, Levels)
    name, pins = _camel(use.name), [use.pins[pin] for _, pin in reading.pairs]
    bits = " | ".join(f"(digitalRead({pin.name}) == HIGH ? {1 << i} : 0)" for i, pin in enumerate(pins))
    told = "\n".join(
        f'  pair("{use.labels[channel]}", (what >> {i}) & 1);' for i, (channel, _) in enumerate(reading.pairs)
    )
    pieces.declared.append(f"Events {name}Events;\nvolatile uint8_t {name}Was = 0xFF;\nuint32_t {name}Told = 0;")
    pieces.declared.append(
        f"void {_on(use)}() {{\n  uint8_t now = {bits};\n  if (now == {name}Was) return;\n  {name}Was = now;\n"
        f"  put({name}Events, micros(), now);\n}}"
    )
    pieces.declared.append(
        f"void tell{_on(use)[2:]}(uint32_t at, uint8_t what) {{\n  lineAt(at);\n{told}\n  lineEnd();\n}}"
    )
    pieces.declared.append(
        f"void watch{_on(use)[2:]}() {{\n  uint32_t at;\n  uint8_t what;\n  noInterrupts();\n  {_on(use)}();\n  interrupts();\n"
        f"  while (take({name}Events, at, what)) {{\n    tell{_on(use)[2:]}(at, what);\n    {name}Told = millis();\n  }}\n"
        f"  if (due({name}Told, {watch.AGAIN_MS})) {{\n    noInterrupts();\n    what = {name}Was;\n    interrupts();\n"
        f"    tell{_on(use)[2:]}(micros(), what);\n  }}\n}}"
    )
    for pin in pins:
        pieces.setup.append(f"pinMode({pin.name}, INPUT);")
        if pin.timed:
            pieces.setup.append(f"attachInterrupt(digitalPinToInterrupt({pin.name}), {_on(use)}, CHANGE);")
    pieces.loop.append(f"watch{_on(use)[2:]}();")


def _code_of(pin: PinUse) -> str:
    """The expression that reads a pin's code."""
    if pin.address is not None:
        return f"converterCounts(0x{pin.address:02X}, {pin.channel})"
    return f"analogRead({pin.name})"


def _counts(use: Use, pieces: Pieces) -> None:
    reading = use.reading
    assert isinstance(reading, Counts)
    last = f"{_camel(use.name)}At"
    lines = [f"  if (!due({last}, {use.every_ms(reading.every_ms)})) return;", "  int32_t read;", "  lineAt(micros());"]
    for channel, pin_name in reading.pairs:
        pin = use.pins[pin_name]
        if pin.slow and pin.address is None:
            lines.append(f"  {_code_of(pin)};  // the first after a change of input still holds some of the last one")
        lines.append(f"  read = {_code_of(pin)};")
        lines.append(f'  pair("{use.labels[channel]}", read);')
    pieces.declared.append(f"uint32_t {last} = 0;")
    pieces.declared.append(f"void watch{_on(use)[2:]}() {{\n" + "\n".join([*lines, "  lineEnd();", "}"]))
    pieces.loop.append(f"watch{_on(use)[2:]}();")


def _steps(use: Use, pieces: Pieces) -> None:
    reading = use.reading
    assert isinstance(reading, Steps)
    pin, name = use.pins[reading.pin], _camel(use.name)
    pieces.declared.append(f"volatile int32_t {name}Steps = 0;\nuint8_t {name}High = 0;\nuint32_t {name}At = 0;")
    if reading.analogue:
        low, high = round(reading.low * use.codes), round(reading.high * use.codes)
        pieces.declared.append(
            f"// Counts a step when the reading has gone beyond {high}, and another when it has come back under {low}.\n"
            f"void {_on(use)}() {{\n  int32_t read = {_code_of(pin)};\n  if ({name}High ? read >= {low} : read <= {high}) return;\n"
            f"  {name}High = !{name}High;\n  {name}Steps = {name}Steps + 1;\n}}"
        )
        pieces.loop.append(f"{_on(use)}();")
    elif pin.timed:
        pieces.declared.append(f"void {_on(use)}() {{ {name}Steps = {name}Steps + 1; }}")
        pieces.setup += [f"pinMode({pin.name}, INPUT);",
                         f"attachInterrupt(digitalPinToInterrupt({pin.name}), {_on(use)}, CHANGE);"]  # fmt: skip
    else:
        pieces.declared.append(
            f"void {_on(use)}() {{\n  uint8_t now = digitalRead({pin.name}) == HIGH;\n  if (now != {name}High) "
            f"{name}Steps = {name}Steps + 1;\n  {name}High = now;\n}}"
        )
        pieces.setup += [f"pinMode({pin.name}, INPUT);", f"{name}High = digitalRead({pin.name}) == HIGH;"]
        pieces.loop.append(f"{_on(use)}();")
    pieces.declared.append(
        f"void tell{_on(use)[2:]}() {{\n  if (!due({name}At, 100)) return;\n  noInterrupts();\n  int32_t steps = {name}Steps;\n"
        f"  interrupts();\n  lineAt(micros());\n  pair(\"{use.labels[reading.channel]}\", steps);\n  lineEnd();\n}}"
    )  # fmt: skip
    pieces.loop.append(f"tell{_on(use)[2:]}();")


def _swing(use: Use, pieces: Pieces) -> None:
    reading = use.reading
    assert isinstance(reading, Swing)
    pin, name = use.pins[reading.pin], _camel(use.name)
    pieces.declared.append(f"int32_t {name}Low = 0x7FFFFFFF;\nint32_t {name}High = 0;\nuint32_t {name}At = 0;")
    pieces.declared.append(
        f"void watch{_on(use)[2:]}() {{\n  int32_t read = {_code_of(pin)};\n  if (read < {name}Low) {name}Low = read;\n"
        f"  if (read > {name}High) {name}High = read;\n  if (!due({name}At, {reading.window_ms})) return;\n"
        f"  lineAt(micros());\n  pair(\"{use.labels[reading.channel]}\", {name}High - {name}Low);\n  lineEnd();\n"
        f"  {name}Low = 0x7FFFFFFF;\n  {name}High = 0;\n}}"
    )  # fmt: skip
    pieces.loop.append(f"watch{_on(use)[2:]}();")


def _slot_thermometer(use: Use, pieces: Pieces) -> None:
    reading = use.reading
    assert isinstance(reading, SlotThermometer)
    pin, name = use.pins[reading.pin], _camel(use.name)
    pieces.declared.append(f"uint32_t {name}At = 0;")
    pieces.declared.append(
        f"// Reads what was begun a second ago, and begins the next: nothing waits for it.\n"
        f"void watch{_on(use)[2:]}() {{\n  if (!due({name}At, 1000)) return;\n  int16_t sixteenths;\n"
        f"  if (slotTemperature({pin.name}, sixteenths)) {{\n    lineAt(micros());\n"
        f"    pairTenths(\"{use.labels[reading.channel]}\", ((int32_t)sixteenths * 10 + (sixteenths < 0 ? -8 : 8)) / 16);\n"
        f"    lineEnd();\n  }}\n  slotBegin({pin.name});\n}}"
    )  # fmt: skip
    pieces.setup.append(f"slotBegin({pin.name});")
    pieces.loop.append(f"watch{_on(use)[2:]}();")


def _pulse_thermometer(use: Use, pieces: Pieces) -> None:
    reading = use.reading
    assert isinstance(reading, PulseThermometer)
    pin, name = use.pins[reading.pin], _camel(use.name)
    pieces.declared.append(f"uint32_t {name}At = 0;\nuint32_t {name}Asked = 0;\nbool {name}Low = false;")
    pieces.declared.append(
        f"// Asks by 20 ms of low, which the loop goes on through, every two seconds.\n"
        f"void watch{_on(use)[2:]}() {{\n  if (!{name}Low) {{\n    if (!due({name}At, 2000)) return;\n"
        f"    digitalWrite({pin.name}, LOW);\n    pinMode({pin.name}, OUTPUT);\n    {name}Asked = millis();\n"
        f"    {name}Low = true;\n    return;\n  }}\n  if (millis() - {name}Asked < 20) return;\n  {name}Low = false;\n"
        f"  uint8_t bytes[5];\n  if (!pulseAnswer({pin.name}, bytes)) return;\n"
        f"  int32_t air = (int32_t)(bytes[2] & 0x7F) << 8 | bytes[3];\n  lineAt(micros());\n"
        f"  pairTenths(\"{use.labels[reading.air]}\", bytes[2] & 0x80 ? -air : air);\n"
        f"  pairTenths(\"{use.labels[reading.humidity]}\", (int32_t)bytes[0] << 8 | bytes[1]);\n  lineEnd();\n}}"
    )  # fmt: skip
    pieces.setup.append(f"pinMode({pin.name}, INPUT);")
    pieces.loop.append(f"watch{_on(use)[2:]}();")


def _registers(use: Use, pieces: Pieces) -> None:
    reading = use.reading
    assert isinstance(reading, Registers)
    address, name = f"{use.name.upper()}_ADDRESS", _camel(use.name)
    if reading.readdress and reading.shutdown:
        pin, (register, wakes_at) = use.pins[reading.shutdown], reading.readdress
        pieces.setup[:0] = [f"digitalWrite({pin.name}, LOW);", f"pinMode({pin.name}, OUTPUT);  // held in shutdown"]
        pieces.setup += [f"digitalWrite({pin.name}, HIGH);", "delay(5);"]
        if use.address != wakes_at:
            pieces.setup.append(f"writeRegister(0x{wakes_at:02X}, 0x{register:02X}, {address});")
    pieces.setup += [f"writeRegister({address}, 0x{at:02X}, 0x{value:02X});" for at, value in reading.setup]
    if reading.start:
        pieces.setup.append(f"writeRegister({address}, 0x{reading.start[0]:02X}, 0x{reading.start[1]:02X});")
    lines = [
        f"  if (!due({name}At, {use.every_ms(reading.every_ms)})) return;", f"  uint8_t read[{reading.length}];",
        f"  if (!readRegisters({address}, 0x{reading.read_from:02X}, read, {reading.length})) return;",
        "  lineAt(micros());",
    ]  # fmt: skip
    for field in reading.fields:
        number16 = f"((uint16_t)read[{field.offset}] << 8 | read[{field.offset + 1}])"
        lines.append(f'  pair("{use.labels[field.channel]}", {"(int16_t)" if field.signed else ""}{number16});')
    lines.append("  lineEnd();")
    if reading.start:
        lines.append(f"  writeRegister({address}, 0x{reading.start[0]:02X}, 0x{reading.start[1]:02X});")
    pieces.declared.append(f"uint32_t {name}At = 0;")
    pieces.declared.append(f"void watch{_on(use)[2:]}() {{\n" + "\n".join([*lines, "}"]))
    pieces.loop.append(f"watch{_on(use)[2:]}();")


_WRITERS = {
    Echo: _echo, Edges: _edges, Levels: _levels, Counts: _counts, Steps: _steps, Swing: _swing,
    SlotThermometer: _slot_thermometer, PulseThermometer: _pulse_thermometer, Registers: _registers,
}  # fmt: skip
