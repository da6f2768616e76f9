"""The watch program of every template compiles and runs, and what it prints is what the simulated parts
said."""

from __future__ import annotations

import enum
import itertools
import re
import time
import types
from dataclasses import replace
from pathlib import Path

import pytest

from tests.firmware import machine_stub
from tests.firmware.boards import pins, readings, run_cpp, values
from tests.rigs import part, rig
from tickstone.core.rigs.kinds import KINDS
from tickstone.core.rigs.labels import labels
from tickstone.core.rigs.rig import Rig, Supply
from tickstone.core.rigs.templates import TEMPLATES, fern, heron, template
from tickstone.errors import BadInput
from tickstone.firmware.watch import ECHO_TIMEOUT_US
from tickstone.firmware.writing import program

CPP = [t for t in TEMPLATES if "cpp" in template(t).board.programs]
PYTHON = [t for t in TEMPLATES if template(t).board.python == "machine"]
BYTE = 256


def words(*numbers: int) -> list[int]:
    """16-bit numbers as bytes, high one first."""
    return [byte for n in numbers for byte in ((n % 65536) // BYTE, n % BYTE)]


def scenario(made: Rig) -> list[str]:
    """Something at every pin of a rig, for two seconds."""
    at = pins(made)
    lines = [
        "until 2100000",
        f"register 104 59 {' '.join(map(str, words(164, -200, 16384, 0, 42, -18, 9)))}",
        f"register 41 30 {' '.join(map(str, words(318)))}",
    ]
    for name, pin in at.items():
        one, _, kind = name.partition(" ")
        if kind == "trigger":
            lines.append(f"echo {pin} {at[f'{one} echo']} 400 1748")
        if kind == "signal":
            lines.append(f"echo {pin} {pin} 400 1748")
        if kind in ("middle", "x", "y", "z", "output") or kind.startswith("output"):
            lines.append(f"code {pin} 0 {300 + pin}")
    return lines


def pulse_train(
    pin: int, every_us: int, width_us: int = 2000, first_us: int = 100_000, count: int = 12
) -> list[str]:
    """Low pulses on a pin."""
    edges = [(first_us + i * every_us, 0) for i in range(count)]
    return [f"level {pin} {at + (width_us if up else 0)} {up}" for at, _ in edges for up in (0, 1)]


@pytest.mark.slow
@pytest.mark.parametrize("name", CPP)
def test_every_cpp_program_compiles_without_a_warning_and_prints_what_its_parts_say(
    name: str, tmp_path: Path
) -> None:
    made = template(name)
    at = pins(made)
    lines = scenario(made)
    edges = [pin for one, pin in at.items() if one in ("wheel output", "tachometer output")]
    for pin in edges:
        lines += pulse_train(pin, 150_000)
    found = readings(made, run_cpp(made, tmp_path, lines)[0])
    asked = {label for (_, channel), label in labels(made).items() if channel not in ("level",)}
    thermometer = {"air_c"} & asked  # has its own test
    always = (
        asked - thermometer - {label for (_, channel), label in labels(made).items() if channel == "edge"}
    )
    for label in always:
        assert len(found[label]) >= 3, label
    if "echo_us" in found:
        assert values(found, "echo_us")[1:] == pytest.approx([1748] * (len(found["echo_us"]) - 1), abs=3)
    if "ax" in found:
        assert [values(found, label)[-1] for label in ("ax", "ay", "az", "gx", "gy", "gz")] == [
            164,
            -200,
            16384,
            42,
            -18,
            9,
        ]
    for label in found:
        if label.endswith("_edge_us"):
            stamps = values(found, label)
            assert len(stamps) == 12
            assert [b - a for a, b in itertools.pairwise(stamps)] == pytest.approx([150_000] * 11, abs=30)


def test_counts_are_those_at_the_pins_and_every_pin_has_its_own(tmp_path: Path) -> None:
    made = fern()
    at = pins(made)
    found = readings(made, run_cpp(made, tmp_path, scenario(made))[0])
    for n in range(1, 6):
        assert set(values(found, f"line{n}_adc")) == {300 + at[f"line_row output {n}"]}
    assert set(values(found, "battery_adc")) == {300 + at["battery_gauge middle"]}


def test_no_echo_is_nought_and_no_turn_of_the_loop_waits_longer_than_the_time_out(tmp_path: Path) -> None:
    made = rig(part("ultrasonic-ranger", "front-ranger"), part("hall-switch", "wheel"))
    at = pins(made)
    lines = [
        f"echo {at['front_ranger trigger']} {at['front_ranger echo']} 400 0",
        "until 1000000",
        *pulse_train(at["wheel output"], 20_000, 1_000, count=40),
    ]
    printed, said = run_cpp(made, tmp_path, lines)
    found = readings(made, printed)
    assert set(values(found, "echo_us")) == {0}
    assert len(found["echo_us"]) > 8
    # and the lines that were printed
    assert int(re.search(r"longest (\d+)", said)[1]) <= ECHO_TIMEOUT_US + 10_000
    assert len(found["hall_edge_us"]) == 40  # not one pulse lost while a ping was waited for


def test_two_rangers_fire_in_turn_and_are_told_apart(tmp_path: Path) -> None:
    made = rig(part("ultrasonic-ranger", "front-ranger"), part("ultrasonic-ranger-3", "rear-ranger"))
    at = pins(made)
    lines = [
        "until 1500000",
        f"echo {at['front_ranger trigger']} {at['front_ranger echo']} 400 2000",
        f"echo {at['rear_ranger signal']} {at['rear_ranger signal']} 700 5000",
    ]
    found = readings(made, run_cpp(made, tmp_path, lines)[0])
    assert set(found) == {"front_ranger_echo_us", "rear_ranger_echo_us"}
    assert values(found, "front_ranger_echo_us")[1:] == pytest.approx(11 * [2000], abs=3)
    assert values(found, "rear_ranger_echo_us") == pytest.approx(
        len(found["rear_ranger_echo_us"]) * [5000], abs=3
    )
    order = sorted((t, label) for label, all_ in found.items() for t, _ in all_)
    assert all(a[1] != b[1] for a, b in itertools.pairwise(order))


@pytest.mark.parametrize(("sixteenths", "shown"), [(376, 23.5), (-40, -2.5), (0, 0.0)])
def test_the_thermometer_with_time_slots_is_read(sixteenths: int, shown: float, tmp_path: Path) -> None:
    made = rig(part("air-temperature", "air"))
    lines = ["until 3200000", f"slots {pins(made)['air data']} {sixteenths}"]
    found = readings(made, run_cpp(made, tmp_path, lines)[0])
    assert len(found["air_c"]) == 3
    assert values(found, "air_c") == pytest.approx([shown] * 3, abs=0.06)


def test_the_thermometer_with_pulses_is_read(tmp_path: Path) -> None:
    made = rig(part("air-temperature-humidity", "air"))
    lines = ["until 6500000", f"pulses {pins(made)['air data']} 623 -55"]
    printed, said = run_cpp(made, tmp_path, lines)
    found = readings(made, printed)
    assert values(found, "air_c") == [-5.5] * 3
    assert values(found, "humidity_pct") == [62.3] * 3
    assert int(re.search(r"longest (\d+)", said)[1]) < 8_000


def test_levels_are_told_at_each_change_with_its_own_time_and_again_when_nothing_happens(
    tmp_path: Path,
) -> None:
    made = template("T05")
    at = [pins(made)[f"motor h{n}"] for n in (1, 2, 3)]
    codes, now, before = [5, 4, 6, 2, 3, 1] * 4, 50_000, 0b111
    lines = ["until 1400000"]
    for code in codes:
        for place in range(3):
            bit = code >> (2 - place) & 1
            if bit != before >> (2 - place) & 1:
                lines.append(f"level {at[place]} {now} {bit}")
        before, now = code, now + 4_000
    found = readings(made, run_cpp(made, tmp_path, lines)[0])
    told = [4 * a + 2 * b + c for a, b, c in zip(*(values(found, f"h{n}") for n in (1, 2, 3)), strict=True)]
    assert told[1:25] == codes
    assert set(told[25:]) == {1}
    times = [t for t, _ in found["h1"]][1:25]
    gaps = [b - a for a, b in itertools.pairwise(times)]
    assert gaps == pytest.approx([4_000] * 23, abs=60)


def test_an_encoders_steps_are_counted_with_hysteresis(tmp_path: Path) -> None:
    made = template("T18")
    pin = pins(made)["encoder_wheel output"]
    codes = [100, 800, 650, 720, 100, 500, 380, 900, 100]  # 650, 720, 500 lie between: no step
    lines = ["until 1600000", *(f"code {pin} {i * 100_000} {code}" for i, code in enumerate(codes))]
    found = readings(made, run_cpp(made, tmp_path, lines)[0])
    assert values(found, "steps")[-1] == 4
    assert values(found, "steps") == sorted(values(found, "steps"))


def test_a_converter_on_the_bus_is_read_by_its_inputs(tmp_path: Path) -> None:
    made = rig(part("triangulation-ranger", "ir"), part("i2c-adc", "adc"))
    wire = made.wire("ir", "output")
    made = made.with_wire(replace(wire, to="adc 3"))
    lines = ["until 500000", f"register 72 100 {' '.join(map(str, words(11, 22, 12345, 44)))}"]
    assert set(values(readings(made, run_cpp(made, tmp_path, lines)[0]), "ir_adc")) == {12345}


def test_two_alike_on_the_bus_one_is_readdressed_at_start(tmp_path: Path) -> None:
    made = rig(
        part("time-of-flight-ranger", "front"),
        part("time-of-flight-ranger", "rear", address=42, shutdown="wired"),
    )
    lines = [
        "until 300000",
        f"register 41 30 {' '.join(map(str, words(318)))}",
        f"register 42 30 {' '.join(map(str, words(905)))}",
    ]
    printed, said = run_cpp(made, tmp_path, lines)
    assert "wrote 41 138 42" in said
    found = readings(made, printed)
    assert set(values(found, "front_tof_mm")) == {318}
    assert set(values(found, "rear_tof_mm")) == {905}


def test_outputs_are_held_off_and_interrupt_variables_are_volatile_and_read_with_interrupts_off() -> None:
    text = program(template("T06"), "cpp")
    for name in ("RED_LAMP_ANODE", "GREEN_LAMP_ANODE", "WHEELS_LEFT_SPEED"):
        assert f"digitalWrite({name}, LOW);" in text
        assert f"pinMode({name}, OUTPUT);" in text
    text = program(rig(part("hall-switch", "wheel"), part("motor-halls", "hub"), board="wide-3v3"), "cpp")
    shared = re.findall(r"^(volatile )?\w+ (\w+Was|echo\w+|ranger)\b", text, re.M)
    assert shared
    assert all(volatile for volatile, _ in shared)
    struct = text[text.index("struct Events") : text.index("};")]
    assert struct.count("volatile") == len(re.findall(r"uint\d+_t", struct))
    take = text[text.index("bool take") : text.index("return some")]
    assert (
        take.index("noInterrupts")
        < take.index("events.at")
        < take.index("interrupts();\n", take.index("events.at"))
    )


# Python -----------------------------------------------------------------------------------------------------


def run_python(
    made: Rig, board: machine_stub.Board, capsys: pytest.CaptureFixture[str], us: int
) -> list[str]:
    """What the Python program prints in so many µs."""
    code = compile(program(made, "python"), "watch.py", "exec")
    space: dict[str, object] = {"__name__": "watch"}
    with machine_stub.standing_in(machine_stub.modules(board)):
        exec(code, space)
        end = board.now_us + us
        while board.now_us < end:
            space["loop"]()  # type: ignore[operator]
            board.advance(20)
    return capsys.readouterr().out.splitlines()


def code_of(made: Rig, name: str) -> int:
    return pins(made)[name]


@pytest.mark.parametrize("name", PYTHON)
def test_every_python_program_runs_on_the_stub(name: str, capsys: pytest.CaptureFixture[str]) -> None:
    made = template(name)
    board = machine_stub.Board()
    board.registers = {
        0x68: dict(enumerate(words(164, -200, 16384, 0, 42, -18, 9), 59)),
        0x29: dict(enumerate(words(318), 30)),
    }
    board.codes = {pin: 300 + pin for pin in pins(made).values()}
    found = readings(made, run_python(made, board, capsys, 1_200_000))
    for (_, channel), label in labels(made).items():
        if channel not in ("edge", "level"):
            assert len(found[label]) >= 2, label
    if "ax" in found:
        assert [values(found, label)[-1] for label in ("ax", "az", "gy")] == [164, 16384, -18]
    if "battery_adc" in found:
        assert set(values(found, "battery_adc")) == {300 + code_of(made, "battery_gauge middle")}


def test_python_times_edges_and_levels_by_interrupt_across_the_wrap_of_its_clock(
    capsys: pytest.CaptureFixture[str],
) -> None:
    made = heron()
    board = machine_stub.Board(start_us=machine_stub.TICKS - 700_000)
    wheel = code_of(made, "wheel output")
    for i in range(10):
        board.later(wheel, 100_000 + i * 120_000, 0)
        board.later(wheel, 101_000 + i * 120_000, 1)
    h1 = code_of(made, "hub h1")
    board.later(h1, 333_000, 0)
    found = readings(made, run_python(made, board, capsys, 1_400_000))
    stamps = values(found, "hall_edge_us")
    assert [b - a for a, b in itertools.pairwise(stamps)] == pytest.approx([120_000] * 9, abs=2)
    changes = [
        t for (t, level), (_, before) in zip(found["h1"][1:], found["h1"], strict=False) if level < before
    ]
    assert len(changes) == 1


def test_python_pings_by_interrupt_and_reads_the_thermometer(capsys: pytest.CaptureFixture[str]) -> None:
    made = rig(part("ultrasonic-ranger", "front-ranger"), part("air-temperature", "air"), board="wide-3v3")
    board = machine_stub.Board()
    at = pins(made)
    board.level[at["front_ranger echo"]] = 0
    board.echoes = {at["front_ranger trigger"]: (at["front_ranger echo"], 400, 1748)}
    pad = bytearray((0x78, 0x01, 0x4B, 0x46, 0x7F, 0xFF, 0x08, 0x10))
    check = machine_stub.modules(board)["onewire"].OneWire(None).crc8(bytes(pad))
    board.scratchpad = bytes([*pad, check])
    found = readings(made, run_python(made, board, capsys, 3_200_000))
    assert values(found, "echo_us") == pytest.approx([1748] * len(found["echo_us"]), abs=2)
    assert len(found["echo_us"]) > 30
    assert values(found, "air_c") == [23.5] * 2
    board.echoes = {at["front_ranger trigger"]: (at["front_ranger echo"], 400, 0)}
    silent = readings(made, run_python(made, board, capsys, 500_000))
    assert set(values(silent, "echo_us")) == {0}


# A single-board computer ------------------------------------------------------------------------------------


def test_the_computers_program_runs_on_stubs_of_the_kernels_interfaces(
    capsys: pytest.CaptureFixture[str],
) -> None:
    class Value(enum.Enum):
        INACTIVE, ACTIVE = 0, 1

    class Edges(enum.Enum):
        RISING_EDGE, FALLING_EDGE = 1, 2

    class Event:
        Type = Edges

        def __init__(self, kind: Edges, at_ns: int) -> None:
            self.event_type, self.timestamp_ns = kind, at_ns

    waiting: list[Event] = []

    class Request:
        def __init__(self, line: int) -> None:
            self.line = line

        def get_value(self, line: int) -> Value:
            return Value.INACTIVE

        def set_value(self, line: int, value: Value) -> None:
            if value is Value.INACTIVE:  # the trigger falls: an echo comes
                now = time.monotonic_ns()
                waiting.extend(
                    (Event(Edges.RISING_EDGE, now + 400_000), Event(Edges.FALLING_EDGE, now + 2_148_000))
                )

        def wait_edge_events(self, timeout: float) -> bool:
            return bool(waiting) and self.line == 17

        def read_edge_events(self) -> list[Event]:
            found = waiting[:]
            waiting.clear()
            return found

    gpiod, line = types.ModuleType("gpiod"), types.ModuleType("gpiod.line")
    gpiod.EdgeEvent, gpiod.LineSettings = Event, dict  # type: ignore[attr-defined]
    gpiod.request_lines = lambda chip, consumer, config: Request(next(iter(config)))  # type: ignore[attr-defined]
    line.Value = Value  # type: ignore[attr-defined]
    line.Direction = types.SimpleNamespace(INPUT=1, OUTPUT=2)  # type: ignore[attr-defined]
    line.Edge = types.SimpleNamespace(BOTH=1, NONE=0)  # type: ignore[attr-defined]
    smbus2 = types.ModuleType("smbus2")

    class SMBus:
        asked = 0

        def __init__(self, bus: int) -> None:
            assert bus == 1

        def write_i2c_block_data(self, address: int, register: int, data: list[int]) -> None:
            assert (address, register) == (0x48, 1)
            self.asked = (data[0] >> 4 & 7) - 4

        def read_i2c_block_data(self, address: int, register: int, count: int) -> list[int]:
            return words((1000, 5000, 0, 0)[self.asked])

    smbus2.SMBus = SMBus  # type: ignore[attr-defined]
    made = template("T20")
    space: dict[str, object] = {"__name__": "watch"}
    with machine_stub.standing_in({"gpiod": gpiod, "gpiod.line": line, "smbus2": smbus2}):
        exec(compile(program(made, "python"), "watch.py", "exec"), space)
        said: list[str] = []
        while sum("echo_us" in line for line in said) < 6:
            space["loop"]()  # type: ignore[operator]
            said += capsys.readouterr().out.splitlines()
    found = readings(made, said)
    assert set(values(found, "echo_us")) == {1748}
    assert len(found["echo_us"]) >= 5
    assert set(values(found, "battery_adc")) == {5000}
    assert set(values(found, "mic_adc")) == {0}


@pytest.mark.parametrize("kind", KINDS)
@pytest.mark.parametrize("board", ["wide-3v3", "computer-3v3"])
def test_every_kind_has_a_python_program_on_both_pin_modules(board: str, kind: str) -> None:
    options = {"count": 4.0} if kind == "line-sensors" else {}
    made = rig(
        part(kind, "one", **options),
        part("i2c-adc", "adc"),
        part("servo", "arm"),
        board=board,
        supplies=(Supply("pack", 5.0, 6.0, 3000),),
    )
    text = program(made, "python")
    compile(text, "watch.py", "exec")
    for label in labels(made).values():
        if not label.endswith(("hall", "switch")):
            assert f'"{label}"' in text
    assert "ARM_SIGNAL" in text


# What cannot be ---------------------------------------------------------------------------------------------


def test_a_board_gets_only_the_languages_it_runs_and_a_loose_wire_gets_no_program() -> None:
    with pytest.raises(BadInput, match="does not run python") as refused:
        program(fern(), "python")
    assert refused.value.path == "language"
    with pytest.raises(BadInput, match="cpp or python"):
        program(fern(), "rust")
    loose = fern().with_wire(replace(fern().wire("front-ranger", "echo"), to=""))
    with pytest.raises(BadInput, match="echo of front ranger is on no pin"):
        program(loose, "cpp")


def test_a_full_line_is_made_to_fit_by_reading_less_often() -> None:
    rows = [part("line-sensors", f"row-{i}", count=7) for i in range(2)]
    packs = tuple(part("inertial-unit", f"tilt-{i}", address=104 + i) for i in range(2))
    made = rig(
        *rows,
        *packs,
        part("i2c-adc", "adc"),
        part("i2c-adc", "more", address=73),
        board="wide-3v3",
        supplies=(Supply("bench", 5.0, 5.0, 3000),),
    )
    assert "due(row0At, 80)" in program(made, "cpp")
    assert "due(lineRowAt, 20)" in program(fern(), "cpp")
