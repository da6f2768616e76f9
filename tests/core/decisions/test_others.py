"""Votes, filters, pulses, tipping, dropouts, edge guard and trim screw."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest

from tests.core.decisions.seen import plain_seen, row_seen, values_of
from tickstone.core.decisions import dropouts, filter_choice, votes
from tickstone.core.decisions.catalogue import DECISIONS, decision
from tickstone.core.decisions.decision import Question
from tickstone.core.decisions.obstacle import usual_noise_mm
from tickstone.core.decisions.pulse_limits import merged
from tickstone.core.rigs.kinds import KINDS
from tickstone.core.wording import significant
from tickstone.errors import BadInput, NotFound


@pytest.mark.parametrize(("needed", "of", "p"), [(1, 1, 0.01), (2, 2, 0.05), (2, 3, 0.04), (3, 5, 0.08)])
def test_false_trips_are_as_many_as_in_a_simulation(needed: int, of: int, p: float) -> None:
    random = np.random.default_rng(7)
    near = random.random(1_000_000) < p
    counts = np.convolve(near, np.ones(of, dtype=int))[: near.size]
    over = counts >= needed
    trips = int((over[1:] & ~over[:-1]).sum())
    hours = near.size * 0.05 / 3600
    expected = votes.false_trips_per_hour(p, needed, of, 0.05) * hours
    assert trips == pytest.approx(expected, abs=5 * math.sqrt(expected) + 1)


@pytest.mark.parametrize(("needed", "of", "lost"), [(2, 2, 0.1), (2, 3, 0.3), (1, 4, 0.5)])
def test_late_trips_are_as_many_as_in_a_simulation(needed: int, of: int, lost: float) -> None:
    random = np.random.default_rng(8)
    late = (random.random((100_000, of)) >= lost).sum(axis=1) < needed
    share = votes.late_share(lost, needed, of)
    assert late.mean() == pytest.approx(share, abs=5 * math.sqrt(share / 100_000))


def test_a_dropout_is_never_clear_and_a_single_spike_never_trips() -> None:
    far, near = np.full(40, 900.0), np.full(40, 100.0)
    lost = np.full(40, np.nan)
    valid = np.concatenate([np.ones(80, bool), np.zeros(40, bool)])
    state = votes.tripped(np.concatenate([far, near, lost]), valid, 240, 290, 2, 2)
    assert not state[:41].any()
    assert state[41:].all()
    far[20] = 50.0
    assert not votes.tripped(far, np.ones(40, bool), 240, 290, 2, 2).any()
    assert votes.tripped(far, np.ones(40, bool), 240, 290, 1, 2).any()
    with pytest.raises(BadInput, match="cannot be more") as refused:
        votes.check_votes(3, 2)
    assert refused.value.path == "votes"


GUARD = votes.Guard(240, 290, 2, 2)


def pushes(lost_while_near: bool = False) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Three approaches at 0.3 m/s with a spike in the open; the last may lose its readings."""
    way = np.concatenate(
        [np.linspace(900, 150, 50), np.full(20, 150.0), np.linspace(150, 900, 50), np.full(20, 900.0)]
    )
    distance = np.tile(way, 3)
    distance += np.random.default_rng(3).normal(0, 1, distance.size)
    distance[130:132] = 60.0  # two spikes in the open, one after the other
    valid = np.ones(distance.size, bool)
    if lost_while_near:
        valid[280 + 42 : 280 + 60] = False
    return np.arange(distance.size) * 0.05, np.where(valid, distance, np.nan), valid


def test_trips_on_a_recording_are_counted_against_what_was_there() -> None:
    found = votes.count_on(*pushes(), GUARD, 1.0)
    assert (found.trips, found.false, found.approaches, found.late) == (4, 1, 3, 0)
    times, distance, valid = pushes()
    assert found.hours == pytest.approx((times[-1] - times[0]) / 3600)
    assert votes.count_on(times + 500, distance, valid, GUARD, 1.0) == replace(
        found, hours=pytest.approx(found.hours)
    )
    assert votes.count_on(*pushes(), votes.Guard(240, 290, 3, 3), 1.0).false == 0
    assert votes.count_on(*pushes(lost_while_near=True), GUARD, 1.0).late == 1
    first = np.array([50.0, *[1000.0] * 19])  # a trip at the very first reading, of something that was there
    once = votes.Guard(240, 290, 1, 1)
    found = votes.count_on(np.arange(20) * 0.05, first, np.ones(20, bool), once, 1.0, there=first)
    assert (found.trips, found.false) == (1, 0)
    assert votes.count_on(np.zeros(0), np.zeros(0), np.zeros(0, bool), GUARD, 1.0).trips == 0


