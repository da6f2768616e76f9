"""The simulated parts: their physics against formulas from outside the stand-in, their hands, their faults by
name."""

from __future__ import annotations

import itertools

import numpy as np
import pytest

from tests.rigs import part, ranger_and_air, rig
from tickstone.core import motor_halls, quadrature, sound
from tickstone.core.diagnosis.examine import examine
from tickstone.core.diagnosis.fitted import stream_of
from tickstone.core.diagnosis.record import Record
from tickstone.core.inertial import tilt
from tickstone.core.rigs.kinds import KINDS
from tickstone.core.rigs.templates import fern
from tickstone.core.rigs.usual import usual_values
from tickstone.errors import BadInput
from tickstone.link.interpreter import Interpreter, Reading
from tickstone.standin.board import SimBoard
from tickstone.standin.hands import FAULTS
from tickstone.standin.parts import PARTS, rangers

Columns = dict[tuple[str, str], np.ndarray]


def told(board: SimBoard, seconds: float = 10.0) -> tuple[Columns, Columns]:
    """Readings by (sensor, channel), and the board's times of each, s."""
    interpreter, values, times = Interpreter(board.rig), {}, {}
    for line in board.lines(round(seconds * 1e6)):
        read = interpreter.read(line, 0.0)
        if isinstance(read, Reading):
            for key, value in read.values.items():
                values.setdefault(key, []).append(value)
                times.setdefault(key, []).append((read.stamp_us or 0) / 1e6)
    return {k: np.array(v) for k, v in values.items()}, {k: np.array(v) for k, v in times.items()}


def bench(
    kind: str, seed: int = 7, hands: dict[str, float] | None = None, **options: str | float
) -> SimBoard:
    """A board with one part, "it"."""
    board = SimBoard(rig(part(kind, "it", **options)), seed)
    board.move({f"it.{name}": value for name, value in (hands or {}).items()})
    return board


def column(board: SimBoard, channel: str, seconds: float = 10.0) -> np.ndarray:
    return told(board, seconds)[0]["it", channel]


def test_every_kind_has_a_simulated_part_and_every_fault_a_part_or_the_board() -> None:
    assert set(PARTS) == set(KINDS)
    known = {name for one in PARTS.values() for name in one.faults} | {
        "jitter",
        "garbled",
        "baud",
        "unplug",
        "reset",
    }
    assert known == set(FAULTS)


@pytest.mark.parametrize(
    ("kind_id", "channel", "target", "expected"),
    [("ultrasonic-ranger", "echo", 3800.0, 22_000), ("time-of-flight-ranger", "reading", 3000.0, 8190.0)],
)
def test_a_healthy_part_is_never_pinned_at_the_span_by_which_faults_are_sized(
    kind_id: str, channel: str, target: float, expected: float
) -> None:
    read = column(bench(kind_id, hands={"target_mm": target, "reflects": 1.0}), channel, 30)
    assert np.median(read[read > 0]) == pytest.approx(expected, rel=0.05)
    spiky = column(bench(kind_id, hands={"target_mm": 500.0, "fault.spikes": 1.0}), channel, 30)
    low, high = PARTS[kind_id].span(None)  # type: ignore[arg-type]
    assert low <= spiky.min() <= spiky.max() <= high


def test_nothing_within_reach_of_a_time_of_flight_ranger_is_no_fault() -> None:
    board = bench("time-of-flight-ranger", hands={"target_mm": 3000.0})
    values, times = told(board, 20)
    sensor = board.rig.sensors[0]
    stream = stream_of(
        board.rig,
        sensor,
        times["it", "reading"],
        {"reading": values["it", "reading"]},
        usual_values(KINDS[sensor.kind], board.rig, sensor),
        1e-6,
    )
    assert [
        one.kind for one in examine(Record((stream,), lines=values["it", "reading"].size)) if one.accuses
    ] == []


