"""Faults found live: a finding must persist, and goes when it is mended; and in recordings, short and
long."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from tests.bench import Bench
from tests.conftest import until
from tests.served import Served
from tickstone.actions import diagnosing
from tickstone.actions.live.finder import GONE_AFTER, PERSISTS, Finder
from tickstone.actions.live.looking import heard
from tickstone.core.diagnosis.record import ECHO, Record, Signal, Stream
from tickstone.core.rigs import templates
from tickstone.core.rigs.kinds import kind
from tickstone.core.rigs.rig import Rig
from tickstone.store import recordings, rigs, samples
from tickstone.store.database import Database

HEALTHY = np.round(2900 + np.random.default_rng(3).normal(0, 8, 240))
GONE = np.where(np.random.default_rng(4).random(240) < 0.3, 0.0, HEALTHY)


def lately(values: np.ndarray, now_s: float) -> Record:  # type: ignore[type-arg]
    return Record(
        (
            Stream(
                "front-ranger", now_s - 12 + np.arange(240) * 0.05, (Signal("echo", ECHO, values, 0.1716),)
            ),
        ),
        lines=240,
    )


def test_a_finding_is_shown_when_it_persists_and_goes_when_it_is_mended() -> None:
    finder = Finder()
    for look in range(PERSISTS - 1):
        finder.look(lately(GONE, 20.0 + look), 20.0 + look)
        assert finder.findings == ()
    assert finder.look(lately(GONE, 30.0), 30.0)
    (one,) = finder.findings
    assert (one.kind, one.stream, one.channel) == ("dropouts", "front-ranger", "echo")
    for look in range(GONE_AFTER):
        assert [each.kind for each in finder.findings] == ["dropouts"]
        finder.look(lately(HEALTHY, 31.0 + look), 31.0 + look)
    assert finder.findings == ()


def test_a_fault_that_was_long_ago_is_mended() -> None:
    finder = Finder()
    over = np.where(np.arange(240) < 140, GONE, HEALTHY)
    for look in range(PERSISTS + 1):
        finder.look(lately(over, 30.0), 30.0 + 0.1 * look)
    assert finder.findings == ()


def test_words_stand_long_enough_to_be_read() -> None:
    finder = Finder()
    said = []
    for look in range(PERSISTS + 3):
        finder.look(
            lately(np.where(np.random.default_rng(look).random(240) < 0.3, 0.0, HEALTHY), 30.0 + look),
            30.0 + look,
        )
        said += [one.evidence for one in finder.findings]
    assert len(said) > 2
    assert len(set(said)) < len(said)


class Looking(Bench):
    """A bench at which faults are looked for."""

    def __init__(self, rig: Rig) -> None:
        super().__init__(rig)
        self.finder = Finder()

    def until(self, shown: set[str], seconds: float = 40.0) -> None:
        """Look again and again until these kinds are shown and nothing else is waited for."""
        for _ in range(round(seconds / 0.8)):
            self.hear(0.8)
            told = heard(self.live)
            assert told is not None
            self.finder.look(*told)
            if shown == {one.kind for one in self.finder.findings}:
                return
        raise AssertionError(f"{self.finder.findings} are shown, and not {shown}")


FAULTS = [
    ("front-ranger.fault.zeros", "dropouts"),
    ("wheel.fault.missed", "missed"),
    ("line-row.fault.spikes", "spikes"),
    ("tilt.fault.clipping", "clipped"),
    ("front-ranger.fault.stuck", "stuck"),
    ("line-row.fault.drift", "drift"),
    ("wheel.fault.chatter", "chatter"),
    ("tilt.fault.inverted", "inverted"),
    ("battery-gauge.fault.scale", "wrong-scale"),
    ("board.fault.garbled", "garbled"),
    ("line-row.fault.flicker", "flicker"),
    ("wheel.fault.doubled", "doubled"),
    ("board.fault.jitter", "jitter"),
    ("board.fault.reset", "reset"),
]
ROLLING = {"wheel.speed_m_s": 2.0, "wheel.gain_m_s2": 10.0, "room.mains": 1.0}


@pytest.mark.slow
@pytest.mark.parametrize(("hand", "named"), FAULTS)
def test_every_fault_of_the_stand_in_is_named_live_alone_and_gone(hand: str, named: str) -> None:
    """Each by itself on the rolling rig; three of them are switched on in a browser too."""
    bench = Looking(templates.fern())
    bench.move(ROLLING)
    bench.hear(13)
    bench.move({hand: 1})
    bench.until({named})
    bench.move({hand: 0})
    bench.until(set())


MOVING = {"moves_mm_s": 60.0, "speed_m_s": 1.5, "speed_mm_s": 120.0, "turns_deg_s": 40.0, "rpm": 1800.0}


@pytest.mark.parametrize("name", templates.TEMPLATES)
def test_no_healthy_stand_in_of_any_template_is_accused(name: str) -> None:
    """At rest, moved, and with motors."""
    bench = Looking(templates.template(name))
    hands = bench.board.world.specs
    moved = {key: value for key in hands for end, value in MOVING.items() if key.endswith(f".{end}")}
    looks = []
    for hands_now in ({}, moved, {"room.motors": 0.8}):
        bench.move(hands_now)
        bench.hear(13)
        looks.append(heard(bench.live))
    assert looks[1] is not None  # what is moved is heard
    for record, _ in filter(None, looks):
        assert record.lines > 0
        assert not [one for one in diagnosing.examine(record) if one.accuses]


def recorded(database: Database, rows: int, bad: slice, anew: int | None = None) -> int:
    """A recording of the front ranger with zeros in a stretch; the board began anew at row ``anew``."""
    random = np.random.default_rng(5)
    echoes = np.round(2900 + random.normal(0, 8, rows))
    echoes[bad] = np.where(random.random(len(echoes[bad])) < 0.3, 0.0, echoes[bad])
    with database.transaction() as session:
        rig = rigs.rig_named(session, "fern")
        made = recordings.begin(
            session,
            rig_id=rig.id,
            revision_id=rig.revision_id,
            name="made up",
            origin="live",
            source="test",
            clock="device",
            streams=[
                recordings.NewStream("front-ranger", "front-ranger", kind("ultrasonic-ranger").channels)
            ],
        )
        writer = samples.ChunkWriter(session, made)
        segments = np.zeros(rows, int) if anew is None else (np.arange(rows) >= anew).astype(int)
        writer.add("front-ranger", np.arange(rows) * 1000, segments, echoes[None])
        writer.finish()
        recordings.close(session, made)
    return made


def test_a_recording_is_looked_at_once_and_again_when_a_mark_changes(
    database: Database, monkeypatch: pytest.MonkeyPatch
) -> None:
    made = recorded(database, 2000, slice(500, 800))
    with database.transaction() as session:
        (one,) = diagnosing.of_recording(session, made).findings
        assert (one.kind, one.stream) == ("dropouts", "front-ranger")
        assert (one.start_s, one.end_s) == pytest.approx((0.5, 0.8), abs=0.02)
        monkeypatch.setattr(diagnosing, "examine", lambda _: pytest.fail("looked at again"))
        assert diagnosing.of_recording(session, made).findings == (one,)
        monkeypatch.setattr(diagnosing, "examine", lambda _: [replace(one, kind="drift")])
        recordings.add_mark(session, made, 0, 100, "held")
        assert [each.kind for each in diagnosing.of_recording(session, made).findings] == ["drift"]


def test_a_recording_says_when_the_board_began_anew(database: Database) -> None:
    made = recorded(database, 2100, slice(0, 0), anew=1500)
    with database.transaction() as session:
        (one,) = diagnosing.of_recording(session, made).findings
    assert one.kind == "reset"
    assert one.start_s == pytest.approx(1.5)
    assert "once, at 1.5 s" in one.evidence


def test_of_a_long_recording_beginning_middle_and_end_are_looked_at(
    database: Database, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(diagnosing, "PIECE_ROWS", 1000)
    made = recorded(database, 20_000, slice(19_200, 19_900))
    with database.transaction() as session:
        said = diagnosing.of_recording(session, made)
    assert said.looked_at == pytest.approx(0.15)
    assert [(one.kind, one.start_s > 19) for one in said.findings] == [("dropouts", True)]


def test_what_is_found_is_told_over_http_and_to_the_windows(served: Served) -> None:
    served.client.post("/api/rigs/fern/connect", json={"kind": "stand-in"}).raise_for_status()
    served.client.patch(
        "/api/rigs/fern/standin", json={"hands": {"front-ranger.fault.zeros": 1}}
    ).raise_for_status()
    made = served.client.post("/api/rigs/fern/record", json={}).raise_for_status().json()["id"]

    def found() -> object:
        said = served.client.get(f"/api/recordings/{made}/findings").raise_for_status().json()
        return [one for one in said["findings"] if one["kind"] == "dropouts"]

    assert until(found, 30)
    assert served.client.get("/api/recordings/9999/findings").status_code == 404