def test_the_obstacle_guard_is_the_sum_of_its_parts_and_says_what_changes() -> None:
    """Stopping distance by its textbook formula: reaction at full speed, then v²/(2a)."""
    _, distance, valid = pushes()
    values = values_of("ultrasonic-ranger", drive_speed=1.2, braking=1.5, votes=2, votes_of=3)
    found = decision("obstacle").work(Question([plain_seen(distance, valid)]), values)
    assert found.drawing is not None
    t, v, travelled = 0.0, 1.2, 1.2 * (0.05 * 3 + 0.05)
    while v > 0:
        travelled, v, t = travelled + v * 1e-5, v - 1.5e-5, t + 1e-5
    parts = found.drawing.parts_mm
    assert parts["reaction"] + parts["braking"] == pytest.approx(1000 * travelled, rel=1e-4)
    titles = [table.title for table in found.tables]
    assert titles[0] == "2 of 3 votes"
    assert "At another speed" in titles
    assert found.heading.startswith("At 1.2 m/s the cart must begin to stop at")
    assert any(
        "ever take them for clear" in note
        for note in decision("obstacle")
        .work(Question([plain_seen(distance, np.arange(distance.size) % 9 > 0)]), values)
        .notes
    )
    fast = decision("obstacle").work(Question(), values_of("ultrasonic-ranger", drive_speed=9.0))
    assert "cannot stop within" in fast.heading
    assert fast.why_not
    for picked in (
        {"trip": 5.0, "clear": 300.0},
        {"trip": 300.0, "clear": 200.0},
        {"trip": 9000.0, "clear": 9500.0},
    ):
        with pytest.raises(BadInput) as refused:
            decision("obstacle").work(Question(picked=picked), values)
        assert refused.value.path == "trip"


@pytest.mark.parametrize("constant", ["gap", "reaction"])
def test_what_is_dragged_at_the_end_of_a_part_takes_the_stop_along(constant: str) -> None:
    values = values_of("ultrasonic-ranger", drive_speed=1.2, filter_kind=1, filter_amount=5, set_back=20)
    floor = decision("obstacle").work(Question(), values).drawing
    grip = next(grip for grip in floor.grips if grip.constant == constant)
    end = grip.zero_mm + values[constant].value / grip.per_mm
    behind = ("noise", "reaction", "braking") if constant == "gap" else ("noise",)
    assert end == pytest.approx(floor.trip_mm - sum(floor.parts_mm[part] for part in behind))
    longer = replace(values[constant], value=values[constant].value + 40 * grip.per_mm)
    assert decision("obstacle").work(
        Question(), values | {constant: longer}
    ).drawing.trip_mm == pytest.approx(floor.trip_mm + 40)
    standing = decision("obstacle").work(Question(), values_of("ultrasonic-ranger", drive_speed=0.0)).drawing
    assert {grip.constant for grip in standing.grips} == {"drive_speed", "gap"}


def test_a_chosen_filter_makes_the_guard_trip_farther_and_calmer() -> None:
    plain = decision("obstacle").work(Question(), values_of("ultrasonic-ranger")).drawing
    filtered = (
        decision("obstacle")
        .work(Question(), values_of("ultrasonic-ranger", filter_kind=1, filter_amount=5))
        .drawing
    )
    assert plain is not None
    assert filtered is not None
    assert filtered.parts_mm["noise"] == pytest.approx(plain.parts_mm["noise"] / math.sqrt(5))
    assert filtered.parts_mm["reaction"] - plain.parts_mm["reaction"] == pytest.approx(400 * 2 * 0.05)


def test_the_calm_part_of_a_recording_is_its_longest_rest() -> None:
    random, block = np.random.default_rng(6), filter_choice.LEAST_READINGS
    still, moves = random.normal(500, 2, block), np.linspace(500, 900, block) + random.normal(0, 2, block)
    assert filter_choice._calm(still).size == block
    assert filter_choice._calm(np.concatenate([moves, still])) == pytest.approx(still)
    assert filter_choice._calm(np.concatenate([still, moves, moves + 400])) == pytest.approx(still)
    longer = random.normal(900, 2, 2 * block)
    assert filter_choice._calm(np.concatenate([still, moves, longer])) == pytest.approx(longer)
    assert filter_choice._calm(moves).size == 0


