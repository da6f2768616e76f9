"""A live rig with a scripted source: what windows see, what the recorder gets, and in which order."""

from __future__ import annotations

import itertools
import queue
from collections.abc import Callable
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.conftest import until
from tests.rigs import ranger_and_air
from tickstone.actions.live.lateness import Cached
from tickstone.actions.live.rig import LiveRig
from tickstone.actions.live.ring import Ring
from tickstone.actions.live.watched import Now
from tickstone.core import ranging
from tickstone.core.constants import Provenance, Value, settle
from tickstone.core.decisions.steering import usual_action
from tickstone.core.line_row import patterns
from tickstone.core.rigs.kinds import kind
from tickstone.core.rigs.rig import Rig
from tickstone.core.rigs.templates import template as rig_template
from tickstone.core.rigs.usual import usual_values
from tickstone.core.rows import Batch
from tickstone.core.timing import rhythm
from tickstone.errors import Conflict, NotConnected, SourceLost
from tickstone.link.recorder import Recorder

RANGER, AIR = "front-ranger", "air"


class Scripted:
    """A source that gives what a test puts in; None means the other end has gone."""

    title = "scripted"
    midstream = comes_back = standin = False
    pace = 1.0

    def __init__(self) -> None:
        self.given: queue.Queue[bytes | None] = queue.Queue()
        self.closed = False

    def open(self) -> None:
        self.closed = False

    def read(self) -> bytes:
        try:
            data = self.given.get(timeout=0.02)
        except queue.Empty:
            return b""
        if data is None:
            raise SourceLost("scripted was unplugged.")
        return data

    def close(self) -> None:
        self.closed = True

    def lines(self, *lines: str) -> None:
        self.given.put("".join(f"{line}\n" for line in lines).encode())


class Kept:
    """A sink that keeps batches in memory."""

    def __init__(self) -> None:
        self.batches: list[Batch] = []

    def append(self, recording_id: int, batch: Batch) -> None:
        assert recording_id == 9
        self.batches.append(batch)

    def rows(self, key: str) -> list[tuple[int, float]]:
        found = []
        for batch in self.batches:
            if key in batch.rows:
                found += [
                    (t, v[0]) for t, v in zip(batch.rows[key].times, batch.rows[key].values, strict=True)
                ]
        return found


def values() -> dict:
    return {
        sensor.id: settle(kind(sensor.kind).constants, kind(sensor.kind).derived, {})
        for sensor in ranger_and_air().sensors
    }


@pytest.fixture
def source() -> Scripted:
    return Scripted()


@pytest.fixture
def live(source: Scripted) -> LiveRig:
    made = LiveRig(ranger_and_air(), values())
    made.connect(source)
    yield made
    made.disconnect()


def read(live: LiveRig, key: str, count: int) -> object:
    return until(lambda: live.intake.watched[key].readings >= count)


def test_readings_are_converted_with_the_air_of_the_same_moment(live: LiveRig, source: Scripted) -> None:
    source.lines("t_us:0 echo_us:5000 air_c:0.0", "t_us:50000 echo_us:5000")
    read(live, RANGER, 2)
    found = live.view.stretch(RANGER, 0, 10)
    assert found.raw.tolist() == [5000, 5000]
    assert found.values == pytest.approx([5000 * 331.61 / 2000] * 2, rel=1e-4)  # Cramer, 0 °C, 50 %
    assert live.intake.air_c == 0.0
    assert live.intake.air_readings == 1


def test_the_air_is_the_mean_of_the_last_thirty_readings(live: LiveRig, source: Scripted) -> None:
    source.lines(*(f"t_us:{i * 1000} air_c:{10 if i < 20 else 20}" for i in range(50)))
    read(live, AIR, 50)
    assert live.intake.air_c == 20.0


def test_before_the_first_temperature_the_constant_stands_in(live: LiveRig, source: Scripted) -> None:
    source.lines("t_us:0 echo_us:1000")
    read(live, RANGER, 1)
    assert live.intake.air_c is None
    assert live.view.stretch(RANGER, 0, 1).values[0] == pytest.approx(1000 * 343.9944 / 2000, rel=1e-5)


