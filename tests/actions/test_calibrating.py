"""Calibrations over a real database: evidence, what makes them stale, and what is refused."""

from __future__ import annotations

import pytest
from sqlalchemy.orm import Session

from tickstone.actions import calibrating, comparing, procedures
from tickstone.actions.constants import settled, type_value
from tickstone.core.calibration.surroundings import as_it_is_now
from tickstone.core.constants import Provenance
from tickstone.errors import BadInput, Conflict, NotFound
from tickstone.store import calibrations, constants, log, recordings, rigs
from tickstone.store.database import Database

SLUG = "fern"
PAIRS = [{"true_mm": mm, "reading": 2000 * (mm + 3) / 345.0} for mm in (150.0, 400.0, 700.0, 900.0)]


def values(session: Session, sensor: str) -> dict:
    return settled(session, rigs.rig_named(session, SLUG), sensor)


def accepted(
    session: Session, sensor: str, procedure: str, rows: list[dict], extras: tuple[str, ...] = ()
) -> int:
    calibrating.notebook(session, SLUG, sensor, procedure, rows)
    mine = calibrating.draft(session, SLUG, sensor, procedure)
    calibrating.accept(session, SLUG, mine.id, extras)
    return mine.id


def test_a_notebook_becomes_a_recording_with_marks_and_measured_constants(database: Database) -> None:
    with database.transaction() as session:
        accepted(session, "front-ranger", "ruler", PAIRS)
        found = values(session, "front-ranger")
        assert found["sound"].provenance is Provenance.MEASURED
        assert found["sound"].value == pytest.approx(345.0)
        kept = recordings.recording(session, found["sound"].recording_id)
        assert (kept.origin, kept.stream_of("front-ranger").n) == ("hand", 4)
        assert [mark.truth["value"] for mark in recordings.marks_of(session, kept.id)] == [150, 400, 700, 900]
        entries = log.entries(session, rigs.rig_named(session, SLUG).id)
        assert any("ruler against echo" in entry.text for entry in entries)


def test_marks_of_a_recording_are_taken_and_those_that_do_not_fit_are_told(database: Database) -> None:
    with database.transaction() as session:
        accepted(session, "front-ranger", "ruler", PAIRS)
        recording_id = values(session, "front-ranger")["sound"].recording_id
        recordings.add_mark(
            session, recording_id, 30_000_000, None, "500 mm", truth={"quantity": "distance", "value": 500.0}
        )
        taken, refused = calibrating.from_recording(session, SLUG, "front-ranger", "ruler", recording_id)
        assert taken == 4
        assert len(refused) == 1
        assert "500 mm at 30.0 s" in refused[0]
        with pytest.raises(BadInput, match="speaks of"):
            calibrating.from_recording(session, SLUG, "front-ranger", "filter", recording_id)


def test_before_and_after_are_told_in_words_and_numbers(database: Database) -> None:
    with database.transaction() as session:
        stored = rigs.rig_named(session, SLUG)
        old = recordings.recordings_of(session, stored.id)[0]
        with pytest.raises(BadInput, match="Nothing is fitted yet"):
            comparing.before_after(session, SLUG, "front-ranger", "ruler", old.id)
        calibrating.notebook(session, SLUG, "front-ranger", "ruler", PAIRS)
        found = comparing.before_after(session, SLUG, "front-ranger", "ruler", old.id)
        assert found.said.startswith("Readings move by")
        assert found.times_s.shape == found.before.shape == found.after.shape
        # nothing was taken over
        assert values(session, "front-ranger")["sound"].provenance is Provenance.DERIVED


def test_constants_drift_from_one_calibration_to_the_next(database: Database) -> None:
    with database.transaction() as session:
        accepted(session, "front-ranger", "ruler", PAIRS)
        accepted(
            session, "front-ranger", "ruler", [{**pair, "reading": pair["reading"] * 1.01} for pair in PAIRS]
        )
        opened = procedures.opened(session, SLUG, "front-ranger", "ruler")
        assert len(opened.past) == 2
        drifts = {drift.name: drift for drift in opened.drifts}
        assert [round(value, 1) for value in drifts["sound"].values] == [345.0, 341.6]
        assert (drifts["offset"].label, drifts["offset"].unit) == ("offset", "mm")


def test_a_circumference_goes_stale_with_the_load_it_was_rolled_under(database: Database) -> None:
    with database.transaction() as session:
        accepted(
            session,
            "wheel",
            "roll-out",
            [{"turns": 10.0, "distance_mm": 11_900.0 + i, "load_kg": 4.0} for i in range(3)],
        )
        found = values(session, "wheel")
        assert (found["load"].value, found["circumference"].stale) == (4.0, "")
        type_value(session, SLUG, "wheel", "load", 9.0, None)
        assert values(session, "wheel")["circumference"].stale == "load carried changed since"


