"""The data model: revisions, streams with their own time axes, hand recordings, conditions, staleness,
stones."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from alembic.autogenerate import compare_metadata
from alembic.migration import MigrationContext
from sqlalchemy import create_engine, select

from tickstone.actions import calibrating, deciding, reading, stones, wiring
from tickstone.actions import rigs as rig_actions
from tickstone.actions.constants import settled, type_value
from tickstone.core.rigs.kinds import kind
from tickstone.core.rows import Batch, Rows
from tickstone.core.stones import compare
from tickstone.errors import BadInput, Conflict, NotFound, StoreAway
from tickstone.store import calibrations, codec, log, recordings, rigs, samples, tables
from tickstone.store.database import Database

RANGER = kind("ultrasonic-ranger")
AIR = kind("air-temperature")


def fern(session) -> rigs.StoredRig:
    return rigs.rig_named(session, "fern")


def new_recording(session, **changes) -> int:
    rig = fern(session)
    given = {
        "rig_id": rig.id,
        "revision_id": rig.revision_id,
        "name": "two rates",
        "origin": "live",
        "source": "stand-in",
        "clock": "device",
        "streams": [
            recordings.NewStream("front-ranger", "front-ranger", RANGER.channels),
            recordings.NewStream("air", "air", AIR.channels),
        ],
    }
    return recordings.begin(session, **{**given, **changes})


def test_the_migrations_make_exactly_the_tables_of_the_code(database_url: str) -> None:
    engine = create_engine(database_url.replace("postgresql://", "postgresql+psycopg://"))
    with engine.connect() as connection:
        context = MigrationContext.configure(connection, opts={"compare_type": True})
        assert compare_metadata(context, tables.Base.metadata) == []
    engine.dispose()


def test_two_streams_of_different_rates_keep_their_own_time_axes(database: Database) -> None:
    with database.transaction() as session:
        recording_id = new_recording(session)
    sink = samples.SampleSink(database)
    for second in range(30):
        batch = Batch(second + 1)
        pings = [second * 1_000_000 + i * 50_000 for i in range(20)]
        batch.rows["front-ranger"] = Rows([0] * 20, pings, [(1457.0 + i,) for i in range(20)])
        if second % 2 == 0:
            batch.rows["air"] = Rows([0], [second * 1_000_000 + 7], [(20.0 + second,)])
        sink.append(recording_id, batch)
        sink.append(recording_id, batch)  # a batch sent again after a broken connection is kept once
    with database.transaction() as session:
        before = recordings.recording(session, recording_id)
        recordings.close(session, recording_id)
        after = recordings.recording(session, recording_id)
        assert [(s.key, s.n, s.t1) for s in before.streams] == [(s.key, s.n, s.t1) for s in after.streams]
        assert {s.key: s.n for s in after.streams} == {"front-ranger": 600, "air": 15}
        ranger, air = after.stream_of("front-ranger"), after.stream_of("air")
        assert (ranger.t0, ranger.t1, air.t0, air.t1) == (0, 29_950_000, 7, 28_000_007)
        times, values = samples.rows_between(session, ranger, 10_000_000, 10_499_999)
        assert times.tolist() == [10_000_000 + i * 50_000 for i in range(10)]
        assert values[0].tolist() == [1457.0 + i for i in range(10)]
        assert session.scalars(select(tables.TailRow)).all() == []


def test_tails_fold_into_chunks_and_segments_never_mix(database: Database) -> None:
    with database.transaction() as session:
        recording_id = new_recording(session)
    sink, random = samples.SampleSink(database), np.random.default_rng(1)
    truth: list[float] = []
    for number in range(1, 13):
        values = random.normal(1500, 5, 2000).round(1)
        values[5] = np.nan
        truth += values.tolist()
        times = [((number - 1) * 2000 + i) * 500 for i in range(2000)]
        segment = 0 if number < 8 else 1
        sink.append(
            recording_id,
            Batch(number, {"front-ranger": Rows([segment] * 2000, times, [(v,) for v in values])}),
        )
    with database.transaction() as session:
        stream = recordings.recording(session, recording_id).stream_of("front-ranger")
        assert stream.n == len(truth)
        assert stream.segments == 2
        times, values = samples.rows_between(session, stream)
        np.testing.assert_array_equal(values[0], truth)
        assert np.all(np.diff(times) == 500)
        chunks = session.scalars(select(tables.ChunkRow).where(tables.ChunkRow.stream_id == stream.id)).all()
        assert len(chunks) >= 2
        assert all(chunk.n <= codec.CHUNK_ROWS for chunk in chunks)
        recordings.close(session, recording_id)
        seen = samples.chunk_overview(session, stream, 0, 0, 10**9)
        assert seen.low.min() == np.nanmin(truth)
        assert seen.high.max() == np.nanmax(truth)


def test_a_mark_carries_truth_and_conditions_and_comes_back_after_removal(database: Database) -> None:
    with database.transaction() as session:
        recording_id = new_recording(session)
        sensor_id = rigs.sensor_ids(session, fern(session).id)["front-ranger"]
        truth = {"quantity": "distance", "value": 400.0, "unit": "mm", "sd": 1.0}
        mark_id = recordings.add_mark(
            session,
            recording_id,
            5,
            10,
            "400 mm",
            sensor_id=sensor_id,
            truth=truth,
            conditions={"lamp": "off", "supply_v": 4.9},
        )
        (mark,) = recordings.marks_of(session, recording_id)
        assert (mark.truth, mark.conditions, mark.sensor) == (
            truth,
            {"lamp": "off", "supply_v": 4.9},
            "front-ranger",
        )
        recordings.set_mark_archived(session, mark_id, True)
        assert recordings.marks_of(session, recording_id) == []
        recordings.set_mark_archived(session, mark_id, False)
        recordings.change_mark(session, mark_id, label="by the ruler")
        assert recordings.marks_of(session, recording_id)[0].label == "by the ruler"


def test_a_change_to_an_older_revision_is_refused_and_undo_goes_back(database: Database) -> None:
    with database.transaction() as session:
        first = fern(session)
        wiring.choose_board(session, "fern", first.revision, "wide-3v3")
    with database.transaction() as session, pytest.raises(Conflict, match="changed this rig first"):
        wiring.choose_board(session, "fern", first.revision, "small-5v")
    with database.transaction() as session:
        second = fern(session)
        wiring.mend(session, "fern", second.revision, "level-too-high", "front-ranger", "echo")
        third = fern(session)
        assert third.rig.wire("front-ranger", "echo").divider is not None
        rig_actions.undo(session, "fern", third.revision)
        assert fern(session).rig == second.rig
        rig_actions.undo(session, "fern", second.revision)
        assert fern(session).rig == first.rig
        with pytest.raises(Conflict, match="nothing to undo"):
            rig_actions.undo(session, "fern", first.revision)
        wiring.move_wire(session, "fern", first.revision, "front-ranger", "echo", "int 1")
        assert fern(session).revision == third.revision + 1
        assert rigs.rig_of_revision(session, third.revision_id) == third.rig
        for seen in (first, second, third):
            assert rigs.number_of_revision(session, seen.revision_id) == seen.revision


def test_wires_go_only_to_places_that_are_there(database: Database) -> None:
    with database.transaction() as session:
        seen = fern(session).revision
        for sensor, pin, to, path in (
            ("front-ranger", "echo", "pin 99", "to"),
            ("front-ranger", "tail", "int 1", "pin"),
        ):
            with pytest.raises(BadInput) as refused:
                wiring.move_wire(session, "fern", seen, sensor, pin, to)
            assert refused.value.path == path


PAIRS = [
    {"true_mm": mm, "reading": 2000 * (mm + 3.0 + e) / 346.0}
    for mm, e in ((150, 0.3), (250, -0.2), (400, 0.1), (600, -0.3), (900, 0.2))
]


def choose(session, trip: float, clear: float) -> None:
    deciding.choose(session, "fern", "front-ranger", "obstacle", {"trip": trip, "clear": clear})


def calibrate(session) -> int:
    calibrating.notebook(session, "fern", "front-ranger", "ruler", PAIRS)
    mine = calibrating.draft(session, "fern", "front-ranger", "ruler")
    calibrating.accept(session, "fern", mine.id)
    return mine.id


def test_a_hand_recording_is_a_recording_and_a_constant_can_rest_on_it(database: Database) -> None:
    with database.transaction() as session:
        calibration_id = calibrate(session)
        found = recordings.recordings_of(session, fern(session).id)
        hand = next(r for r in found if r.origin == "hand")
        assert [m.truth["value"] for m in recordings.marks_of(session, hand.id)] == [
            p["true_mm"] for p in PAIRS
        ]
        values = settled(session, fern(session), "front-ranger")
        assert values["sound"].value == pytest.approx(346, abs=1)
        assert values["offset"].value == pytest.approx(-3, abs=0.6)
        assert {values[n].provenance.value for n in ("sound", "offset")} == {"measured"}
        assert values["sound"].recording_id == hand.id
        with pytest.raises(Conflict, match="finished"):
            calibrations.set_steps(session, calibration_id, [])


def test_what_rests_on_something_goes_stale_when_that_changes(database: Database) -> None:
    with database.transaction() as session:
        choose(session, 300, 350)
        assert settled(session, fern(session), "front-ranger")["trip"].stale == ""
        calibrate(session)
        assert "offset" in settled(session, fern(session), "front-ranger")["trip"].stale
        choose(session, 310, 360)
        assert settled(session, fern(session), "front-ranger")["trip"].stale == ""
        type_value(session, "fern", "front-ranger", "drive_speed", 0.6, None)
        assert settled(session, fern(session), "front-ranger")["trip"].stale == "cart speed changed since"
        wiring.choose_board(session, "fern", fern(session).revision, "wide-3v3")
        values = settled(session, fern(session), "front-ranger")
        assert values["sound"].stale == values["offset"].stale == "board changed since"
        rig_actions.undo(session, "fern", fern(session).revision)
        assert settled(session, fern(session), "front-ranger")["sound"].stale == ""


def test_a_stone_never_changes_and_two_can_be_compared(database: Database) -> None:
    with database.transaction() as session:
        assert stones.changed_since_last(session, fern(session)) == (0, 1)  # the height, read by a ruler
        assert stones.cut(session, "fern", "before") == 1
        assert stones.changed_since_last(session, fern(session)) == (1, 0)
        held = log.stone(session, fern(session).id, 1)
        calibrate(session)
        assert stones.changed_since_last(session, fern(session)) == (1, 2)
        assert log.stone(session, fern(session).id, 1) == held
        assert stones.cut(session, "fern", "after") == 2
        after = log.stone(session, fern(session).id, 2)
        changes = compare(list(held.lines), list(after.lines))
        changed = [c.name for c in changes if c.changed]
        assert {"sound", "offset"} <= set(changed)
        assert changes[: len(changed)] == [c for c in changes if c.changed]
        with pytest.raises(NotFound):
            log.stone(session, fern(session).id, 3)


def test_impossible_typed_values_are_refused_by_field(database: Database) -> None:
    with database.transaction() as session:
        for name, value, sd, path in (
            ("humidity", 120, None, "value"),
            ("height", -1, None, "value"),
            ("height", 100, -1, "sd"),
            ("air", float("nan"), None, "value"),
            ("floor_from", 3, None, "name"),
        ):
            with pytest.raises(BadInput) as refused:
                type_value(session, "fern", "front-ranger", name, value, sd)
            assert refused.value.path == path
        for trip, clear, path in ((5, 300, "trip"), (300, 200, "trip"), (9000, 9500, "trip")):
            with pytest.raises(BadInput) as refused:
                choose(session, trip, clear)
            assert refused.value.path == path
        for rows in ([], [{"true_mm": 150, "reading": 0.0}], [{"true_mm": 1e9, "reading": 900.0}]):
            with pytest.raises(BadInput):
                calibrating.notebook(session, "fern", "front-ranger", "ruler", rows)


def test_dropouts_enter_neither_noise_nor_decision_nor_trace(database: Database) -> None:
    random = np.random.default_rng(5)
    echo = 2000 * 853 / 346 + random.normal(0, 6, 3000)
    clean = echo.copy()
    echo[random.random(3000) < 0.4] = 0.0
    with database.transaction() as session:
        ids = []
        for values in (clean, echo):
            recording_id = new_recording(session)
            recordings.write_rows(session, recording_id, "front-ranger", np.arange(3000) * 50_000, [values])
            recordings.close(session, recording_id)
            ids.append(recording_id)
        trips = []
        for recording_id in ids:
            floor = deciding.work(session, "fern", "front-ranger", "obstacle", [recording_id]).decided.drawing
            assert floor is not None
            trips.append(floor.trip_mm)
        assert trips == pytest.approx([240 + 3 * 6 * 346 / 2000] * 2, abs=2)
        trace = reading.trace(session, ids[1], "front-ranger", None, None, 50)
        assert np.nanmin(trace.low) > 800
        assert np.nanmin(trace.raw_low) == 0
        at = reading.at_cursor(session, ids[1], "front-ranger", float(np.flatnonzero(echo == 0)[0]) * 0.05)
        assert (at.value, at.reason) == (None, "dropout")


def test_old_recordings_convert_with_todays_constants_and_that_days_air(database: Database) -> None:
    with database.transaction() as session:
        recording_id = new_recording(session)
        recordings.write_rows(session, recording_id, "front-ranger", [0, 10_000_000], [[4000.0, 4000.0]])
        recordings.write_rows(session, recording_id, "air", [0, 10_000_000], [[10.0, 30.0]])
        recordings.close(session, recording_id)
        cold, warm = reading.trace(session, recording_id, "front-ranger", None, None, 10).low
        assert warm / cold == pytest.approx(350.3 / 337.8, rel=1e-3)  # Cramer, 50 % humidity
        calibrate(session)
        cold_after, warm_after = reading.trace(session, recording_id, "front-ranger", None, None, 10).low
        assert cold_after != cold
        assert (warm_after + 3) / (cold_after + 3) == pytest.approx(350.3 / 337.8, rel=2e-3)


def test_recordings_left_live_are_closed_at_the_next_start(database: Database) -> None:
    with database.transaction() as session:
        recording_id, own = new_recording(session), new_recording(session)
        assert recordings.close_orphans(session, [own]) == 1
        assert recordings.recording(session, own).status == "live"
        recordings.close(session, own)
        assert recordings.recording(session, recording_id).status == "cut"
        assert recordings.close_orphans(session) == 0


def test_archiving_keeps_what_rests_on_a_recording(database: Database) -> None:
    with database.transaction() as session:
        calibrate(session)
        rig_id = fern(session).id
        hand = next(r for r in recordings.recordings_of(session, rig_id) if r.origin == "hand")
        recordings.set_archived(session, hand.id, True)
        assert hand.id not in [r.id for r in recordings.recordings_of(session, rig_id)]
        assert recordings.recording(session, hand.id).streams[0].n == 5
        assert settled(session, fern(session), "front-ranger")["sound"].recording_id == hand.id


def test_the_log_is_searched_by_words_and_beginnings(database: Database) -> None:
    with database.transaction() as session:
        rig_id = fern(session).id
        log.write_entry(session, rig_id, "note", "Moved the lamp; trays 'A' & (B) wet")
        assert [e.text for e in log.entries(session, rig_id, "lam wet")] == [
            "Moved the lamp; trays 'A' & (B) wet"
        ]
        assert log.entries(session, rig_id, "&|!():* '") != []
        assert log.entries(session, rig_id, "zeppelin") == []


def test_a_database_that_is_not_there_is_said_to_be_away() -> None:
    away = Database("postgresql://nobody:x@127.0.0.1:1/none")
    assert not away.ping()
    with pytest.raises(StoreAway), away.transaction() as session:
        session.execute(select(1))


def test_a_rig_document_survives_the_database(database: Database) -> None:
    with database.transaction() as session:
        stored = fern(session)
        plain = rigs.RIG_DOCUMENT.dump_python(stored.rig, mode="json")
        assert rigs.RIG_DOCUMENT.validate_python(plain) == stored.rig
        with pytest.raises(Conflict):
            rigs.new_rig(session, "fern", replace(stored.rig), "again")


def test_a_long_span_is_drawn_from_the_chunks_and_shows_every_spike(database: Database, monkeypatch) -> None:
    random = np.random.default_rng(6)
    echo = random.normal(4920, 4, 60_000).round()
    echo[::500] = 0.0
    echo[41_234] = 21_000.0
    with database.transaction() as session:
        recording_id = new_recording(session)
        recordings.write_rows(session, recording_id, "front-ranger", np.arange(60_000) * 5000, [echo])
        recordings.write_rows(session, recording_id, "air", [0, 300_000_000], [[20.0, 24.0]])
        recordings.close(session, recording_id)
        exact = reading.trace(session, recording_id, "front-ranger", None, None, 100)
        monkeypatch.setattr(reading, "UNPACK_AT_MOST", 0)
        for _ in range(2):  # computed, then from the cache
            found = reading.trace(session, recording_id, "front-ranger", None, None, 100)
            assert len(found.times_s) == min(100, 8 * reading.BINS_A_CHUNK)
            assert np.nanmax(found.raw_high) == 21_000.0
            assert np.nanmin(found.raw_low) == 0.0
            assert np.nanmin(found.low) == pytest.approx(np.nanmin(exact.low))
            assert np.nanmax(found.high) == pytest.approx(np.nanmax(exact.high))


@pytest.mark.parametrize("step", [1, 2**31 - 1, 2**31, 2**33])
def test_times_come_back_however_long_nothing_came(step: int) -> None:
    """A step of more than 36 minutes does not fit 32 bits of microseconds."""
    times = np.array([-5, 7, 7 + step, 8 + step], np.int64)
    assert codec.unpack_times(codec.pack_times(times)).tolist() == times.tolist()