@pytest.mark.parametrize("temperature", [5.0, 20.0, 35.0])
@pytest.mark.parametrize("target", [150.0, 900.0, 2200.0])
def test_the_echo_follows_the_speed_of_sound(temperature: float, target: float) -> None:
    board = SimBoard(ranger_and_air(), 7)
    board.move({"front-ranger.target_mm": target, "room.temperature_c": temperature})
    echoes = told(board, 60)[0]["front-ranger", "echo"]
    speed = float(sound.speed_of_sound_cramer(temperature, rangers.HUMIDITY_PCT))
    good = echoes[echoes > 0]
    found = (np.median(good) - rangers.DETECTION_DELAY_US) * speed / 2000
    assert found == pytest.approx(target, abs=4 * rangers.RULER_SD_MM + rangers.TICK_US * speed / 2000)
    assert set(good % rangers.TICK_US) == {0.0}
    assert good.std() == pytest.approx(np.hypot(rangers.JITTER_US, rangers.TICK_US / np.sqrt(12)), rel=0.12)


def test_beyond_the_reach_at_a_slant_and_on_soft_surfaces_echoes_fail() -> None:
    def lost(**hands: float) -> float:
        return float((column(bench("ultrasonic-ranger", hands=hands), "echo", 40) == 0).mean())

    assert lost(target_mm=5000) == 1.0
    assert lost(target_mm=2000, reflects=0.3) > 0.2
    assert lost(target_mm=2000, reflects=1.0) < 0.01
    assert lost(target_mm=800, slant_deg=5) < 0.01
    assert lost(target_mm=800, slant_deg=21) == pytest.approx(0.5, abs=0.08)
    assert lost(target_mm=800, slant_deg=45) == 1.0


def test_a_moving_target_turns_round_at_the_ends_of_the_bench() -> None:
    echoes = column(bench("ultrasonic-ranger", hands={"target_mm": 300, "moves_mm_s": -200}), "echo")
    good = echoes[echoes > 0]
    assert good.min() > 2000 * 120 / 350
    assert good[-1] > good[40]


def test_one_voltage_of_a_triangulation_ranger_has_two_distances() -> None:
    at = {
        mm: np.median(column(bench("triangulation-ranger", hands={"target_mm": mm}), "counts", 2))
        for mm in (40, 100, 200, 400, 800)
    }
    assert at[100] > at[200] > at[400] > at[800]
    assert at[40] < at[100]


def test_a_row_sees_the_line_where_it_lies_and_the_lamp_lifts_everything() -> None:
    def row(**hands: float) -> np.ndarray:
        room = {"room.lamp": hands.pop("lamp", 0.0)}
        board = bench("line-sensors", hands=hands)
        board.move(room)
        values, _ = told(board, 2)
        return np.array([np.median(values["it", f"s{n}"]) for n in range(1, 6)])

    assert row(line_mm=0).argmax() == 2  # pale reads low with the load at the supply
    assert row(line_mm=24).argmax() == 4
    assert row(line_mm=-24).argmax() == 0
    assert (row(ground=1, lamp=1.0) < row(ground=1, lamp=0.0) - 20).all()
    assert (row(ground=3) > row(ground=1) + 300).all()  # over an edge nothing comes back: as dark as black
    assert (row(ground=1, height_mm=25) > row(ground=1, height_mm=4) + 100).all()
    assert row(line_mm=24, **{"fault.swapped": 1}).argmax() == 0
    assert row(line_mm=0, **{"fault.inverted": 1}).argmin() == 2


@pytest.mark.parametrize("mains", [0, 1])
def test_the_lamp_flickers_at_twice_the_mains(mains: int) -> None:
    board = SimBoard(rig(part("line-sensors", "it")), 3, pace=10.0)
    board.move({"it.ground": 1, "room.lamp": 1.0, "room.mains": mains, "it.fault.flicker": 1})
    values, times = told(board, 4)
    wave = values["it", "s1"] - values["it", "s1"].mean()
    spectrum = np.abs(np.fft.rfft(wave))
    found = np.fft.rfftfreq(wave.size, np.median(np.diff(times["it", "s1"])))[spectrum[1:].argmax() + 1]
    assert found == pytest.approx((100.0, 120.0)[mains], abs=0.5)


