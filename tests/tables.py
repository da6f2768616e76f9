"""The tables of tests/reference."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any


def rows(topic: str, table: str) -> list[dict[str, Any]]:
    """The rows of a reference table as dictionaries by column."""
    found = json.loads((Path(__file__).parent / "reference" / f"{topic}.json").read_text())["tables"][table]
    return [dict(zip(found["columns"], row, strict=True)) for row in found["rows"]]
