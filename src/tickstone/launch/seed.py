"""The demo: Fern with a first recording from the simulated bench, Heron, and Plume. Invented readings, made once."""

from __future__ import annotations

from dataclasses import replace
from datetime import UTC, datetime, timedelta

from tickstone.actions.constants import type_value
from tickstone.core.rigs.kinds import kind
from tickstone.core.rigs.templates import fern, heron, plume
from tickstone.link.parser import Field, Reading, parse
from tickstone.standin.bench import PING_S, Bench
from tickstone.store import log, recordings, rigs
from tickstone.store.database import Database

SLUG = "fern"
SECONDS = 45


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
            streams=[recordings.NewStream(s.id, s.id, kind(s.kind).channels) for s in stored.rig.sensors],
        )  # fmt: skip
        for sensor, (times, values) in _first_look().items():
            recordings.write_rows(session, recording_id, sensor, times, [values])
        recordings.add_mark(session, recording_id, 2_000_000, None, "box stands")
        recordings.add_mark(session, recording_id, 14_000_000, None, "pushed nearer")
        recordings.close(session, recording_id, ended_at=started + timedelta(seconds=SECONDS))
        log.write_entry(session, stored.id, "recording", f"Recording kept: First look at the bench, {SECONDS} s",
                        recording=recording_id)  # fmt: skip
        type_value(session, SLUG, "front-ranger", "height", 118.0, 1.0, "by ruler")


def _first_look() -> dict[str, tuple[list[int], list[float]]]:
    """Lines of the simulated bench, read by the same parser that reads a real board."""
    bench = Bench(seed=20)
    fields = {
        "echo_us": Field("front-ranger", "echo", 0.0, 400_000.0),
        "air_c": Field("air", "air", -273.0, 1000.0),
    }
    found: dict[str, tuple[list[int], list[float]]] = {"front-ranger": ([], []), "air": ([], [])}
    for ping in range(round(SECONDS / PING_S)):
        t_us = round(ping * PING_S * 1e6)
        if t_us == 14_000_000:
            bench.set(replace(bench.hands, drift_mm_s=-60.0))
        if t_us == 24_000_000:
            bench.set(replace(bench.hands, drift_mm_s=0.0))
        read = parse(bench.line(t_us), fields)
        if isinstance(read, Reading):
            for label, value in read.values.items():
                times, values = found[fields[label].sensor]
                times.append(t_us)
                values.append(value)
    return found