def test_dropouts_are_counted_and_odd_lines_too(live: LiveRig, source: Scripted) -> None:
    source.lines(
        "bo~ot",
        "t_us:0 echo_us:1457",
        "t_us:50000 echo_us:0",
        "t_us:100000 echo_us:3",
        "t_us:15?000 echo_us:9",
    )
    read(live, RANGER, 3)
    assert live.intake.watched[RANGER].dropouts == 1
    assert live.view.state().garbled == 2
    assert live.view.state().lines == 5
    codes = live.view.stretch(RANGER, 0, 5).codes.tolist()
    assert codes == [ranging.OK, ranging.DROPOUT, ranging.TOO_NEAR]


def test_the_recorder_gets_raw_rows_from_zero_and_odd_lines_with_them(
    live: LiveRig, source: Scripted
) -> None:
    source.lines("t_us:900000 echo_us:1400")
    read(live, RANGER, 1)
    sink = Kept()
    recorder = Recorder(9, sink)
    live.begin(recorder, "test")
    with pytest.raises(Conflict):
        live.begin(recorder, "again")
    source.lines("t_us:950000 echo_us:1457 air_c:21", "?", "t_us:1000000 echo_us:0")
    read(live, RANGER, 3)
    assert live.recording is not None
    assert live.recording.time_us(0.1) == 50_000
    assert live.end() is recorder
    recorder.flush()
    assert sink.rows(RANGER) == [(0, 1457.0), (50_000, 0.0)]
    assert sink.rows(AIR) == [(0, 21.0)]
    assert [odd[1] for batch in sink.batches for odd in batch.odd_lines] == ["?"]
    assert live.recording is None


def test_nothing_is_recorded_without_a_source_and_no_source_changes_under_a_recording(
    source: Scripted,
) -> None:
    live = LiveRig(ranger_and_air(), values())
    with pytest.raises(NotConnected):
        live.begin(Recorder(9, Kept()), "x")
    live.connect(source)
    live.begin(Recorder(9, Kept()), "x")
    with pytest.raises(Conflict, match="stop it before"):
        live.connect(Scripted())
    live.end()
    live.disconnect()
    assert source.closed


def test_a_source_that_ended_says_why_and_connecting_again_begins_anew(
    live: LiveRig, source: Scripted
) -> None:
    source.lines("t_us:0 echo_us:1457")
    read(live, RANGER, 1)
    source.given.put(None)
    until(lambda: live.view.state().why)
    assert "unplugged" in live.view.state().why
    assert live.view.state().status == "idle"
    assert not live.connection.open
    again = Scripted()
    live.connect(again)
    assert live.view.state().status == "live"
    assert live.intake.watched[RANGER].readings == 0
    again.lines("t_us:7 echo_us:1457")
    read(live, RANGER, 1)
    assert live.view.stretch(RANGER, 0, 5).times_s.tolist() == [0.0]


def test_a_silent_source_is_not_called_live() -> None:
    now = [1000.0]
    live = LiveRig(ranger_and_air(), values(), clock=lambda: now[0])
    live.connect(Scripted())
    assert live.view.state().status == "live"
    now[0] += 10
    assert live.view.state().status == "silent"
    live.disconnect()


def test_new_constants_convert_what_comes_next(live: LiveRig, source: Scripted) -> None:
    source.lines("t_us:0 echo_us:2000")
    read(live, RANGER, 1)
    fresh = values()
    fresh[RANGER]["offset"] = Value("offset", "offset", "mm", -50.0, 0.1, Provenance.MEASURED, "ruler")
    live.refresh(ranger_and_air(), fresh, {})
    source.lines("t_us:50000 echo_us:2000")
    read(live, RANGER, 2)
    before, after = live.view.stretch(RANGER, 0, 2).values
    assert before - after == pytest.approx(50.0)


