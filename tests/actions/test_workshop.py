"""The workshop: what lives as long as the app, with scripted sources over a real database."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import pytest
from sqlalchemy.orm import Session

from tests.actions.test_live_rig import RANGER, Scripted
from tests.conftest import until
from tickstone.actions import calibrating, procedures, standing
from tickstone.actions.live import holding
from tickstone.actions.marking import MarkText
from tickstone.actions.workshop import Workshop
from tickstone.core.calibration.procedure import HOLD_S, Procedure
from tickstone.errors import BadInput, Conflict, NotConnected, NotFound
from tickstone.store import calibrations, log, recordings, rigs
from tickstone.store.database import Database

SLUG = "fern"
SPEED = 343.9944  # Cramer, 20 °C, 50 %


@pytest.fixture
def source(shop: Workshop) -> Scripted:
    made = Scripted()
    shop.connect(SLUG, made)
    return made


class Pings:
    """Sends pings of a target at a distance, two hundred at a time, as fast as they are read."""

    def __init__(self, shop: Workshop, source: Scripted) -> None:
        self._shop, self._source, self._t = shop, source, 0

    def at(self, mm: float, seconds: float = HOLD_S + 0.5) -> None:
        """Ping a still target for a while."""
        begin = self._shop.live(SLUG).intake.watched[RANGER].readings
        count = round(seconds / 0.05)
        lines = []
        for i in range(count):
            self._t += 50_000
            lines.append(f"t_us:{self._t} echo_us:{2000 * (mm + 3) / SPEED + (i % 5) - 2:.0f}")
        self._source.lines(*lines)
        until(lambda: self._shop.live(SLUG).intake.watched[RANGER].readings >= begin + count)

    def until(self, mm: float, condition: Callable[[], object]) -> None:
        """Ping a still target until something is true."""
        self.at(mm)
        until(lambda: condition() or self.at(mm, 0.5))


@pytest.fixture
def pings(shop: Workshop, source: Scripted) -> Pings:
    return Pings(shop, source)


def stored(shop: Workshop, recording_id: int) -> recordings.StoredRecording:
    with shop.database.transaction() as session:
        return recordings.recording(session, recording_id)


def test_a_recording_begins_grows_and_is_kept(shop: Workshop, pings: Pings) -> None:
    recording_id = shop.recordings.begin(SLUG, "  bench  ")
    with pytest.raises(Conflict, match="running already"):
        shop.recordings.begin(SLUG)
    pings.at(500, 3)
    shop.recordings.mark(SLUG, MarkText("here"))
    assert shop.recordings.stop(SLUG) == recording_id
    kept = stored(shop, recording_id)
    assert (kept.name, kept.status, kept.clock) == ("bench", "closed", "device")
    assert kept.stream_of(RANGER).n == 60
    with shop.database.transaction() as session:
        (mark,) = recordings.marks_of(session, recording_id)
        assert mark.t0 == pytest.approx(kept.stream_of(RANGER).t1, abs=500_000)
        said = log.entries(session, kept.rig_id)[0].text
    assert said == "Recording kept: bench, 3.0 s, 60 readings."
    with pytest.raises(Conflict, match="No recording"):
        shop.recordings.stop(SLUG)
    with pytest.raises(Conflict, match="press Record"):
        shop.recordings.mark(SLUG, MarkText("late"))


def test_disconnecting_ends_a_recording_cleanly(shop: Workshop, pings: Pings, source: Scripted) -> None:
    recording_id = shop.recordings.begin(SLUG)
    pings.at(500, 1)
    shop.disconnect(SLUG)
    assert until(lambda: stored(shop, recording_id).status == "closed")
    assert source.closed
    with pytest.raises(NotConnected):
        shop.recordings.begin(SLUG)


def test_a_source_that_goes_cuts_the_recording_with_what_came(
    shop: Workshop, pings: Pings, source: Scripted
) -> None:
    recording_id = shop.recordings.begin(SLUG)
    pings.at(500, 1)
    source.given.put(None)
    until(lambda: stored(shop, recording_id).status == "cut")
    kept = stored(shop, recording_id)
    assert kept.stream_of(RANGER).n == 20
    assert "unplugged" in kept.ended_why


def test_connecting_again_at_once_closes_what_the_lost_source_left_open(
    shop: Workshop, pings: Pings, source: Scripted
) -> None:
    recording_id = shop.recordings.begin(SLUG)
    pings.at(500, 1)
    source.given.put(None)
    until(lambda: not shop.live(SLUG).connection.open)
    shop.connect(SLUG, Scripted())
    assert until(lambda: stored(shop, recording_id).status == "cut")
    assert shop.recordings.begin(SLUG) != recording_id


def test_closing_the_app_keeps_what_runs(database: Database) -> None:
    shop, source = Workshop(database), Scripted()
    shop.open()
    shop.connect(SLUG, source)
    recording_id = shop.recordings.begin(SLUG)
    Pings(shop, source).at(500, 1)
    shop.close()
    with database.transaction() as session:
        kept = recordings.recording(session, recording_id)
    assert (kept.status, kept.stream_of(RANGER).n) == ("closed", 20)


def begin_hold(shop: Workshop, mm: float) -> None:
    with shop.database.transaction() as session:
        wants = procedure(session).wants(calibrating.steps_of(draft(session)), {})
        now_s = shop.live(SLUG).view.last_line_s
        ready = holding.prepare(session, SLUG, RANGER, "ruler", wants[-1].key, {"true_mm": mm}, now_s)
    shop.holds.begin(SLUG, ready)


def draft(session: Session) -> calibrations.StoredCalibration:
    return calibrating.draft(session, SLUG, RANGER, "ruler")


def procedure(session: Session) -> Procedure:
    return calibrating.procedure_of(rigs.rig_named(session, SLUG).rig, RANGER, "ruler")


def steps(shop: Workshop) -> list[dict]:
    with shop.database.transaction() as session:
        return draft(session).steps


def test_a_place_is_taken_when_still_and_its_recording_ends_with_the_procedure(
    shop: Workshop, pings: Pings
) -> None:
    for held, mm in enumerate((200, 400, 800), start=1):
        begin_hold(shop, mm)
        pings.until(mm, lambda held=held: len(steps(shop)) == held)
        until(lambda: shop.live(SLUG).holding.hold is None)
    recording_id = steps(shop)[0]["recording_id"]
    with shop.database.transaction() as session:
        calibrating.accept(session, SLUG, draft(session).id)
    shop.holds.end(SLUG)
    assert stored(shop, recording_id).status == "closed"
    with shop.database.transaction() as session:
        sensor_id = rigs.sensor_ids(session, rigs.rig_named(session, SLUG).id)[RANGER]
        done = calibrations.newest(session, sensor_id, "ruler", "accepted")
        assert done is not None
        assert done.result is not None
        found = done.result["constants"]
        assert found["sound"]["value"] == pytest.approx(SPEED, rel=0.004)
        assert found["offset"]["value"] == pytest.approx(-3, abs=1.0)
        assert sorted(found) == ["jitter", "offset", "sound"]
        opened = procedures.opened(session, SLUG, RANGER, "ruler")
        assert [past.id for past in opened.past] == [done.id]
        assert opened.drifts == ()


def test_a_recording_that_a_person_began_goes_on_after_accepting(shop: Workshop, pings: Pings) -> None:
    recording_id = shop.recordings.begin(SLUG, "mine")
    begin_hold(shop, 300)
    pings.until(300, lambda: len(steps(shop)) == 1)
    shop.holds.end(SLUG)
    assert stored(shop, recording_id).status == "live"


def test_a_moving_or_wrong_target_waits_and_can_be_forced_or_let_go(shop: Workshop, pings: Pings) -> None:
    begin_hold(shop, 900)
    pings.at(300)
    found = shop.holds.look(SLUG)
    assert found is not None
    assert "not 900" in found[1].why_not
    assert not shop.holds.take(SLUG, forced=False)
    assert steps(shop) == []
    assert shop.holds.take(SLUG, forced=True)
    assert steps(shop)[0]["by"] == "taken at once"
    begin_hold(shop, 500)
    shop.holds.let_go(SLUG)
    with pytest.raises(Conflict, match="Nothing is being watched for"):
        shop.holds.take(SLUG, forced=True)


def test_a_place_held_again_takes_the_place_of_the_one_before(shop: Workshop, pings: Pings) -> None:
    for _ in range(2):
        begin_hold(shop, 400)
        pings.until(400, lambda: shop.live(SLUG).holding.hold is None)
    assert [step["truth"] for step in steps(shop)] == [{"true_mm": 400}]
    with shop.database.transaction() as session:
        calibrating.drop(session, draft(session).id, "400")
    assert steps(shop) == []


def test_a_new_place_is_never_filled_with_readings_of_the_old_one(shop: Workshop, pings: Pings) -> None:
    begin_hold(shop, 100)
    pings.until(100, lambda: len(steps(shop)) == 1)
    pings.at(130, 0.25)  # moved, and held at once
    begin_hold(shop, 130)
    with pytest.raises(BadInput, match="Wait a moment"):
        shop.holds.take(SLUG, forced=True)
    pings.until(130, lambda: len(steps(shop)) == 2)
    middle = next(step["numbers"]["mean"] for step in steps(shop) if step["truth"] == {"true_mm": 130})
    assert middle == pytest.approx(2000 * 133 / SPEED, abs=3)


def test_level_is_not_taken_turned_while_nothing_has_moved(shop: Workshop, source: Scripted) -> None:
    """A vehicle on a bench that slopes: read, then held again at once, then really turned."""
    t = [0]

    def stand(gx: float, seconds: float) -> None:
        before = shop.live(SLUG).intake.watched["tilt"].readings
        random = np.random.default_rng(t[0])
        lines = []
        for _ in range(round(seconds / 0.02)):
            t[0] += 20_000
            noise = random.normal(0, 20, 3)
            lines.append(
                f"t_us:{t[0]} ax:{8192 * gx + noise[0]:.0f} ay:{noise[1]:.0f} "
                f"az:{8192 + noise[2]:.0f} gx:0 gy:0 gz:0"
            )
        source.lines(*lines)
        until(lambda: shop.live(SLUG).intake.watched["tilt"].readings >= before + len(lines))

    def hold(key: str) -> None:
        with shop.database.transaction() as session:
            ready = holding.prepare(session, SLUG, "tilt", "level", key, {}, shop.live(SLUG).view.last_line_s)
        shop.holds.begin(SLUG, ready)

    def held() -> list[str]:
        with shop.database.transaction() as session:
            return [step["key"] for step in calibrating.draft(session, SLUG, "tilt", "level").steps]

    hold("there")
    stand(0.04, 3)
    until(lambda: held() == ["there"])
    shop.holds.let_go(SLUG)
    hold("turned")
    stand(0.04, 6)
    for _ in range(5):
        assert not shop.holds.take(SLUG, forced=False)
    assert held() == ["there"]
    stand(0.3, 0.3)  # on its way
    stand(-0.04, 3)
    until(lambda: held() == ["there", "turned"])


def test_zeros_alone_are_never_a_place(shop: Workshop, source: Scripted) -> None:
    begin_hold(shop, 400)
    source.lines(*(f"t_us:{i * 50_000} echo_us:0" for i in range(60)))
    until(lambda: shop.live(SLUG).intake.watched[RANGER].readings == 60)
    with pytest.raises(BadInput, match="nothing to take"):
        shop.holds.take(SLUG, forced=True)
    assert steps(shop) == []


def test_only_sensors_that_have_a_procedure_are_calibrated_by_it(shop: Workshop) -> None:
    with shop.database.transaction() as session, pytest.raises(BadInput, match="no procedure"):
        calibrating.draft(session, SLUG, "air", "ruler")
    with shop.database.transaction() as session, pytest.raises(NotFound):
        calibrating.draft(session, SLUG, RANGER, "dance")
    with pytest.raises(NotFound):
        shop.live("nobody")
    with pytest.raises(NotFound, match="stand-in"):
        shop.standin(SLUG)


def test_a_field_that_cannot_be_is_named_and_nothing_is_held(shop: Workshop) -> None:
    for truth, field in (({}, "true_mm"), ({"true_mm": 9000.0}, "true_mm")):
        with shop.database.transaction() as session, pytest.raises(BadInput) as refused:
            holding.prepare(session, SLUG, RANGER, "ruler", "150", truth, 0.0)
        assert refused.value.path == field
    with shop.database.transaction() as session, pytest.raises(BadInput) as refused:
        holding.prepare(session, SLUG, RANGER, "ruler", "nowhere", {}, 0.0)
    assert refused.value.path == "key"
    assert shop.live(SLUG).holding.hold is None


def test_what_is_next_follows_the_live_state(shop: Workshop, pings: Pings) -> None:
    def next_at(station: str) -> str:
        with shop.database.transaction() as session:
            found = standing.standing_of(session, SLUG, RANGER, shop.live(SLUG))
        return next(one.next.action for one in found if one.station == station)

    assert next_at("calibrate") == "go-calibrate"
    pings.at(300, 0.5)
    shop.live(SLUG).disconnect()
    assert next_at("watch") == "connect"
    assert next_at("convert") == "type-humidity"
    assert next_at("log") == "cut-stone"


def test_every_stored_change_is_told_to_the_windows(shop: Workshop, pings: Pings) -> None:
    before = shop.rigs.version(SLUG)
    shop.recordings.begin(SLUG)
    assert shop.rigs.version(SLUG) > before
    before = shop.rigs.version(SLUG)
    pings.at(300, 0.5)
    shop.recordings.mark(SLUG, MarkText("x"))
    assert shop.rigs.version(SLUG) == before + 1