def test_every_filter_is_worth_on_white_noise_what_theory_says() -> None:
    """Noise ratios: moving average 1/√N; median by order statistics; smoothing √(α/(2 − α)) (Smith, ch. 15
    and 19)."""
    readings = np.random.default_rng(5).normal(500, 2, 6000)
    found = {one.setting.label: one for one in filter_choice.on_these(readings, 0.05)}
    assert found["none"].noise == pytest.approx(2, rel=0.05)
    for label, ratio in (
        ("average of 5", 5**-0.5),
        ("median of 3", 0.6698),
        ("smooth α 0.3", math.sqrt(0.3 / 1.7)),
    ):
        assert found[label].noise == pytest.approx(2 * ratio, rel=0.08), label
    table = filter_choice._table(list(found.values()), "mm", 0.4, found["none"].noise)
    rows = {row[0]: row for row in table.rows}
    assert float(rows["average of 5"][2].removesuffix(" %")) == pytest.approx(100 * 5**-0.5, abs=4)
    assert rows["average of 5"][4:] == ("100 ms", "40.0 mm")  # two readings of 50 ms late, at 0.4 m/s
    for label in ("average of 9", "smooth α 0.2", "Kalman q/r 0.01"):
        one = found[label]
        # on a ramp of one a reading the lag is what is missing
        out = one.setting.run(np.arange(4000, dtype=float))
        assert 3999 - out[-1] == pytest.approx(one.lag_s / 0.05, rel=0.01), label


def test_a_filter_changes_the_odds_of_what_is_decided() -> None:
    times, distance, valid = pushes()
    del times
    values = values_of("ultrasonic-ranger", votes=1, votes_of=1)
    picked = {"filter_kind": 2.0, "filter_amount": 5.0}
    found = decision("filter").work(Question([plain_seen(distance, valid)], picked=picked), values)
    none, median = found.tables[0].rows
    assert (none[3], median[3]) == ("1 of 4", "0 of 3")  # the two spikes in the open
    assert none[4] == median[4] == "0 of 3"
    assert int(median[1].split()[0]) > int(none[1].split()[0])
    random = np.random.default_rng(4)
    row = row_seen(random.normal(600, 60, (1, 800)), random.normal(400, 60, (1, 800)))
    chosen = values_of("line-sensors", sensors=1, threshold_s1=500)
    table = (
        decision("filter")
        .work(Question([row], picked={"filter_kind": 1.0, "filter_amount": 5.0}), chosen)
        .tables[0]
    )
    raw, calm = (int(one[2].split()[0]) for one in table.rows)
    assert raw > 50
    assert calm < raw / 5


def test_the_filter_that_is_suggested_is_quiet_and_in_time() -> None:
    random = np.random.default_rng(6)
    readings = np.concatenate(
        [np.full(400, 800.0), np.linspace(800, 300, 200), np.full(200, 300.0)]
    ) + random.normal(0, 3, 800)
    readings[::37] -= 200
    seen = plain_seen(readings)
    found = decision("filter").work(Question([seen]), values_of("ultrasonic-ranger", drive_speed=0.1))
    suggested = found.choices[0].options[int(found.choices[0].suggested)]
    assert suggested == "median"  # single spikes
    assert any("single spikes" in note for note in found.notes)
    assert any("For the obstacle guard" in note for note in found.notes)
    assert sum(dot.picked for dot in found.plots[0].dots) == 1
    own = decision("filter").work(
        Question([seen], picked={"filter_kind": 1.0, "filter_amount": 6.0}), values_of("ultrasonic-ranger")
    )
    assert own.heading.startswith("Average of 6 leaves")
    for picked, field in (
        ({"filter_kind": 9.0}, "filter_kind"),
        ({"filter_kind": 1.0, "filter_amount": 2.5}, "filter_amount"),
    ):
        with pytest.raises(BadInput) as refused:
            decision("filter").work(Question([seen], picked=picked), values_of("ultrasonic-ranger"))
        assert refused.value.path == field
    with pytest.raises(BadInput, match="at least 30"):
        filter_choice.on_these(readings[:9], 0.05)
    assert decision("filter").work(Question(), values_of("ultrasonic-ranger")).why_not


def periods(bounces: bool) -> np.ndarray:
    """A shaft that speeds up from 30 to 300 rpm, one pulse a turn; each pulse may bounce after 2 ms."""
    whole = 60e6 / np.linspace(30, 300, 120)
    return np.ravel([[2000.0, one - 2000.0] for one in whole]) if bounces else whole