def without(rig: Rig, key: str) -> Rig:
    """The rig with one sensor taken off."""
    return replace(
        rig,
        sensors=tuple(one for one in rig.sensors if one.id != key),
        wires=tuple(wire for wire in rig.wires if wire.sensor != key),
    )


def test_what_came_before_a_part_was_taken_off_is_converted_as_the_rig_was(
    live: LiveRig, source: Scripted
) -> None:
    source.lines(*(f"t_us:{i * 1000} echo_us:1457 air_c:21" for i in range(4)))
    until(lambda: len(live.intake.heard) == 4)  # they wait to be converted: nobody has looked yet
    taken_off = live.intake._watched[RANGER]  # asking for ``watched`` would convert
    live.refresh(without(ranger_and_air(), RANGER), {AIR: values()[AIR]}, {})
    assert taken_off.readings == 4
    assert set(live.intake.watched) == {AIR}
    source.lines("t_us:50000 echo_us:1457 air_c:22")
    read(live, AIR, 5)
    live.refresh(without(ranger_and_air(), AIR), {RANGER: values()[RANGER]}, {})
    assert live.intake.air_c is None  # nobody measures it any more
    source.lines("t_us:100000 echo_us:1457")
    read(live, RANGER, 1)


@pytest.mark.parametrize(("chatty", "segments"), [(0, 1), (60, 0)])
def test_words_before_times_that_fall_back_are_a_greeting_unless_words_come_all_the_time(
    chatty: int, segments: int
) -> None:
    """Near a roll-over only the greeting tells a board that began anew from one whose counter went on."""
    live = LiveRig(ranger_and_air(), values(), clock=lambda: 1000.0)
    live.connect(Scripted())
    late = 2**32 - 400_000
    lines = [f"t_us:{late - (chatty - i) * 1000} echo_us:1457" for i in range(chatty)]
    said = ["hello from the ranger"] * chatty
    live.intake.take_lines([line for pair in zip(said, lines, strict=True) for line in pair], 1000.0)
    live.intake.take_lines([f"t_us:{late} echo_us:1457", "ready to measure"], 1000.2)
    live.intake.take_lines(["t_us:200000 echo_us:1457"], 1000.8)
    assert live.intake._segment == segments


class Bench:
    """A live rig whose lines and whose clock a test moves by hand."""

    def __init__(self, rig: Rig, **chosen: float) -> None:
        (self.sensor,) = rig.sensors
        what = kind(self.sensor.kind)
        specs = {spec.name: spec for spec in what.constants}
        known = {
            n: replace(v, provenance=Provenance.CHOSEN)
            for n, v in usual_values(what, rig, self.sensor, chosen).items()
            if n in chosen and n in specs
        }
        self.now = 1000.0
        self.live = LiveRig(
            rig, {self.sensor.id: usual_values(what, rig, self.sensor) | known}, clock=lambda: self.now
        )
        self.live.connect(Scripted())

    def hear(self, stamps_s: list[float], words: Callable[[int, float], str], sent_from: int = 0) -> None:
        """Lines of a board at these times of its own, arriving together just now."""
        lines = [f"t_us:{round(t * 1e6)} {words(sent_from + i, t)}" for i, t in enumerate(stamps_s)]
        self.live.intake.take_lines(lines, self.now)

    def shows(self) -> Now:
        """What a window is shown just now."""
        return self.live.view.now(self.sensor.id)


def six_states(i: int, _t: float) -> str:
    h1, h2, h3 = ((1, 0, 1), (1, 0, 0), (1, 1, 0), (0, 1, 0), (0, 1, 1), (0, 0, 1))[i % 6]
    return f"h1:{h1} h2:{h2} h3:{h3}"


def edge_at(_i: int, t: float) -> str:
    return f"mark_edge_us:{round(t * 1e6)}"


