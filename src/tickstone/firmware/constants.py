"""A stone as a C header, a Python module or JSON: each line with its unit, provenance and date."""

from __future__ import annotations

import json
import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import datetime

from tickstone.core import units
from tickstone.core.stones import StoneConstant
from tickstone.core.uncertainty import plus_minus
from tickstone.firmware.words import one_line


@dataclass(frozen=True)
class Header:
    """Which stone this is."""

    rig: str
    number: int
    cut_at: datetime
    why: str


def identifier(line: StoneConstant) -> str:
    """The constant's name in code: sensor, name and unit, in capitals; a unit that the name ends with is not
    said twice."""
    unit = units.CONSTANTS.get(line.unit, line.unit)
    said = line.name.upper().endswith(f"_{unit}")
    words = f"{line.sensor}_{line.name}" if said else f"{line.sensor}_{line.name}_{unit}"
    return re.sub(r"\W+", "_", words, flags=re.ASCII).strip("_").upper()


def number(value: float) -> str:
    """A number as code has it, with seven significant digits: what a 32-bit float holds."""
    text = f"{value:.7g}"
    return text if re.search(r"[.e]", text) else f"{text}.0"


def remark(line: StoneConstant, cut_at: datetime) -> str:
    """Unit, uncertainty, provenance, source and date in one line of comment; what nobody made has the stone's
    date."""
    spread = f" ± {2 * line.sd:.2g}" if line.sd else ""
    unit = f" {line.unit}" if line.unit else ""
    stale = f"; STALE: {line.stale}" if line.stale else ""
    stale += f"; WARNING: {line.warning}" if line.warning else ""
    text = (
        f"{line.label}{spread}{unit}, {line.provenance}, {line.source}, "
        f"{line.made_at or cut_at:%Y-%m-%d}{stale}"
    )
    return one_line(text)


def _title(header: Header) -> list[str]:
    why = [header.why] if header.why else []
    lines = [
        f"Stone {header.number} of {header.rig}, cut {header.cut_at:%Y-%m-%d %H:%M} UTC",
        *why,
        "± is 95 %. measured: from a recording or a reading on this rig; derived: computed from others;",
        "chosen: a person's decision; assumed: nobody has measured it.",
    ]
    return [one_line(line) for line in lines]


def c_header(header: Header, lines: Sequence[StoneConstant]) -> str:
    """A C header of ``static const float`` lines with an include guard."""
    guard = re.sub(r"\W+", "_", f"TICK_STONE_{header.rig}_{header.number}_H", flags=re.ASCII).upper()
    top = [f"// {part}" for part in _title(header)]
    body = [
        f"static const float {identifier(line)} = {number(line.value)}f;  // {remark(line, header.cut_at)}"
        for line in lines
    ]
    return "\n".join([*top, f"#ifndef {guard}", f"#define {guard}", "", *body, "", f"#endif  // {guard}", ""])


def python_module(header: Header, lines: Sequence[StoneConstant]) -> str:
    """A Python module of plain assignments."""
    top = "\n".join(f"# {part}" for part in _title(header))
    body = "\n".join(
        f"{identifier(line)} = {number(line.value)}  # {remark(line, header.cut_at)}" for line in lines
    )
    return f"{top}\n\n{body}\n"


def json_document(header: Header, lines: Sequence[StoneConstant]) -> str:
    """A JSON object: the stone, and its constants by name with value, unit, uncertainty (95 %), provenance,
    date."""
    constants = {
        identifier(line): {
            "sensor": line.sensor,
            "label": line.label,
            "value": line.value,
            "unit": line.unit,
            "uncertainty_95": plus_minus(line.sd),
            "provenance": line.provenance,
            "source": line.source,
            "date": f"{line.made_at or header.cut_at:%Y-%m-%d}",
            "stale": line.stale or None,
            "warning": line.warning or None,
        }
        for line in lines
    }
    stone = {
        "rig": header.rig,
        "number": header.number,
        "cut_at": header.cut_at.isoformat(),
        "why": header.why,
    }
    return json.dumps({"stone": stone, "constants": constants}, ensure_ascii=False, indent=2) + "\n"


FORMS: dict[str, tuple[str, str, Callable[[Header, Sequence[StoneConstant]], str]]] = {
    "c": (".h", "text/x-c", c_header),
    "python": (".py", "text/x-python", python_module),
    "json": (".json", "application/json", json_document),
}
