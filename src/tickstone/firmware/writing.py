"""Programs written from the templates in ``programs/``: a folder for each language, a file for each way of
reading, ``python/`` for what both kinds of Python share."""

from __future__ import annotations

import itertools
import re
from functools import cache
from pathlib import Path

from mako.lookup import TemplateLookup

from tickstone.core.rigs.rig import Rig
from tickstone.errors import BadInput
from tickstone.firmware import watch
from tickstone.firmware.watch import PinUse, ProgramPlan, plan_of

PROGRAMS = Path(__file__).parent / "programs"
CPP = "cpp"
SUFFIXES = {"cpp": "cpp", "python": "py"}  # endings of a program's file name, by language


def program(rig: Rig, language: str) -> str:
    """The watch program of a rig.

    Parameters: rig, wired; language, cpp or python. Returns: the whole program. Raises: BadInput for
    ``language`` when the board does not run it, and for ``wires`` naming a signal that is on no pin.
    """
    board = rig.board
    if language not in SUFFIXES:
        raise BadInput(f"language must be cpp or python, not {language!r}.", "language")
    if language not in board.programs:
        runs = " or ".join(board.programs) or "no program"
        raise BadInput(f"The {board.title} does not run {language}: take {runs}.", "language")
    return write(plan_of(rig), board.python if language == "python" else CPP)


def write(plan: ProgramPlan, language: str) -> str:
    """The watch program of a plan; ``language`` is cpp, or the pin module of the board's Python: machine or
    linux."""
    ending, mark, code_of = ("cpp", "//", _cpp_code) if language == CPP else ("py", "#", _python_code)
    text = (
        _templates(language)
        .get_template(f"watch.{ending}.mako")
        .render_unicode(
            plan=plan,
            opening=watch.opening(plan, len(mark)),
            code_of=code_of,
            camel=_camel,
            pascal=lambda name: _camel(f"x_{name}")[1:],
            hex2=lambda value: f"0x{value:02X}",
            BAUD=watch.BAUD,
            PING_EVERY_US=watch.PING_EVERY_US,
            ECHO_TIMEOUT_US=watch.ECHO_TIMEOUT_US,
            AGAIN_MS=watch.AGAIN_MS,
        )
    )
    return _spaced(text, between_definitions=1 if language == CPP else 2)


@cache
def _templates(language: str) -> TemplateLookup:
    folders = [PROGRAMS / language] if language == CPP else [PROGRAMS / language, PROGRAMS / "python"]
    return TemplateLookup([str(folder) for folder in folders], strict_undefined=True)


def _spaced(text: str, between_definitions: int) -> str:
    """A program with so many empty lines around its definitions, and one between other blocks."""
    blocks = re.split(r"\n\s*\n(?=\S)", text.strip("\n"))
    spaced = blocks[0]
    for before, block in itertools.pairwise(blocks):
        defines = any(re.search(r"^(def|class) ", part, re.MULTILINE) for part in (before, block))
        spaced += "\n" * (1 + (between_definitions if defines else 1)) + block
    return spaced + "\n"


def _camel(name: str) -> str:
    first, *rest = name.split("_")
    return first + "".join(word.capitalize() for word in rest)


def _cpp_code(pin: PinUse) -> str:
    """The expression that reads a pin's code."""
    if pin.address is not None:
        return f"converterCounts(0x{pin.address:02X}, {pin.channel})"
    return f"analogRead({pin.name})"


def _python_code(pin: PinUse) -> str:
    if pin.address is not None:
        return f"converter_counts(0x{pin.address:02X}, {pin.channel})"
    return f"codes({pin.name})"
