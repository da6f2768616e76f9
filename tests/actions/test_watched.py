"""Every kind through a live: edges from batch to batch, values that fade, instruments, lines without a time
of their own."""

from __future__ import annotations

import numpy as np
import pytest

from tests.actions.test_live_rig import Scripted
from tests.conftest import until
from tests.rigs import part, rig
from tickstone.actions.live.rig import LiveRig
from tickstone.core.instruments import stands_after_s
from tickstone.core.rigs.kinds import kind
from tickstone.core.rigs.rig import Rig
from tickstone.core.rigs.templates import fern
from tickstone.core.rigs.usual import usual_values
from tickstone.errors import NotFound
from tickstone.standin.board import SimBoard

WHEEL_M_S = 1.2 / 1  # circumference 1200 mm, one magnet: a turn a second


def live_of(of: Rig) -> tuple[LiveRig, Scripted]:
    live = LiveRig(of, {s.id: usual_values(kind(s.kind), of, s) for s in of.sensors})
    source = Scripted()
    live.connect(source)
    return live, source


@pytest.fixture
def wheel():
    live, source = live_of(rig(part("hall-switch", "wheel")))
    yield live, source
    live.disconnect()


def heard(live: LiveRig, lines: int) -> None:
    until(lambda: live.view.state().lines >= lines)


def test_periods_go_on_from_batch_to_batch_and_over_the_roll_over(wheel) -> None:
    live, source = wheel
    first = 2**32 - 2_500_000
    for i in range(6):
        stamp = (first + i * 1_000_000) % 2**32
        source.lines(f"t_us:{stamp} hall_edge_us:{stamp}")
        heard(live, i + 1)
    found = live.view.stretch("wheel", 0, 10)
    assert found.values.tolist() == pytest.approx([1.2] * 5)
    assert live.intake.watched["wheel"].dropouts == 0
    trip = live.view.now("wheel").instruments["trip"]
    assert trip["distance_m"] == pytest.approx(6.0)


def test_between_pulses_the_shown_speed_fades_and_ends_at_standing_never_frozen(wheel) -> None:
    live, source = wheel
    source.lines(*(f"t_us:{i * 1_000_000} hall_edge_us:{i * 1_000_000}" for i in range(4)))
    heard(live, 4)
    watched, values = live.intake.watched["wheel"], usual_values(kind("hall-switch"))
    said, stands_s = {}, stands_after_s(values)
    for age in (0.0, 0.9, 2.0, stands_s - 0.1, stands_s + 0.1):
        said[age] = watched.now(3.0 + age, 100 * (1 + age), values)
    assert said[0.0].value == pytest.approx(1.2)
    assert said[0.9].value == pytest.approx(1.2)
    # at most the circumference over the time since the last pulse
    assert said[2.0].value == pytest.approx(0.6)
    assert "at most 0.60" in said[2.0].sentence
    assert said[stands_s + 0.1].value == 0.0
    assert said[stands_s + 0.1].sentence.startswith("Standing: no pulse for 6 s")
    assert said[stands_s + 0.1].instruments["trip"]["speed_m_s"] == 0.0


def test_a_board_that_starts_again_carries_no_period_over(wheel) -> None:
    live, source = wheel
    source.lines(
        *(f"t_us:{90_000_000 + i * 1_000_000} hall_edge_us:{90_000_000 + i * 1_000_000}" for i in range(3))
    )
    heard(live, 3)
    source.lines(*(f"t_us:{i * 100_000} hall_edge_us:{i * 100_000}" for i in range(1, 5)))
    heard(live, 7)
    assert live.view.stretch("wheel", 0, 10).values.tolist() == pytest.approx([1.2, 1.2, 12.0, 12.0, 12.0])


def test_an_instrument_is_set_to_zero_by_name(wheel) -> None:
    live, source = wheel
    source.lines(*(f"t_us:{i * 1_000_000} hall_edge_us:{i * 1_000_000}" for i in range(4)))
    heard(live, 4)
    live.view.zero("wheel", "trip")
    assert live.view.now("wheel").instruments["trip"]["distance_m"] == 0.0
    for sensor, name in (("wheel", "level"), ("nobody", "trip")):
        with pytest.raises(NotFound):
            live.view.zero(sensor, name)


def test_motor_halls_read_the_mean_of_a_cycle_and_rows_between_edges_are_no_dropouts() -> None:
    live, source = live_of(rig(part("motor-halls", "motor")))
    board = SimBoard(rig(part("motor-halls", "motor")), seed=3)
    lines = board.lines(4_000_000)
    source.lines(*lines)
    heard(live, len(lines))
    watched = live.intake.watched["motor"]
    values = watched.ring.since(0, 200).values
    assert watched.dropouts == 0
    assert np.median(values) == pytest.approx(300, rel=0.01)
    # three Halls out of their places by 2.5° would make single sectors tremble by 6 %
    assert values.std() < 2.0
    assert "of 6" in live.view.now("motor").sentence
    live.disconnect()


def test_every_sensor_of_a_rig_speaks_in_raw_in_its_unit_and_in_words() -> None:
    live, source = live_of(fern())
    lines = SimBoard(fern(), seed=3).lines(3_000_000)
    source.lines(*lines)
    heard(live, len(lines))
    state = live.view.state()
    assert (state.garbled, state.status) == (0, "live")
    for key, watched in live.intake.watched.items():
        now = live.view.now(key)
        assert now.value is not None, key
        assert now.sentence.endswith("."), key
        assert set(now.asked) >= {ask.name for ask in watched.kind.working.asks(live.intake.values[key])}, key
    assert [line.why for line in live.intake.heard if line.why] == []
    live.disconnect()


def test_a_row_of_sensors_told_on_lines_of_their_own_is_one_reading_and_never_a_stale_one() -> None:
    live, source = live_of(rig(part("line-sensors", "row", count=3)))
    source.lines(*(f"t_us:{i * 10_000} line{i % 3 + 1}_adc:{(180, 760, 190)[i % 3]}" for i in range(12)))
    heard(live, 12)
    found = live.view.stretch("row", 0, 20).values
    assert np.isnan(found[:2]).all()
    assert np.abs(found[2:]).max() < 1.0
    source.lines("t_us:900000 line1_adc:180", "t_us:910000 line2_adc:760")
    heard(live, 14)
    assert np.isnan(live.view.stretch("row", 0, 2).values).all()  # the third was told too long ago
    live.disconnect()


def test_lines_without_a_time_that_come_together_are_spread_over_their_wait() -> None:
    live, source = live_of(rig(part("ultrasonic-ranger", "ranger")))
    source.lines("echo_us:1457")
    heard(live, 1)
    until(lambda: live.view.now_s() > 0.3)
    source.lines(*["echo_us:1457"] * 5)
    heard(live, 6)
    steps = np.diff(live.view.stretch("ranger", 0, 10).times_s)
    assert (steps > 0.02).all()
    assert steps == pytest.approx([steps.mean()] * 5, rel=0.3)
    live.disconnect()


def test_bytes_that_are_no_text_are_said_to_be_the_wrong_baud(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("tickstone.actions.live.view.SILENT_S", 0.1)
    live, source = live_of(rig(part("ultrasonic-ranger", "ranger")))
    for _ in range(5):
        source.given.put(bytes([0, 248, 255, 3, 128]) * 20)
    assert "baud" in until(lambda: live.view.state().advice)
    source.lines("", *["echo_us:1457"] * 200)
    until(lambda: live.view.state().advice == "")
    live.disconnect()