def test_a_wheel_reaches_its_speed_by_its_acceleration_and_marks_are_uneven() -> None:
    board = bench("hall-switch", magnets=2, hands={"speed_m_s": 2.0, "gain_m_s2": 0.5})
    edges = column(board, "edge", 30)
    turn = board.truth()["it"]["distance_m"] / len(edges)
    speeds = turn * 2e6 / (edges[2:] - edges[:-2])
    assert speeds[0] == pytest.approx(0.8, abs=0.3)
    assert np.median(speeds[-10:]) == pytest.approx(2.0, rel=0.03)
    gaps = np.diff(edges)[-20:]
    ripple = abs(gaps[::2].mean() - gaps[1::2].mean()) / gaps.mean()
    assert 0.001 < ripple < 0.2


@pytest.mark.parametrize(
    ("fault", "ratio"), [("doubled", 2.0), ("missed", 0.8), ("chatter", 4.0), ("stuck", 0.0)]
)
def test_faults_of_marks(fault: str, ratio: float) -> None:
    healthy = len(column(bench("comparator-switch"), "edge"))
    board = bench("comparator-switch", hands={f"fault.{fault}": 1})
    faulty = len(told(board)[0].get(("it", "edge"), np.zeros(0)))
    assert faulty / healthy == pytest.approx(ratio, abs=0.08)


def test_motor_halls_pass_only_neighbouring_states_of_their_scheme() -> None:
    for scheme in ("120", "60"):
        board = bench("motor-halls", scheme=scheme, hands={"rpm": 120})
        values, times = told(board, 5)
        codes = (4 * values["it", "h1"] + 2 * values["it", "h2"] + values["it", "h3"]).astype(int)
        kept = np.concatenate([[True], np.diff(codes) != 0])
        decoded = motor_halls.decode(codes[kept], scheme)
        assert (decoded.invalid_codes, decoded.skipped) == (0, 0)
        assert decoded.direction == "forward"
        late = times["it", "h1"][kept & (times["it", "h1"] > 2.0)]
        rpm = 60 * (late.size - 1) / (late[-1] - late[0]) / (6 * 7)
        assert rpm == pytest.approx(120, rel=0.02)
    back = bench("motor-halls", hands={"rpm": -120})
    back.lines(3_000_000)
    values, _ = told(back, 6)
    codes = (4 * values["it", "h1"] + 2 * values["it", "h2"] + values["it", "h3"]).astype(int)
    kept = codes[np.concatenate([[True], np.diff(codes) != 0])]
    assert motor_halls.decode(kept).direction == "reverse"


def test_two_channels_tell_the_direction_and_swapped_ones_the_other() -> None:
    def counted(**hands: float) -> float:
        values, _ = told(bench("rotary-encoder", hands=hands), 5)
        return float(quadrature.decode(values["it", "a"], values["it", "b"]).count[-1])

    assert counted(speed_mm_s=60) > 200
    assert counted(speed_mm_s=60, **{"fault.swapped": 1}) < -200


def test_a_pose_is_read_as_it_is_held_and_turning_shows_on_the_gyro() -> None:
    board = bench("inertial-unit", hands={"nose_up_deg": 20, "left_up_deg": -10, "turns_deg_s": 45})
    values, times = told(board, 6)
    late = times["it", "x"] > 2
    found = tilt(*(values["it", axis][late] for axis in "xyz"))
    assert np.median(found.pitch_deg) == pytest.approx(-20, abs=2.5)
    assert np.median(found.roll_deg) == pytest.approx(-10, abs=2.5)
    assert np.median(values["it", "gz"][late]) / 32768 * 250 == pytest.approx(45, abs=5)
    early = times["it", "x"] < 0.2
    # the nose coming up is a turn to the left about y
    assert values["it", "gy"][early].mean() / 32768 * 250 < -40
    assert board.truth()["it"]["tilt"] == pytest.approx(22.3, abs=0.1)


