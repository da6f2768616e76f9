"""The demo: Fern with a first recording from the simulated bench, Heron, and Plume. Invented readings, made once."""

from __future__ import annotations

import math
from datetime import UTC, datetime, timedelta

from tickstone.actions.constants import type_value
from tickstone.core.rigs.kinds import kind
from tickstone.core.rigs.rig import Rig
from tickstone.core.rigs.templates import fern, heron, plume
from tickstone.link.interpreter import Interpreter, Reading
from tickstone.standin.board import SimBoard
from tickstone.store import log, recordings, rigs
from tickstone.store.database import Database

SLUG = "fern"
SECONDS = 45
PUSHED_S, STOPPED_S = 14, 24
SCRIPT: dict[int, dict[str, float]] = {
    0: {"wheel.speed_m_s": 0.0, "line-row.line_mm": 3.0},
    PUSHED_S: {"front-ranger.moves_mm_s": -60.0, "wheel.speed_m_s": 0.06, "line-row.moves_mm_s": -1.5, "room.motors": 0.3},
    18: {"tilt.nose_up_deg": 4.0},
    STOPPED_S: {"front-ranger.moves_mm_s": 0.0, "wheel.speed_m_s": 0.0, "line-row.moves_mm_s": 0.0, "room.motors": 0.0},
}  # fmt: skip

Columns = dict[str, tuple[list[int], list[list[float]]]]


def seed(database: Database) -> None:
    """Fill an empty demo database; a filled one is left as it is."""
    with database.transaction() as session:
        if any(rig.slug == SLUG for rig in rigs.all_rigs(session)):
            return
        stored = rigs.new_rig(session, SLUG, fern(), "First wiring")
        log.write_entry(session, stored.id, "wiring", f"Fern set up on the {stored.rig.board.title}")
        for slug, rig in (("heron", heron()), ("plume", plume())):
            other = rigs.new_rig(session, slug, rig, "First wiring")
            log.write_entry(session, other.id, "wiring", f"{rig.title} set up on the {rig.board.title}")
        started = datetime.now(UTC) - timedelta(days=1, minutes=12)
        recording_id = recordings.begin(
            session, rig_id=stored.id, revision_id=stored.revision_id, name="First look at the bench", origin="live",
            source="stand-in", clock="device", started_at=started,
            streams=[recordings.NewStream(s.id, s.id, kind(s.kind).channels_of(s.options)) for s in stored.rig.sensors],
        )  # fmt: skip
        for sensor, (times, rows) in first_look(stored.rig).items():
            recordings.write_rows(
                session, recording_id, sensor, times, [list(column) for column in zip(*rows, strict=True)]
            )
        recordings.add_mark(session, recording_id, 2_000_000, None, "box stands")
        recordings.add_mark(session, recording_id, PUSHED_S * 1_000_000, STOPPED_S * 1_000_000, "pushed nearer")
        recordings.close(session, recording_id, ended_at=started + timedelta(seconds=SECONDS))
        log.write_entry(session, stored.id, "recording", f"Recording kept: First look at the bench, {SECONDS} s",
                        recording=recording_id)  # fmt: skip
        type_value(session, SLUG, "front-ranger", "height", 118.0, 1.0, "by ruler")


def first_look(rig: Rig) -> Columns:
    """Lines of the simulated bench, read by the same interpreter that reads a real board: times, µs, and rows by sensor."""
    board, interpreter = SimBoard(rig, seed=20), Interpreter(rig)
    names = {s.id: [channel.name for channel in kind(s.kind).channels_of(s.options)] for s in rig.sensors}
    found: Columns = {}
    for second in range(SECONDS):
        board.move(SCRIPT.get(second, {}))
        for line in board.lines((second + 1) * 1_000_000):
            read = interpreter.read(line, float(second))
            if not isinstance(read, Reading) or read.stamp_us is None:
                continue
            told: dict[str, dict[str, float]] = {}
            for (sensor, channel), value in read.values.items():
                told.setdefault(sensor, {})[channel] = value
            for sensor, channels in told.items():
                times, rows = found.setdefault(sensor, ([], []))
                times.append(read.stamp_us)
                rows.append([channels.get(name, math.nan) for name in names[sensor]])
    return found
