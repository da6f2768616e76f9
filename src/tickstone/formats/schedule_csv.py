"""The wiring schedule and the parts list as CSV."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable, Sequence

from tickstone.core.wiring.schedule import PartLine, ScheduleLine
from tickstone.formats.cells import guarded_name

SCHEDULE = ("from", "to", "in the program", "wire", "length_mm", "part in the wire")
PARTS = ("count", "part", "value", "bands", "note")
THIN_SPACE = "\u2009"  # between a number and its unit; tables of text have a plain one


def schedule_csv(lines: Iterable[ScheduleLine]) -> str:
    """The wiring schedule, a line a wire."""
    return _table(
        SCHEDULE,
        ((line.start, line.end, line.code, line.colour, f"{line.length_mm:g}", line.part) for line in lines),
    )


def parts_csv(parts: Iterable[PartLine]) -> str:
    """The parts list, a line a part."""
    return _table(
        PARTS,
        ((str(part.count), part.title, part.value, " ".join(part.bands), part.note) for part in parts),
    )


def _table(heads: Sequence[str], rows: Iterable[Sequence[str]]) -> str:
    out = io.StringIO()
    write = csv.writer(out)
    write.writerow(heads)
    write.writerows([guarded_name(cell).replace(THIN_SPACE, " ") for cell in row] for row in rows)
    return out.getvalue()