def test_motors_sag_the_battery_shake_the_unit_and_disturb_analogue_wires() -> None:
    spread, level = {}, {}
    for motors in (0.0, 1.0):
        board = SimBoard(fern(), 4)
        board.move({"room.motors": motors})
        values, _ = told(board, 8)
        spread[motors] = values["tilt", "z"].std(), values["battery-gauge", "counts"].std()
        level[motors] = values["battery-gauge", "counts"].mean()
    assert spread[1.0][0] > 5 * spread[0.0][0]
    assert spread[1.0][1] > 1.5 * spread[0.0][1]
    assert level[1.0] < level[0.0] - 30


@pytest.mark.parametrize(
    ("fault", "seen"),
    [
        ("zeros", lambda x: (x == 0).mean() == pytest.approx(0.3, abs=0.06)),
        ("spikes", lambda x: (np.abs(x - np.median(x)) > 60).mean() == pytest.approx(0.075, abs=0.04)),
        ("stuck", lambda x: len(set(x.tolist())) == 1),
        ("scale", lambda x: np.median(x) == pytest.approx(245, abs=15)),
        ("drift", lambda x: x[-50:].mean() - x[:50].mean() > 100),
    ],
)
def test_faults_of_a_level(fault: str, seen) -> None:
    values, _ = told(bench("battery-divider", top_ohm=22_000.0, hands={f"fault.{fault}": 1}), 60)
    assert seen(values["it", "counts"])


def test_a_clipped_reading_is_pinned() -> None:
    unit = column(bench("inertial-unit", hands={"nose_up_deg": 30, "fault.clipping": 1}), "z", 3)
    assert (unit == 32767).mean() > 0.9
    ranger = column(bench("triangulation-ranger", hands={"target_mm": 110, "fault.clipping": 1}), "counts", 2)
    assert len(set(ranger.tolist())) == 1


def test_the_same_seed_prints_the_same_lines_and_hands_are_checked_by_name() -> None:
    one, two, other = (SimBoard(fern(), seed) for seed in (1, 1, 2))
    lines = [board.lines(2_000_000) for board in (one, two, other)]
    assert lines[0] == lines[1] != lines[2]
    for change in (
        {"front-ranger.target_mm": 5.0},
        {"room.temperature_c": 99.0},
        {"room.lamp": float("nan")},
        {"board.fault.gremlins": 1.0},
        {"nobody.target_mm": 100.0},
    ):
        before = dict(one.world.set)
        with pytest.raises(BadInput) as refused:
            one.move({"front-ranger.target_mm": 300.0, **change})
        assert refused.value.path == next(iter(change))
        assert one.world.set == before


def test_the_board_tells_everything_again_and_starts_again_with_its_greeting() -> None:
    board = bench("digital-line-sensor")
    lines = board.lines(2_000_000)
    assert lines[0] == "Watch program of Fern"
    stamps = [int(line.split()[0].removeprefix("t_us:")) for line in lines[1:]]
    assert all(b - a <= 510_000 for a, b in itertools.pairwise(stamps))
    board.move({"board.fault.reset": 1})
    again = board.lines(3_000_000)
    assert again[0] == "Watch program of Fern"
    assert int(again[1].split()[0].removeprefix("t_us:")) < 600_000
    assert board.world.set["board.fault.reset"] == 0


def test_jitter_makes_lines_come_irregularly_but_in_order() -> None:
    board = bench("ultrasonic-ranger")
    board.move({"board.fault.jitter": 1})
    _, times = told(board, 20)
    steps = np.diff(times["it", "echo"])
    assert (steps > 0).all()
    assert steps.std() > 0.004
