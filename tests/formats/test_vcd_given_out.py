"""A value change dump that is given out, read by a reader that knows nothing of ours: IEEE 1364-2001, clause
18, to the letter."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
import pytest

from tickstone.formats.about import About, AboutColumn
from tickstone.formats.export import FORMS, ExportedRows, Sheet


def tokens(text: str) -> Iterator[list[str]]:
    """Commands from ``$word`` to ``$end``, and single words outside of them."""
    words = iter(text.split())
    for word in words:
        if word.startswith("$") and word not in ("$dumpvars", "$end"):
            command = [word]
            for inner in words:
                if inner == "$end":
                    break
                command.append(inner)
            yield command
        else:
            yield [word]


def read(text: str) -> tuple[str, dict[str, tuple[str, ...]], list[tuple[int, tuple[str, ...], str]]]:
    """Timescale, variables by code with their path, and changes (time, path, value)."""
    scopes: list[str] = []
    paths: dict[str, tuple[str, ...]] = {}
    changes, now, defined, scale = [], 0, False, ""
    words = tokens(text)
    for command in words:
        first = command[0]
        if first == "$timescale":
            scale = "".join(command[1:])
        elif first == "$scope":
            assert command[1] in ("module", "task", "function", "begin", "fork")
            scopes.append(command[2])
        elif first == "$upscope":
            scopes.pop()
        elif first == "$var":
            kind, size, code, name = command[1:5]
            assert kind in ("event", "integer", "real", "reg", "wire")
            assert int(size) > 0
            assert code not in paths
            paths[code] = (*scopes, name)
        elif first == "$enddefinitions":
            assert scopes == [], "a scope is never closed"
            defined = True
        elif first == "$comment":
            continue
        elif first.startswith("#"):
            assert defined
            assert int(first[1:]) >= now
            now = int(first[1:])
        elif first[0] in "rRbB":
            (code,) = next(words)
            changes.append((now, paths[code], first[1:]))
        else:
            changes.append((now, paths[first[1:]], first[0]))
    return scale, paths, changes


@pytest.mark.parametrize("segmented", [False, True])
def test_every_scope_is_closed_and_every_reading_is_there_at_its_time(segmented: bool) -> None:
    about = About(
        name="walk",
        note="",
        rig="fern",
        rig_title="Fern",
        revision=1,
        source="stand-in",
        clock="device",
        started_at=None,
        ended_at=None,
        ended_why="",
        constants="",
        marks=(),
        odd=(),
        converted=(),
        columns=(
            AboutColumn("echo_us", "front-ranger", "echo", "level", "µs"),
            AboutColumn("air_c", "air", "air", "level", "°C"),
            AboutColumn("pressure", None, "pressure", "level", ""),
        ),
    )
    parts = [
        ExportedRows(
            "front-ranger",
            np.array([0, 50, 100]),
            np.array([0, 0, 1]),
            {"echo_us": np.array([1748.0, np.nan, 1750.5])},
            {},
        ),
        ExportedRows("air", np.array([50]), np.array([0]), {"air_c": np.array([21.25])}, {}),
        ExportedRows("", np.array([100]), np.array([1]), {"pressure": np.array([1013.0])}, {}),
    ]
    sheet = Sheet(about, ("echo_us", "air_c", "pressure"), (), lambda: iter([parts]), segmented)
    text = b"".join(FORMS["value-change-dump"].write(sheet)).decode("ascii")
    scale, paths, changes = read(text)
    assert scale == "1us"
    assert all(len(path) == (1 if path[-1] == "segment" else 2) for path in paths.values())
    assert len({path[0] for path in paths.values() if len(path) == 2}) == 3
    numbers = [
        (t, path[-1], float(value))
        for t, path, value in changes
        if path[-1] in sheet.columns and value != "x"
    ]
    told = [one for one in numbers if one[2] == one[2]]
    assert sorted(told) == [
        (0, "echo_us", 1748.0),
        (50, "air_c", 21.25),
        (100, "echo_us", 1750.5),
        (100, "pressure", 1013.0),
    ]
    rows = [(t, path[0]) for t, path, _ in changes if path[-1] == "row"]
    assert len(rows) == 5
