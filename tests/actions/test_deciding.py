"""Choices are made on the recordings named, remember what they rest on, and are refused where they cannot
be."""

from __future__ import annotations

import pytest
from sqlalchemy import select

from tickstone.actions import calibrating, deciding, stones
from tickstone.actions.constants import settled
from tickstone.core.constants import Provenance
from tickstone.core.rigs.kinds import kind
from tickstone.errors import BadInput, Conflict, NotFound
from tickstone.store import log, recordings, rigs, tables
from tickstone.store.database import Database

LIGHTS = ["Line row, with a load of trays", "Line row, lamp on", "Line row, lamp off"]
ASIDE = "Line row, the evening before"


def ids(session) -> dict[str, int]:
    return {one.name: one.id for one in recordings.recordings_of(session, rigs.rig_named(session, "fern").id)}


def test_thresholds_are_chosen_on_the_newest_lights_and_remember_them(database: Database) -> None:
    with database.transaction() as session:
        found = deciding.work(session, "fern", "line-row", "line")
        assert [one.name for one in found.sources if one.used] == LIGHTS
        wanted = {one.name: one.suggested for one in found.decided.choices}
        deciding.choose(session, "fern", "line-row", "line", wanted)
        stored = rigs.rig_named(session, "fern")
        values = settled(session, stored, "line-row")
        chosen = values["threshold_s1"]
        assert (chosen.provenance, chosen.value) == (Provenance.CHOSEN, wanted["threshold_s1"])
        assert chosen.source == "chosen; widest worst-case margin"
        rests = session.scalars(
            select(tables.ValueInputRow).where(tables.ValueInputRow.value_id == chosen.value_id)
        ).all()
        known = ids(session)
        assert {one.recording_id for one in rests if one.recording_id} == {known[name] for name in LIGHTS}
        assert sum(one.mark_id is not None for one in rests) == 6
        states = {one.id: state for one, state in deciding.standing(session, "fern", "line-row")}
        assert (states["line"], states["edge"]) == ("chosen", "open")
        assert any(
            "line thresholds: threshold, far left" in one.text for one in log.entries(session, stored.id, "")
        )

        calibrating.from_recording(session, "fern", "line-row", "line", known["Line row, lamp off"])
        draft = calibrating.draft(session, "fern", "line-row", "line")
        assert [step["truth"] for step in draft.steps] == [{"height_mm": 4.0, "lamp": 0.0}] * 2
        calibrating.accept(session, "fern", draft.id)
        stale = settled(session, rigs.rig_named(session, "fern"), "line-row")["threshold_s1"].stale
        assert "white s1" in stale
        assert {one.id: state for one, state in deciding.standing(session, "fern", "line-row")}[
            "line"
        ] == "stale"


def test_recordings_are_named_kept_aside_and_checked(database: Database) -> None:
    with database.transaction() as session:
        known = ids(session)
        one = deciding.work(session, "fern", "line-row", "line", [known[LIGHTS[0]]], known[ASIDE])
        assert one.decided.drawing is not None
        assert one.decided.drawing.conditions == ("3 mm, lamp off",)
        assert one.decided.drawing.rows[0].odds.tested_of > 900
        with pytest.raises(BadInput, match="not made on") as refused:
            deciding.work(session, "fern", "line-row", "line", [known[ASIDE]], known[ASIDE])
        assert refused.value.path == "test"
        with pytest.raises(NotFound, match="says nothing"):
            # it has no such marks
            deciding.work(session, "fern", "line-row", "line", [known["Pushed at a box"]])
        with pytest.raises(BadInput) as refused:
            deciding.work(session, "fern", "front-ranger", "obstacle", [known["Pushed at a box"]] * 2)
        assert refused.value.path == "from"
        nothing = deciding.work(session, "fern", "line-row", "line", [])
        assert nothing.decided.why_not
        with pytest.raises(BadInput) as refused:
            deciding.choose(session, "fern", "line-row", "line", {"threshold_s1": 400.0}, [])
        assert refused.value.path == "choice"
        with pytest.raises(BadInput) as refused:
            deciding.choose(session, "fern", "front-ranger", "dropouts", {"dropout_after": 99.0})
        assert refused.value.path == "dropout_after"


def test_a_chosen_filter_makes_the_trip_stale_and_the_guard_counts_with_it(database: Database) -> None:
    with database.transaction() as session:
        deciding.choose(session, "fern", "front-ranger", "obstacle", {"trip": 300.0, "clear": 350.0})
        before = deciding.work(session, "fern", "front-ranger", "obstacle").decided.drawing
        deciding.choose(session, "fern", "front-ranger", "filter", {"filter_kind": 1.0, "filter_amount": 5.0})
        after = deciding.work(session, "fern", "front-ranger", "obstacle").decided.drawing
        assert before is not None
        assert after is not None
        assert after.trip_mm > before.trip_mm + 30
        stored = rigs.rig_named(session, "fern")
        assert "filter" in settled(session, stored, "front-ranger")["trip"].stale