def test_the_limits_of_a_shaft_keep_bounces_out_and_true_pulses_in() -> None:
    values = values_of("comparator-switch")
    for bounces in (False, True):
        times = periods(bounces)
        found = decision("turning").work(Question([plain_seen(times, asked={"period": times})]), values)
        chosen = {one.name: one.suggested for one in found.choices}
        assert chosen["over_rpm"] == 360
        assert chosen["slow_s"] == pytest.approx(3.0)
        assert 2000 * bounces < chosen["refractory"] < 100_000
        assert merged(times, chosen["refractory"]).size == pytest.approx(120, abs=1)
        late = decision("turning").work(
            Question([plain_seen(times, asked={"period": times})], picked={"refractory": 150_000.0}), values
        )
        assert late.why_not.startswith("Keep the refractory time under 100000")
    assert decision("turning").work(Question(), values).why_not


def test_unequal_magnets_want_a_whole_turn_averaged() -> None:
    times = np.tile([60_000.0, 40_000.0], 60)
    found = decision("turning").work(
        Question([plain_seen(times, asked={"period": times})]), values_of("hall-switch", magnets=2)
    )
    assert next(one for one in found.choices if one.name == "smoothing").suggested == 2


def test_counts_and_rates_of_edges_are_pulses_too() -> None:
    at = np.arange(400) * 0.05  # 20 readings a second of an encoder of 80 steps at 90 rpm: 6 steps each
    counts = plain_seen(np.zeros(400), asked={"count": np.floor(at * 120 + 1e-9)})
    found = decision("turning").work(Question([counts]), values_of("rotary-encoder", steps=80))
    assert {one.name: one.suggested for one in found.choices}["over_rpm"] == 110
    halls = plain_seen(np.zeros(100), asked={"edges": np.full(100, 700.0)})  # 7 pole pairs: 1000 rpm
    found = decision("turning").work(Question([halls]), values_of("motor-halls"))
    assert {one.name: one.suggested for one in found.choices}["over_rpm"] == 1200
    standing = plain_seen(np.zeros(50), asked={"count": np.full(50, 7.0)})
    assert decision("turning").work(Question([standing]), values_of("rotary-encoder")).why_not


def test_the_tilt_alarm_comes_before_it_tips() -> None:
    """Tipping over: atan(half the track over the height of the centre of gravity), any statics textbook."""
    values = values_of("inertial-unit", track=200, cog_height=100, tilt_rate=30, fusion_lag=0.1, held_back=2)
    found = decision("tilt").work(
        Question([plain_seen(np.random.default_rng(1).normal(0, 0.3, 500))]), values
    )
    assert found.choices[0].suggested == pytest.approx(45 - 3 - 0.9 - 2, abs=0.5)
    late = decision("tilt").work(Question(picked={"tilt_alarm": 44.0}), values)
    assert not late.good
    hopeless = decision("tilt").work(Question(), values_of("inertial-unit", track=20, cog_height=400))
    assert hopeless.why_not


def test_missing_readings_are_held_skipped_or_stopped_at_but_never_clear() -> None:
    values = np.array([500.0, 480, 0, 0, 0, 0, 0, 0, 0, 460])
    valid = values > 0
    times = np.arange(10) * 0.1
    out, stop = dropouts.output(times, values, valid, dropouts.HOLD, 0.3)
    assert out[2:5].tolist() == [480, 480, 480]
    assert np.isnan(out[5:9]).all()
    assert stop.tolist() == [False] * 5 + [True] * 4 + [False]
    out, stop = dropouts.output(times, values, valid, dropouts.SKIP, 0.3)
    assert np.isnan(out[2:9]).all()
    assert dropouts.output(times, values, valid, dropouts.AT_ONCE, 0.3)[1][2:9].all()
    assert dropouts.runs_of(times, valid) == [pytest.approx((0.1, 0.9))]
    assert dropouts.output(times, values, np.zeros(10, bool), dropouts.HOLD, 0.3)[
        1
    ].all()  # nothing good yet: stop
    found = decision("dropouts").work(
        Question([plain_seen(np.where(valid, values, np.nan), rate_hz=10)]), values_of("ultrasonic-ranger")
    )
    assert found.heading == "It would have stopped 1 time in 0.0 min"
    assert [row[1] for row in found.tables[0].rows] == ["1", "1", "1"]


