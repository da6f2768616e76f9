"""Recordings taken in, given out, read out, cut and joined, in a real database."""

from __future__ import annotations

import tempfile
from collections.abc import Callable
from dataclasses import replace
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from tickstone.actions import cutting, exporting, importing, lanes, reading, stones
from tickstone.actions import rigs as bench
from tickstone.actions.constants import type_value
from tickstone.core.rigs.kinds import kind
from tickstone.errors import BadInput, Conflict, NotFound
from tickstone.store import recordings, rigs, samples
from tickstone.store.codec import CHUNK_ROWS
from tickstone.store.database import Database

Streams = dict[str, tuple[list[int], list[int], list[list[float]]]]
FORMS = list(exporting.FORMS)
SENSORS = ("front-ranger", "air", "tilt")
TIMES = st.lists(st.integers(0, 40_000), min_size=1, max_size=12)


@st.composite
def streams(draw: st.DrawFn) -> Streams:
    """Rows of some sensors: times that rise or repeat, segments, values that are missing or not whole."""
    found: Streams = {}
    for key, low, high, width in (
        ("front-ranger", 0, 30_000, 1),
        ("air", -40, 80, 1),
        ("tilt", -32_768, 32_767, 6),
    ):
        if not draw(st.booleans()) and (found or key != "tilt"):
            continue
        times = sorted(draw(TIMES))
        segments = np.cumsum([0, *[draw(st.booleans()) and key == "tilt" for _ in times[1:]]]).tolist()
        number = st.floats(low, high, width=32) | st.integers(low, high).map(float)
        rows = [
            [draw(number) if column == 0 else draw(number | st.just(float("nan"))) for column in range(width)]
            for _ in times
        ]
        found[key] = times, segments, rows
    return found


def kept(database: Database, made: Streams, name: str = "made up") -> int:
    """A recording of these rows."""
    with database.transaction() as session:
        rig = rigs.rig_named(session, "fern")
        new = [
            recordings.NewStream(
                key, key, kind(rig.rig.sensor(key).kind).channels_of(rig.rig.sensor(key).options)
            )
            for key in made
        ]
        recording_id = recordings.begin(
            session,
            rig_id=rig.id,
            revision_id=rig.revision_id,
            name=name,
            origin="live",
            source="stand-in",
            clock="device",
            streams=new,
            started_at=datetime(2026, 5, 14, 10, tzinfo=UTC),
            note="=not a formula",
        )
        writer = samples.ChunkWriter(session, recording_id)
        for key, (times, segments, rows) in made.items():
            writer.add(key, np.array(times), np.array(segments), np.array(rows).T)
        writer.finish()
        recordings.add_mark(
            session,
            recording_id,
            3,
            20_000,
            "on the tape, quite",
            truth={"quantity": "x", "value": 1.5},
            conditions={"lamp": "on"},
        )
        recordings.add_odd_lines(session, recording_id, [recordings.StoredOddLine(5, "g$rb;ge,", "garbled")])
        recordings.close(session, recording_id, status="closed", why="Stopped by hand.")
    return recording_id


def content(database: Database, recording_id: int) -> tuple[Any, ...]:
    """Everything that a recording is, comparable."""
    with database.transaction() as session:
        found = recordings.recording(session, recording_id)
        every = {}
        for stream in found.streams:
            times, values, segments = samples.rows_with_segments(session, stream)
            columns = [(one.sensor, one.channel, one.unit, one.form) for one in stream.columns]
            every[stream.key] = (times.tolist(), segments.tolist(), repr((values + 0.0).tolist()), columns)
        marks = [
            (m.t0, m.t1, m.label, m.sensor, m.truth, m.conditions)
            for m in recordings.marks_of(session, recording_id)
        ]
        odd = recordings.odd_lines(session, recording_id)
        return (
            found.name,
            found.note,
            found.source,
            found.started_at,
            found.ended_at,
            found.ended_why,
            found.rig_revision_id,
            every,
            marks,
            odd,
        )


@pytest.fixture(scope="module")
def shared(new_database: Callable[[], str]) -> Any:
    opened = Database(new_database())
    yield opened
    opened.close()