@pytest.mark.parametrize(
    ("template", "words", "period_s", "rpm"),
    [
        ("T05", six_states, 60 / 300 / 42, 300),
        ("T05", six_states, 60 / 3000 / 42, 3000),
        ("T03", edge_at, 0.02, 3000),
        ("T03", edge_at, 60 / 9000, 9000),
        ("T03", edge_at, 0.5, 120),
    ],
)
def test_a_shaft_that_turns_steadily_is_shown_right_however_late_its_lines_come(
    template: str, words: Callable[[int, float], str], period_s: float, rpm: float
) -> None:
    """Lines come in bunches, 10 to 60 ms late; a window looks at any moment between them."""
    bench, random = Bench(rig_template(template)), np.random.default_rng(3)
    begun, sent, shown = bench.now, 0, []
    for _ in range(400):
        bench.now += random.uniform(0.005, 0.05)
        heard_to = bench.now - begun - random.uniform(0.01, 0.06)
        stamps = [
            i * period_s for i in range(sent, max(sent, int(heard_to / period_s) + 1 if heard_to >= 0 else 0))
        ]
        if stamps:
            bench.hear(stamps, words, sent)
            sent += len(stamps)
        bench.now += random.uniform(0.0, 0.02)
        now = bench.shows()
        if bench.now - begun > 4.0:
            shown.append(now)
    assert len(shown) > 100
    assert [now.value for now in shown] == pytest.approx([rpm] * len(shown), rel=0.1)
    assert not any("slower" in now.sentence or "stands" in now.sentence for now in shown)
    last_s = (sent - 1) * period_s
    latest = 0.13  # of a line, as they came here
    for age in (0.2, 0.5, 1.5):  # and when it stops, it is shown slower at once, and then standing
        bench.now = begun + last_s + latest + age
        fading = bench.shows()
        assert fading.value is not None
        assert fading.value <= 60 / (42 if template == "T05" else 1) / age * 1.001
    bench.now = begun + last_s + latest + 3.1
    stopped = bench.shows()
    assert stopped.value == 0.0
    assert "stands" in stopped.sentence


def test_when_it_stands_is_as_chosen() -> None:
    patient = Bench(rig_template("T03"), slow_s=8.0)
    for i in range(20):
        patient.now += 0.5
        patient.hear([i * 0.5], edge_at)
    for age, stands in ((5.0, False), (8.5, True)):
        patient.now += age if not stands else 3.5
        assert (patient.shows().value == 0.0) is stands, age
        assert ("stands" in patient.shows().sentence) is stands


def test_a_wheel_with_one_magnet_that_rolls_slowly_does_not_stand_between_two_pulses() -> None:
    """2 042 mm at 0.6 m/s: a pulse every 3.4 s. It moves all the time, and its source is not silent."""
    bench = Bench(rig_template("T17"))
    period = bench.live.intake.values["wheel"]["circumference"].value / 600.0
    assert period > 3.0
    begun = bench.now
    for i in range(40):
        bench.now = begun + i * period
        bench.hear([i * period], lambda _i, t: f"hall_edge_us:{round(t * 1e6)}")
        if i < 3:
            continue
        for share in (0.3, 0.6, 0.98):
            bench.now = begun + (i + share) * period
            now = bench.shows()
            assert now.value == pytest.approx(0.6, rel=0.05)
            assert "Standing" not in now.sentence
            assert bench.live.view.state().status == "live"
            trip = now.instruments["trip"]
            assert trip["speed_m_s"] == pytest.approx(0.6, rel=0.01)
            assert trip["average_m_s"] == pytest.approx(0.6, rel=0.01)
            assert trip["moving_s"] == pytest.approx(i * period, rel=0.01)
    bench.now += 15
    assert bench.shows().value == 0.0
    assert bench.live.view.state().status == "silent"


