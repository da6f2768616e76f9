"""Watch programs on simulated boards: the C++ one compiled against the calls in shim/, the Python ones on
stubs of their pin modules. What they print is read by the app's own parser."""

from __future__ import annotations

import functools
import shutil
import subprocess
import tempfile
from pathlib import Path

from tickstone.core.rigs.labels import labels
from tickstone.core.rigs.rig import Rig
from tickstone.firmware.watch import plan_of
from tickstone.firmware.writing import program
from tickstone.launch.machine import install
from tickstone.link.clock import DeviceClock
from tickstone.link.interpreter import Interpreter, Reading

SHIM = Path(__file__).parent / "shim"
ANALOGUE = {f"A{n}": 100 + n for n in range(8)}


def compiler() -> str:
    """The C++ compiler, installed when this machine has none."""
    found = shutil.which("g++")
    if found is None:
        install("g++")
        found = shutil.which("g++")
    assert found is not None
    return found


@functools.cache
def _board() -> Path:
    """The simulated board, compiled once."""
    made = Path(tempfile.mkdtemp()) / "board.o"
    subprocess.run(
        [compiler(), "-std=c++11", "-O1", "-I", SHIM, "-c", SHIM / "board.cpp", "-o", made], check=True
    )
    return made


def number(code: str) -> int:
    """A pin's number on the simulated board."""
    return ANALOGUE.get(code) or int(code)


def run_cpp(rig: Rig, folder: Path, scenario: list[str]) -> tuple[list[str], str]:
    """What the program prints, line by line, and what the board says of it."""
    source = folder / "watch.cpp"
    source.write_text(program(rig, "cpp"))
    made = folder / "watch"
    asked = [
        compiler(),
        "-std=c++11",
        "-Wall",
        "-Wextra",
        "-Werror",
        "-I",
        SHIM,
        "-include",
        SHIM / "board.h",
    ]
    done = subprocess.run([*asked, source, _board(), "-o", made], capture_output=True, text=True)
    assert done.returncode == 0, done.stderr
    able = [number(pin.code) for pin in rig.board.pins if "interrupt" in pin.abilities]
    said = "\n".join([f"interrupts {' '.join(map(str, able))}", *scenario])
    ran = subprocess.run([made], input=said, capture_output=True, text=True, check=True, timeout=60)
    return ran.stdout.splitlines(), ran.stderr


def pins(rig: Rig) -> dict[str, int]:
    """The simulated pin of every part's pin, as "part pin"."""
    found = {}
    for use in plan_of(rig).uses:
        for name, pin in use.pins.items():
            if (
                pin.address is None
                and pin.code[:1].isalnum()
                and (pin.code.isdigit() or pin.code in ANALOGUE)
            ):
                found[f"{use.name} {name}"] = number(pin.code)
    return found


def readings(rig: Rig, lines: list[str]) -> dict[str, list[tuple[int, float]]]:
    """Every reading by label, with its time: read as the app reads a board. No line may be odd, no clock run
    back."""
    interpreter, said = Interpreter(rig), labels(rig)
    clock, found, before = DeviceClock(), dict[str, list[tuple[int, float]]](), -1
    assert lines
    for line in lines:
        read = interpreter.read(line, 0.0)
        assert isinstance(read, Reading), read
        assert read.stamp_us is not None
        placed = clock.place(read.stamp_us, read.stamp_us / 1e6)
        assert placed is not None
        assert placed.segment == 0
        assert placed.t_us >= before
        before = placed.t_us
        for key, value in read.values.items():
            found.setdefault(said[key], []).append((read.stamp_us, value))
    return found


def values(found: dict[str, list[tuple[int, float]]], label: str) -> list[float]:
    """The readings of one label."""
    return [value for _, value in found[label]]