def test_a_choice_is_taken_back_and_what_held_before_holds_again(database: Database) -> None:
    with database.transaction() as session:
        first = deciding.choose(
            session, "fern", "front-ranger", "filter", {"filter_kind": 1.0, "filter_amount": 5.0}
        )
    with database.transaction() as session:
        trip = deciding.choose(session, "fern", "front-ranger", "obstacle", {"trip": 300.0, "clear": 350.0})
    with database.transaction() as session:
        second = deciding.choose(
            session, "fern", "front-ranger", "filter", {"filter_kind": 2.0, "filter_amount": 7.0}
        )
    with database.transaction() as session:
        stored = rigs.rig_named(session, "fern")
        assert settled(session, stored, "front-ranger")["trip"].stale
        with pytest.raises(Conflict):
            deciding.take_back(session, "fern", "front-ranger", "filter", first)
        deciding.take_back(session, "fern", "front-ranger", "filter", second)
        values = settled(session, stored, "front-ranger")
        assert (values["filter_kind"].value, values["filter_amount"].value) == (1.0, 5.0)
        assert not values["trip"].stale  # it rests on the filter that holds again
        with pytest.raises(Conflict):
            deciding.take_back(session, "fern", "front-ranger", "filter", second)
    with database.transaction() as session:
        deciding.take_back(session, "fern", "front-ranger", "obstacle", trip)
        assert "trip" not in settled(session, stored, "front-ranger")  # nothing had been chosen before
        assert {one.id: state for one, state in deciding.standing(session, "fern", "front-ranger")}[
            "obstacle"
        ] == "open"
        assert "taken back" in log.entries(session, stored.id)[0].text
    with database.transaction() as session:
        deciding.choose(session, "fern", "front-ranger", "obstacle", {"trip": 310.0, "clear": 360.0})
        assert settled(session, stored, "front-ranger")["trip"].value == 310.0


def test_what_speaks_against_a_choice_goes_with_it_everywhere(database: Database) -> None:
    """A threshold that stands in a heap, chosen all the same: slab, log, stone and header say so."""
    with database.transaction() as session:
        found = deciding.work(session, "fern", "line-row", "line")
        wanted = {one.name: one.suggested for one in found.decided.choices} | {"threshold_s3": 185.0}
        deciding.choose(session, "fern", "line-row", "line", wanted)
        stored = rigs.rig_named(session, "fern")
        values = settled(session, stored, "line-row")
        warning = values["threshold_s3"].warning
        assert "misread" in warning
        assert values["threshold_s2"].warning == ""
        assert warning in log.entries(session, stored.id)[0].text
        number = stones.cut(session, "fern", "")
        held = next(one for one in log.stone(session, stored.id, number).lines if one.name == "threshold_s3")
        assert held.warning == warning
        for form in ("c", "python", "json"):
            _, _, text = stones.export(session, "fern", number, form)
            assert warning in text
        deciding.choose(session, "fern", "front-ranger", "obstacle", {"trip": 100.0, "clear": 150.0})
        assert "too late" in settled(session, stored, "front-ranger")["trip"].warning


@pytest.mark.parametrize(("pulses", "enough"), [(11, False), (12, True), (23, True)])
def test_as_many_pulses_are_needed_as_is_said(database: Database, pulses: int, enough: bool) -> None:
    with database.transaction() as session:
        stored = rigs.rig_named(session, "fern")
        channels = kind("hall-switch").channels_of({})
        recording_id = recordings.begin(
            session,
            rig_id=stored.id,
            revision_id=stored.revision_id,
            name="few",
            origin="import",
            source="few",
            clock="device",
            streams=[recordings.NewStream("wheel", "wheel", channels)],
        )
        times = [i * 300_000 for i in range(pulses)]
        recordings.write_rows(
            session, recording_id, "wheel", times, [[float(t) for t in times], [float("nan")] * pulses]
        )
        recordings.close(session, recording_id)
        if enough:
            found = deciding.work(session, "fern", "wheel", "turning", [recording_id])
            assert found.decided.why_not == ""
            deciding.choose(session, "fern", "wheel", "turning", {"slow_s": 2.0}, [recording_id])
        else:
            with pytest.raises(NotFound):
                deciding.work(session, "fern", "wheel", "turning", [recording_id])


def test_a_choice_that_no_longer_holds_says_so(database: Database) -> None:
    with database.transaction() as session:
        deciding.choose(session, "fern", "front-ranger", "obstacle", {"trip": 300.0, "clear": 350.0})
        assert deciding.work(session, "fern", "front-ranger", "obstacle").stale == ""
        deciding.choose(session, "fern", "front-ranger", "filter", {"filter_kind": 1.0, "filter_amount": 5.0})
        assert "filter" in deciding.work(session, "fern", "front-ranger", "obstacle").stale
        assert deciding.work(session, "fern", "front-ranger", "obstacle", picked={"trip": 340.0}).stale == ""