def test_what_is_chosen_at_decide_is_what_watch_says() -> None:
    guard = Bench(rig_template("T16"), trip=300, clear=400, votes=2, votes_of=2)
    for i, (mm, said) in enumerate(
        ((900, "Safe"), (250, "Too close"), (350, "Too close"), (900, "Safe"), (0, "not safe"))
    ):
        guard.now += 1.0
        guard.hear([i + 0.05 * k for k in range(8)], lambda _i, _t, mm=mm: f"echo_us:{2000 * mm / 344:.0f}")
        assert said in guard.shows().sentence, (mm, guard.shows().sentence)
    table = {f"table_{end}_s{n}": value for n in (1, 2) for end, value in (("low", 150), ("high", 230))}
    edge = Bench(rig_template("T09"), **table)
    for i, (left, right, said, lit) in enumerate(
        (
            (180, 190, "On the table", [False, False]),
            (760, 180, "Off the table under left", [True, False]),
            (60, 760, "under left and right", [True, True]),
        )
    ):
        edge.now += 1.0
        edge.hear([float(i)], lambda _i, _t, left=left, right=right: f"line1_adc:{left} line2_adc:{right}")
        now = edge.shows()
        assert said in now.sentence
        assert "Line" not in now.sentence
        assert now.instruments["lamps"]["lit"] == lit
    actions = {
        f"act_{pattern}": float(usual_action(pattern)) for pattern in patterns(5) if pattern != "broken"
    }
    row = Bench(rig_template("T15"), **actions)
    row.hear([0.0], lambda _i, _t: "line1_adc:180 line2_adc:760 line3_adc:180 line4_adc:180 line5_adc:180")
    assert "the line is to the left: left" in row.shows().sentence
    level = Bench(rig_template("T14"), tilt_alarm=20)
    level.hear([0.0], lambda _i, _t: "ax_adc:2400 ay_adc:2048 az_adc:2048")
    assert "Tilt alarm" in level.shows().sentence
    fast = Bench(rig_template("T03"), over_rpm=2000)
    fast.hear([0.02 * i for i in range(9)], edge_at)
    assert "Over-speed: 3000 rpm" in fast.shows().sentence


def test_sentences_come_from_the_kind_and_settle(live: LiveRig, source: Scripted) -> None:
    source.lines(*(f"t_us:{i * 50_000} echo_us:1457" for i in range(20)))
    read(live, RANGER, 20)
    assert "standing still" in live.view.now(RANGER).sentence
    source.lines(*(f"t_us:{(20 + i) * 50_000} echo_us:0" for i in range(10)))
    read(live, RANGER, 30)
    assert "standing still" in live.view.now(RANGER).sentence  # not again within half a second
    until(lambda: "No echo" in live.view.now(RANGER).sentence, 3)


@given(st.lists(st.integers(1, 30), min_size=1, max_size=30), st.integers(1, 50))
def test_a_ring_gives_every_reading_once_and_keeps_the_newest(sizes: list[int], size: int) -> None:
    ring, seen, seq, total = Ring(size), [], 0, 0
    for n in sizes:
        numbers = np.arange(total, total + n, dtype=float)
        ring.add(numbers, numbers, numbers, np.zeros(n, np.int8))
        total += n
        found = ring.since(seq)
        seen += found.raw.tolist()
        assert found.raw.tolist() == list(range(max(total - size, seq), total))
        seq = found.last_seq
    assert seen == sorted(set(seen))
    assert ring.since(0, 3).raw.tolist() == list(range(max(0, total - min(3, size)), total))


def test_an_answer_is_kept_for_its_time() -> None:
    kept, tries = Cached[int](0.5), itertools.count()
    assert [kept.get(at, lambda: next(tries)) for at in (1.0, 1.4, 1.5, 1.9, 2.0)] == [0, 0, 1, 1, 2]


def test_rhythm_sees_rate_jitter_and_gaps() -> None:
    times = np.arange(0, 5, 0.05)
    assert rhythm(times).rate_hz == pytest.approx(20.0)
    broken = np.delete(times, range(40, 46))
    assert rhythm(broken).gaps == 1
    assert rhythm(broken).rate_hz == pytest.approx(20.0)
    shaky = times + np.random.default_rng(1).normal(0, 0.002, times.size)
    assert rhythm(shaky).jitter_ms == pytest.approx(2.8, rel=0.25)
    assert rhythm([1.0]).rate_hz is None
    assert rhythm([1.0, 1.0, 1.0]).rate_hz is None