def test_what_was_measured_on_another_supply_or_in_another_air_is_stale(database: Database) -> None:
    with database.transaction() as session:
        stored = rigs.rig_named(session, SLUG)
        sensor_id = rigs.sensor_ids(session, stored.id)["line-row"]
        for name, condition in (("white", {"supply_v": 8.2}), ("black", {"air_c": 12.0})):
            constants.add(
                session,
                stored.id,
                sensor_id,
                constants.NewValue(name, 200.0, "counts", 2.0, Provenance.MEASURED, "test", condition),
            )
        found = values(session, "line-row")
        assert not as_it_is_now(found, 20.0, 8.0)["white"].stale
        assert (
            as_it_is_now(found, 20.0, 6.9)["white"].stale == "measured on 8.2 V, the supply gives 6.9 V now"
        )
        assert as_it_is_now(found, 31.0, None)["black"].stale == "measured at 12 °C, it is 31 °C now"
        assert not as_it_is_now(found, None, None)["black"].stale


def test_too_few_steps_and_lines_that_cannot_be_are_refused_and_nothing_is_lost(database: Database) -> None:
    with database.transaction() as session:
        calibrating.notebook(session, SLUG, "front-ranger", "ruler", PAIRS[:2])
        mine = calibrating.draft(session, SLUG, "front-ranger", "ruler")
        with pytest.raises(Conflict, match="third"):
            calibrating.accept(session, SLUG, mine.id)
        with pytest.raises(BadInput) as refused:
            calibrating.notebook(
                session, SLUG, "front-ranger", "ruler", [{"true_mm": 400.0, "reading": -1.0}]
            )
        assert refused.value.path == "reading"
        with pytest.raises(BadInput) as refused:
            calibrating.notebook(session, SLUG, "front-ranger", "ruler", [{"true_mm": 400.0}])
        assert refused.value.path == "reading"
        assert len(calibrating.draft(session, SLUG, "front-ranger", "ruler").steps) == 2
        calibrating.reject(session, SLUG, mine.id)
        assert calibrations.calibration(session, mine.id).state == "rejected"
        assert calibrating.draft(session, SLUG, "front-ranger", "ruler").id != mine.id


def test_what_was_put_away_is_brought_back_unless_something_is_held_anew(database: Database) -> None:
    with database.transaction() as session:
        calibrating.notebook(session, SLUG, "front-ranger", "ruler", PAIRS)
        mine = calibrating.draft(session, SLUG, "front-ranger", "ruler")
        with pytest.raises(Conflict):
            calibrating.bring_back(session, SLUG, "front-ranger", "ruler", mine.id)  # it is not archived
    with database.transaction() as session:
        calibrating.reject(session, SLUG, mine.id)
        assert calibrating.draft(session, SLUG, "front-ranger", "ruler").steps == []
        calibrating.bring_back(session, SLUG, "front-ranger", "ruler", mine.id)
        assert len(calibrating.draft(session, SLUG, "front-ranger", "ruler").steps) == len(PAIRS)
    with database.transaction() as session:
        calibrating.reject(session, SLUG, mine.id)
        calibrating.notebook(session, SLUG, "front-ranger", "ruler", PAIRS[:1])
        with pytest.raises(Conflict, match="held anew"):
            calibrating.bring_back(session, SLUG, "front-ranger", "ruler", mine.id)
        with pytest.raises(NotFound):
            calibrating.bring_back(session, SLUG, "front-ranger", "air", mine.id)


@pytest.mark.parametrize(
    ("truth", "field"),
    [
        ({"turns": 2.5, "distance_mm": 3000}, "turns"),
        ({"turns": -3, "distance_mm": 3000}, "turns"),
        ({"turns": 10, "distance_mm": 20.45}, "distance_mm"),
        ({"turns": 10}, "distance_mm"),
    ],
)
def test_what_cannot_be_a_roll_out_is_refused_and_nothing_is_noted(
    database: Database, truth: dict[str, float], field: str
) -> None:
    with database.transaction() as session:
        with pytest.raises(BadInput) as refused:
            calibrating.type_step(session, SLUG, "wheel", "roll-out", "run 1", truth)
        assert refused.value.path == field
        with pytest.raises(BadInput):
            calibrating.notebook(session, SLUG, "wheel", "roll-out", [truth])
        assert calibrating.draft(session, SLUG, "wheel", "roll-out").steps == []
        calibrating.type_step(
            session, SLUG, "wheel", "roll-out", "run 1", {"turns": 10, "distance_mm": 12_100}
        )
        assert len(calibrating.draft(session, SLUG, "wheel", "roll-out").steps) == 1


def test_runs_from_a_notebook_get_the_numbers_that_are_free(database: Database) -> None:
    runs = [{"turns": 10, "distance_mm": 12_100 + run} for run in range(3)]
    with database.transaction() as session:
        assert calibrating.notebook(session, SLUG, "wheel", "roll-out", runs[:2]) == 2
        assert calibrating.notebook(session, SLUG, "wheel", "roll-out", runs[2:]) == 1
        steps = calibrating.draft(session, SLUG, "wheel", "roll-out").steps
        assert [step["key"] for step in steps] == ["run 1", "run 2", "run 3"]
        assert [step["truth"]["distance_mm"] for step in steps] == [12_100, 12_101, 12_102]