def test_the_edge_guard_goes_only_where_the_table_is() -> None:
    random = np.random.default_rng(2)
    values = values_of("line-sensors", sensors=2)
    table, dark = random.normal(200, 6, (2, 400)), random.normal(760, 6, (2, 400))
    found = decision("edge").work(Question([row_seen(dark, table)]), values)
    low, high = found.choices[0].suggested, found.choices[1].suggested
    assert low == pytest.approx(170, abs=4)
    assert high == pytest.approx(230, abs=4)
    assert not found.good  # at 0.4 m/s it does not stand in the 30 mm that the row looks ahead
    assert "over the edge" in found.heading
    assert "0.17 m/s" in found.next
    slow = values_of("line-sensors", sensors=2, drive_speed=0.17)
    assert decision("edge").work(Question([row_seen(dark, table)]), slow).good
    close = decision("edge").work(Question([row_seen(random.normal(225, 6, (2, 400)), table)]), values)
    assert close.heading == "Left and right would take the edge for the table"
    assert decision("edge").work(Question(), values).why_not


@pytest.mark.parametrize(
    ("speed", "braking", "look", "votes_needed", "reaction"),
    [(0.4, 0.8, 0.02, 2, 0.02), (1.5, 3.0, 0.005, 5, 0.1)],
)
def test_the_overrun_is_that_of_the_motion_and_the_fastest_speed_just_stands(
    speed: float, braking: float, look: float, votes_needed: int, reaction: float
) -> None:
    """Stopping distance by its textbook formula, beside an integration of the motion."""
    random = np.random.default_rng(2)
    seen = [row_seen(random.normal(760, 6, (2, 400)), random.normal(200, 6, (2, 400)))]
    given = {
        "drive_speed": speed,
        "braking": braking,
        "look_interval": look,
        "edge_votes": votes_needed,
        "reaction": reaction,
    }
    way, v = 1000 * speed * (look * votes_needed + reaction), speed
    while v > 0:
        way, v = way + 1000 * v * 1e-5, v - braking * 1e-5
    enough, short = (
        decision("edge").work(
            Question(seen), values_of("line-sensors", sensors=2, ahead=way * share, **given)
        )
        for share in (1.02, 0.98)
    )
    assert (enough.good, short.good) == (True, False)
    fastest = float(short.next.split("no faster than ")[1].split(" m/s")[0])
    assert fastest == pytest.approx(speed, rel=0.03)
    assert float(short.tables[0].rows[1][1].removesuffix(" mm")) == pytest.approx(way, abs=1.5)


def test_other_air_is_said_by_what_the_rig_carries() -> None:
    values = values_of("ultrasonic-ranger")
    with_thermometer = decision("obstacle").work(Question(air_measured=True), values)
    titles = [table.title for table in with_thermometer.tables]
    assert "In other air, if it were not measured" in titles
    bare = [table.title for table in decision("obstacle").work(Question(), values).tables]
    assert "In other air: nobody measures it" in bare


def test_what_is_left_before_the_obstacle_is_said_in_one_way() -> None:
    values = values_of("ultrasonic-ranger", drive_speed=0.3)
    needed = decision("obstacle").work(Question(), values).drawing
    assert needed is not None
    trip = needed.trip_mm + 12
    found = decision("obstacle").work(Question(picked={"trip": trip, "clear": trip + 50}), values)
    assert found.heading.endswith(
        f"stops the cart {needed.parts_mm['gap'] + 12:.0f} mm before it would touch"
    )
    (row,) = [
        row
        for table in found.tables
        for row in table.rows
        if table.title == "At another speed" and row[0] == "0.3 m/s"
    ]
    assert row[2] == "12 mm more than needed"


@pytest.mark.parametrize("count", [30, 50, 61, 90, 160, 320, 900, 1300])
@pytest.mark.parametrize("moving", [False, True])
def test_short_recordings_say_which_filters_need_a_longer_one(count: int, moving: bool) -> None:
    readings = np.random.default_rng(count).normal(500, 2, count) + (
        np.arange(count) * 3.0 if moving else 0.0
    )
    seen = plain_seen(readings, rate_hz=20)
    values = values_of("ultrasonic-ranger")
    for amount in filter_choice.RATIOS:
        picked = {"filter_kind": 4.0, "filter_amount": amount}
        found = decision("filter").work(Question([seen], picked=picked), values)
        one = filter_choice.setting("kalman", amount)
        ladder = next(table for table in found.tables if table.title.startswith("Kalman"))
        (row,) = [row for row in ladder.rows if row[0] == significant(amount)]
        if filter_choice.needed_readings(one) > count:
            assert not found.good
            assert "needs a recording of" in found.heading
            assert "record" in row[3]
            assert any(one.label in note and "too short" in note for note in found.notes)
        else:  # the heading and the ladder are one figure
            assert found.heading.split("leaves ")[1].split(" of the noise")[0] == row[3]
    suggested = decision("filter").work(Question([seen]), values)
    assert suggested.good
    if count >= 900 and not moving:
        slow = filter_choice.setting("kalman", 1e-3)
        left = next(one for one in filter_choice.on_these(readings, 0.05) if one.setting == slow)
        assert left.noise == pytest.approx(2 * slow.noise_ratio, rel=0.5)