@pytest.mark.parametrize("form", FORMS)
@settings(max_examples=8, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(made=streams(), converted=st.booleans())
def test_what_is_given_out_and_taken_in_again_is_the_same(
    shared: Database, form: str, made: Streams, converted: bool
) -> None:
    first = kept(shared, made)
    file = exporting.export(shared, first, exporting.ExportRequest(form, converted=converted))
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / file.name
        path.write_bytes(b"".join(file.pieces))
        again = importing.take_in(shared, "fern", path, importing.Wish("another name"))
    assert content(shared, again) == content(shared, first)


def test_a_span_by_a_stones_constants(database: Database) -> None:
    with database.transaction() as session:
        stone = stones.cut(session, "fern", "before")
        type_value(session, "fern", "front-ranger", "offset", 100.0, 1.0)
    whole = exporting.ExportRequest("csv", stone=stone)
    text = {
        name: b"".join(exporting.export(database, 1, asked).pieces).decode()
        for name, asked in {
            "then": whole,
            "now": exporting.ExportRequest("csv"),
            "span": exporting.ExportRequest("csv", 1_000_000, 2_000_000),
        }.items()
    }
    at = {}
    for name, said in text.items():
        lines = [line for line in said.splitlines() if not line.startswith("#")]
        columns = lines[0].split(",")
        cells = [line.split(",") for line in lines[1:]]
        at[name] = [float(row[columns.index("front_ranger_distance_mm")]) for row in cells if row[1]]
        assert columns[:2] == ["t_us", "echo_us"]
    assert np.array(at["now"]) - np.array(at["then"]) == pytest.approx(100.0, abs=1e-6)
    assert len(at["span"]) == 21
    with database.transaction() as session:
        (then,) = lanes.lanes(session, 1, ["front-ranger"], None, None, 4000, stone)
        (now,) = lanes.lanes(session, 1, ["front-ranger"], None, None, 4000)
        assert now.low - then.low == pytest.approx(100.0, abs=1e-6)
        with pytest.raises(NotFound):
            lanes.lanes(session, 1, ["front-ranger"], None, None, 100, stone + 1)
        with pytest.raises(NotFound, match="nothing of"):
            lanes.lanes(session, 1, ["moon"], None, None, 100)


def test_an_export_says_which_revision_it_was_recorded_with_and_when_it_begins(database: Database) -> None:
    def told(**asked: Any) -> tuple[str, list[int]]:
        text = b"".join(
            exporting.export(database, 1, exporting.ExportRequest("csv", **asked)).pieces
        ).decode()
        head, rows = text.split("t_us", 1)
        return head, [int(row.split(",")[0]) for row in rows.splitlines()[1:]]

    with database.transaction() as session:
        revision = rigs.rig_named(session, "fern").revision
        bench.rename(session, "fern", revision, "Fern again", "greenhouse tray cart")
        assert rigs.rig_named(session, "fern").revision == revision + 1
    head, times = told()
    assert f"revision {revision}" in head
    assert "revision 2" not in head
    assert told(t0=times[3], t1=times[9])[1] == times[3:10]
    assert told(t0=-5)[1] == times


def test_a_spike_is_in_every_overview_and_dropouts_are_no_distance(database: Database) -> None:
    n = 40_000
    echoes = np.full(n, 1750.0)
    echoes[::50] = 0.0
    echoes[31_111] = 9000.0
    recording_id = kept(
        database, {"front-ranger": (list(range(0, n * 500, 500)), [0] * n, echoes[:, None].tolist())}
    )
    with database.transaction() as session:
        (raw,) = lanes.lanes(session, recording_id, ["front-ranger.echo"], None, None, 300)
        (distance,) = lanes.lanes(session, recording_id, ["front-ranger"], None, None, 300)
        (told,) = lanes.read_outs(session, recording_id, ["front-ranger"], 0, 20)
        (moment,) = lanes.at_cursor(session, recording_id, ["front-ranger.echo"], 31_111 * 500e-6)
    assert (np.nanmax(raw.high), np.nanmin(raw.low), len(raw.times_s) <= 300) == (9000, 0, True)
    assert np.nanmax(distance.high) > 1500 > 300 > 1 / np.nanmin(distance.low)
    assert (told.statistics.n, told.statistics.missing) == (n, n // 50)
    assert told.statistics.rate_hz == pytest.approx(2000)
    assert moment.value == 9000


def test_a_whole_overview_is_in_order_where_chunks_with_and_without_gaps_follow_one_another(
    database: Database, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Chunks without gaps are worked side by side, those with them one by one: the overview is the same in
    time's order."""
    monkeypatch.setattr(samples, "CHUNKS_TOGETHER", 1)
    n = 8 * CHUNK_ROWS
    rows = np.tile([0.0, 0.0, 16384.0, 0.0, 0.0, 0.0], (n, 1))
    rows[:, 0] = np.arange(n) // CHUNK_ROWS  # each chunk has a number of its own
    for chunk in (2, 3, 6):
        rows[chunk * CHUNK_ROWS + 5 :: 100, 2][: CHUNK_ROWS // 100] = np.nan
    recording_id = kept(database, {"tilt": (list(range(0, n * 1000, 1000)), [0] * n, rows.tolist())})
    with database.transaction() as session:
        found = recordings.recording(session, recording_id)
        stream = found.stream_of("tilt")
        times, low, high, *_ = reading._whole_overview(
            session, stream, reading.Converter(session, found, "tilt")
        )
    assert (np.diff(times) > 0).all()
    assert times.size >= 8 * reading.BINS_A_CHUNK - 8
    assert low == pytest.approx(np.floor(times * 1000 / CHUNK_ROWS), abs=1)
    assert (high >= low).all()


def test_only_what_is_long_is_got_ready_to_be_opened(
    database: Database, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(reading, "UNPACK_AT_MOST", 1)
    rows = [[float(place % 7)] for place in range(CHUNK_ROWS + 1)]
    times = list(range(0, len(rows) * 1000, 1000))
    short = kept(database, {"air": (times[:-1], [0] * CHUNK_ROWS, rows[:-1])})
    long = kept(database, {"air": (times, [0] * len(rows), rows)})
    with database.transaction() as session:
        rig = rigs.rig_named(session, "fern").rig
        both = [recordings.recording(session, one) for one in (long, short)]
    assert reading.slow_to_open(rig, both) == [(long, "air")]
    taken_off = replace(rig, sensors=tuple(one for one in rig.sensors if one.id != "air"))
    assert reading.slow_to_open(taken_off, both) == []
    reading.warm(database, [(long, "air")])
    with database.transaction() as session:
        assert reading.trace(session, long, "air", None, None, 2).high.max() == 6


def test_trimmed_split_and_joined_nothing_is_lost(database: Database) -> None:
    times = list(range(0, 100_000, 1000))
    first = kept(
        database, {"air": (times, [0] * 50 + [1] * 50, [[20 + i / 10] for i in range(100)])}, "first"
    )
    before = content(database, first)[-3]["air"]
    with database.transaction() as session:
        done = cutting.trim(session, first, 10_000, 29_000)
        assert done.put_away == [first]
        assert recordings.recording(session, first).archived_at is not None
    trimmed = content(database, done.made[0])
    assert trimmed[-3]["air"][0] == list(range(0, 20_000, 1000))
    assert [mark[:3] for mark in trimmed[-2]] == [(0, 10_000, "on the tape, quite")]
    with database.transaction() as session:
        recordings.set_archived(session, first, False)
        parts = cutting.split(session, first, 40_500)
        joined = cutting.join(session, "fern", parts.made)
        found = recordings.recording(session, joined.made[0])
        assert [one["recording"] for one in found.made_from] == parts.made
        with pytest.raises(Conflict, match="archived"):
            cutting.split(session, first, 40_500)
        recordings.set_archived(session, first, False)
        for wrong in (0, 1_000_000):
            with pytest.raises(BadInput, match="within the recording"):
                cutting.split(session, first, wrong)
        with pytest.raises(BadInput, match="from 2 to"):
            cutting.join(session, "fern", [first])
        with pytest.raises(BadInput, match="end after"):
            cutting.trim(session, first, 5, 5)
        recordings.set_archived(session, first, True)
    after = content(database, joined.made[0])
    assert (after[-3]["air"][0], after[-3]["air"][2]) == (before[0], before[2])
    assert after[-3]["air"][1] == [0] * 41 + [1] * 9 + [2] * 50  # where they were joined a segment begins
    with database.transaction() as session:
        put_away = {one.id for one in recordings.recordings_of(session, 1, archived=True)}
    assert {first, *parts.made} <= put_away


@pytest.mark.parametrize(
    ("rows", "said", "times"),
    [
        ("0,1\n20,2\n5,3\n25,4\n", "fell back once", [0, 20_000, 40_000, 60_000]),
        ("0,1\n0,2\n0,3\n", "2 rows have the time", [0, 0, 0]),
        ("4294967290,1\n4,2\n", "", [0, 10_000]),
        ("0,1\n,2\n20,3\n", "One line of the file", [0, 20_000]),
        ("0,1\n10,-4\n20,3\n", "One line of the file", [0, 20_000]),
    ],
)
def test_times_that_fall_or_repeat_and_readings_that_cannot_be(
    database: Database, tmp_path: Path, rows: str, said: str, times: list[int]
) -> None:
    path = tmp_path / "odd.csv"
    path.write_text("t_ms,echo_us\n" + rows)
    found = content(database, importing.take_in(database, "fern", path, importing.Wish("odd")))
    begun = found[-3]["front-ranger"][0]
    assert np.diff(begun).tolist() == np.diff(times).tolist()
    assert said in found[5]
    assert found[5].count(".") == (1 if said else 0)


def test_a_column_that_is_no_time_is_refused(database: Database, tmp_path: Path) -> None:
    path = tmp_path / "odd.csv"
    path.write_text("t_ms,echo_us\n" + "".join(f"{i % 2},{i}\n" for i in range(4000)))
    before = len(database_recordings(database))
    with pytest.raises(BadInput, match="no time"):
        importing.take_in(database, "fern", path, importing.Wish("odd"))
    assert len(database_recordings(database)) == before


def database_recordings(database: Database) -> list[recordings.StoredRecording]:
    with database.transaction() as session:
        return recordings.recordings_of(session, 1)
