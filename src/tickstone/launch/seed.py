"""The demo: Fern with its first recordings from the simulated bench, Heron, and Plume. Invented readings,
made once."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import UTC, datetime, timedelta

import numpy as np
from sqlalchemy.orm import Session

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
    PUSHED_S: {
        "front-ranger.moves_mm_s": -60.0,
        "wheel.speed_m_s": 0.06,
        "line-row.moves_mm_s": -1.5,
        "room.motors": 0.3,
    },
    18: {"tilt.nose_up_deg": 4.0},
    STOPPED_S: {
        "front-ranger.moves_mm_s": 0.0,
        "wheel.speed_m_s": 0.0,
        "line-row.moves_mm_s": 0.0,
        "room.motors": 0.0,
    },
}

# Days ago, name, lamp, height in mm. The oldest takes no part in a choice by itself: it is there to test one.
LIGHTS = (
    (4.0, "Line row, the evening before", 0, 4.0),
    (3.0, "Line row, lamp off", 0, 4.0),
    (2.9, "Line row, lamp on", 1, 4.0),
    (2.0, "Line row, with a load of trays", 0, 3.0),
)
PLACE_S = 11
ROUGH_MM = 0.7
DUST_COUNTS, DUST_SHARE, DUST_NOISE = 620.0, 0.2, 24.0
APPROACHES: dict[int, dict[str, float]] = {
    0: {"front-ranger.target_mm": 900.0, "wheel.gain_m_s2": 2.0},
    **{
        start: {"front-ranger.moves_mm_s": speed, "wheel.speed_m_s": rolls}
        for start, speed, rolls in (
            (2, -160.0, 0.5),
            (7, 0.0, 0.0),
            (9, 160.0, 0.6),
            (14, -200.0, 0.8),
            (18, 0.0, 0.0),
            (20, 200.0, 1.0),
            (24, -160.0, 1.2),
            (29, 0.0, 0.3),
            (31, 160.0, 0.6),
            (36, -200.0, 0.9),
            (40, 0.0, 0.0),
            (42, 200.0, 0.5),
            (46, -160.0, 0.8),
            (51, 0.0, 0.3),
            (53, 160.0, 0.5),
        )
    },
    33: {"front-ranger.fault.zeros": 1.0},
    34: {"front-ranger.fault.zeros": 0.0},
    44: {"front-ranger.fault.spikes": 1.0},
    46: {"front-ranger.fault.spikes": 0.0, "front-ranger.moves_mm_s": -160.0},
}

Columns = dict[str, tuple[list[int], list[list[float]]]]


@dataclass(frozen=True)
class Said:
    """A mark of the demo: from and to (None: a moment), s, its words, and its conditions."""

    from_s: float
    to_s: float | None
    label: str
    conditions: dict[str, str | float] = field(default_factory=dict)


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
        now = datetime.now(UTC)
        keep(
            session,
            stored,
            "First look at the bench",
            now - timedelta(days=1, minutes=12),
            told(stored.rig, SCRIPT, SECONDS),
            [Said(2, None, "box stands"), Said(PUSHED_S, STOPPED_S, "pushed nearer")],
        )
        keep(
            session,
            stored,
            "Pushed at a box",
            now - timedelta(days=1, hours=1),
            told(stored.rig, APPROACHES, 60),
            [],
        )
        for number, (days, name, lamp, height_mm) in enumerate(LIGHTS):
            marks = [
                Said(
                    PLACE_S * i + 0.5,
                    PLACE_S * (i + 1) - 0.2,
                    place,
                    {"lamp": ("off", "on")[lamp], "height_mm": height_mm},
                )
                for i, place in enumerate(("ground", "line"))
            ]
            keep(
                session,
                stored,
                name,
                now - timedelta(days=days),
                stood(stored.rig, lamp, height_mm, number),
                marks,
            )
        type_value(session, SLUG, "front-ranger", "height", 118.0, 1.0, "by ruler")


def keep(
    session: Session,
    stored: rigs.StoredRig,
    name: str,
    started: datetime,
    rows: Columns,
    marks: Sequence[Said],
) -> None:
    """Store a recording of what was told, with its marks."""
    fitted = [sensor for sensor in stored.rig.sensors if sensor.id in rows]
    recording_id = recordings.begin(
        session,
        rig_id=stored.id,
        revision_id=stored.revision_id,
        name=name,
        origin="live",
        source="stand-in",
        clock="device",
        started_at=started,
        streams=[recordings.NewStream(s.id, s.id, kind(s.kind).channels_of(s.options)) for s in fitted],
    )
    seconds = 0
    for sensor, (times, readings) in rows.items():
        columns = [list(column) for column in zip(*readings, strict=True)]
        recordings.write_rows(session, recording_id, sensor, times, columns)
        seconds = max(seconds, round(times[-1] / 1e6))
    for mark in marks:
        t0, t1 = (None if at is None else round(at * 1e6) for at in (mark.from_s, mark.to_s))
        recordings.add_mark(session, recording_id, t0 or 0, t1, mark.label, conditions=mark.conditions)
    recordings.close(session, recording_id, ended_at=started + timedelta(seconds=seconds))
    log.write_entry(
        session, stored.id, "recording", f"Recording kept: {name}, {seconds} s", recording=recording_id
    )


def stood(rig: Rig, lamp: int, height_mm: float, seed: int) -> Columns:
    """The line row rolled over bare ground, then over tape, on a floor that is not even; its last sensor is
    dusty."""
    rough = np.random.default_rng(seed)
    row = replace(rig, sensors=tuple(sensor for sensor in rig.sensors if sensor.id == "line-row"))
    script = {
        second: {
            "room.lamp": float(lamp),
            "line-row.ground": 1.0 if second < PLACE_S else 2.0,
            "line-row.height_mm": max(1.0, height_mm + rough.normal(0.0, ROUGH_MM)),
        }
        for second in range(2 * PLACE_S)
    }
    times, readings = told(row, script, 2 * PLACE_S, seed)["line-row"]
    dusty = [
        [
            *each[:-1],
            float(round(DUST_COUNTS + (each[-1] - DUST_COUNTS) * DUST_SHARE + rough.normal(0.0, DUST_NOISE))),
        ]
        for each in readings
    ]
    return {"line-row": (times, dusty)}


def told(rig: Rig, script: Mapping[int, Mapping[str, float]], seconds: int, seed: int = 20) -> Columns:
    """Lines of the simulated bench, read by the same interpreter that reads a real board: times, µs, and rows
    by sensor."""
    board, interpreter = SimBoard(rig, seed=seed), Interpreter(rig)
    names = {s.id: [channel.name for channel in kind(s.kind).channels_of(s.options)] for s in rig.sensors}
    results: Columns = {}
    for second in range(seconds):
        board.move(script.get(second, {}))
        for line in board.lines((second + 1) * 1_000_000):
            read = interpreter.read(line, float(second))
            if not isinstance(read, Reading) or read.stamp_us is None:
                continue
            said: dict[str, dict[str, float]] = {}
            for (sensor, channel), value in read.values.items():
                said.setdefault(sensor, {})[channel] = value
            for sensor, channels in said.items():
                times, rows = results.setdefault(sensor, ([], []))
                times.append(read.stamp_us)
                rows.append([channels.get(name, math.nan) for name in names[sensor]])
    return results