def test_the_trim_screw_stands_between_pale_and_dark() -> None:
    trim = decision("trim")
    assert trim.work(Question(), values_of("comparator-switch")).why_not  # both are only assumed
    found = trim.work(Question(), values_of("comparator-switch", pale_v=0.5, dark_v=3.5))
    assert found.choices[0].suggested == pytest.approx(2.0)
    assert found.heading == "Set the screw so that the meter says 1.98 to 2.02 V"
    near = trim.work(Question(), values_of("comparator-switch", pale_v=2.0, dark_v=2.1))
    assert "no setting of the screw parts them" in near.heading
    outside = trim.work(
        Question(picked={"trim_v": 4.2}), values_of("comparator-switch", pale_v=0.5, dark_v=3.5)
    )
    assert not outside.good


def test_every_decision_belongs_to_a_kind_and_chooses_constants_that_it_has() -> None:
    listed = set()
    for one in KINDS.values():
        names = {spec.name for spec in one.constants}
        for name in one.decisions:
            listed.add(name)
            assert set(decision(name).sets(values_of(one.id))) <= names, (one.id, name)
    assert listed == set(DECISIONS)
    with pytest.raises(NotFound):
        decision("dance")


@pytest.mark.parametrize(
    ("kind_id", "changed", "noise_mm"),
    [
        ("ultrasonic-ranger", {"jitter": 10.0, "sound": 343.0}, 10e-6 * 343_000 / 2),  # there and back
        ("time-of-flight-ranger", {"noise": 3.0}, 3.0),
    ],
)
def test_the_usual_noise_of_a_ranger_is_by_its_own_constants(
    kind_id: str, changed: dict, noise_mm: float
) -> None:
    assert usual_noise_mm(values_of(kind_id, **changed)) == pytest.approx(noise_mm)


def test_each_way_with_missing_readings_says_what_it_does_of_this_recording() -> None:
    short, long = [500.0, 0, 0, 500], [500.0] + [0.0] * 5
    values = np.array(short + long + [500.0])
    seen = plain_seen(np.where(values > 0, values, np.nan), values > 0, rate_hz=10)  # runs of 0.3 s and 0.6 s
    policy, usual = decision("dropouts"), values_of("ultrasonic-ranger", drive_speed=0.5)
    found = policy.work(Question([seen]), usual)
    assert found.heading.startswith("It would have stopped 1 time")
    assert [row[1] for row in found.tables[0].rows] == ["1", "1", "2"]
    assert [row[2] for row in found.tables[0].rows] == ["5", "0", "0"]
    assert found.notes[1] == "At 0.5 m/s it goes 150 mm blind before it stops."
    assert found.notes[2] == "2 runs of missing readings; the longest lasts 600 ms."
    patient = policy.work(Question([seen], picked={"dropout_after": 0.6}), usual)
    assert patient.heading == "It would not have stopped: no run of missing readings lasts 0.6 s"
    at_once = policy.work(Question([seen], picked={"dropout_policy": float(dropouts.AT_ONCE)}), usual)
    assert at_once.heading.startswith("It would have stopped 2 times")
    assert policy.work(Question(), usual).heading.startswith("A missing reading is never")


def test_a_trim_is_good_while_nothing_is_measured_and_then_only_well_between() -> None:
    trim = decision("trim")
    for constants, picked, good in (
        ({}, {}, True),
        ({}, {"trim_v": 4.9}, True),
        ({"pale_v": 0.5, "dark_v": 3.5}, {}, True),
        ({"pale_v": 0.5, "dark_v": 3.5}, {"trim_v": 0.52}, False),
        ({"pale_v": 0.5, "dark_v": 3.5}, {"trim_v": 4.2}, False),
    ):
        decided = trim.work(Question(picked=picked), values_of("comparator-switch", **constants))
        assert decided.good is good, (constants, picked)
