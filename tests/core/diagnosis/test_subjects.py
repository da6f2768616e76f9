"""The fault finder's parts by subject: edges of their inputs, closed forms, and reference routines beside
them."""

from __future__ import annotations

import numpy as np
import pytest
from scipy.signal import lombscargle

from tickstone.core.diagnosis import creep, edges, examine, finding, halls, lines, mains, nothing
from tickstone.core.diagnosis.finding import KINDS, TITLES, Finding, found, ramp, remedy
from tickstone.core.diagnosis.record import (
    ACCEL,
    ECHO,
    EDGE,
    LEVEL,
    LIGHT,
    OTHER,
    Array,
    Record,
    Signal,
    Stream,
    nature_of,
    runs,
)
from tickstone.core.motor_halls import SEQUENCES
from tickstone.core.rigs.kinds import KINDS as SENSOR_KINDS

R = np.random.default_rng(11)


def stream(values: Array, nature: str = ECHO, dt: float = 0.05, **more: object) -> Stream:
    signal = Signal("x", nature, np.asarray(values, np.float64), **more)  # type: ignore[arg-type]
    return Stream("s", np.arange(len(values)) * dt, (signal,))


@pytest.mark.parametrize("nature", [ECHO, LIGHT, ACCEL, EDGE, LEVEL, OTHER])
@pytest.mark.parametrize(
    "values",
    [
        [],
        [5.0],
        [5.0, 5.0],
        [np.nan] * 40,
        [7.0] * 40,
        [0.0] * 40,
        [0.0, 1.0] * 20,
        np.arange(100.0),
        [1e300, -1e300] * 20,
    ],
    ids=["empty", "one", "two", "nothing told", "constant", "zeros", "in turn", "rising", "huge"],
)
def test_nothing_breaks_it_and_it_says_no_nonsense(nature: str, values: list[float]) -> None:
    with np.errstate(all="ignore"):
        for one in examine.examine(Record((stream(np.array(values), nature),), lines=len(values))):
            assert 0 <= one.confidence <= finding.SUREST
            assert np.isfinite([one.start_s, one.end_s]).all()


def test_a_record_without_streams_has_nothing_wrong() -> None:
    assert examine.examine(Record(())) == []


def test_every_kind_has_a_title_causes_and_advice() -> None:
    assert set(TITLES) == set(KINDS)
    for kind in KINDS:
        behind = remedy(kind, "")
        assert behind.causes
        assert behind.advice.endswith(".")


def test_every_channel_of_every_kind_of_sensor_has_a_nature() -> None:
    told = {
        f"{what.id}.{channel.name}": nature_of(what.family, channel.form, channel.unit, channel.name)
        for what in SENSOR_KINDS.values()
        for channel in what.channels
    }
    assert told["ultrasonic-ranger.echo"] == ECHO
    assert told["hall-switch.edge"] == EDGE
    assert told["hall-switch.level"] == LEVEL
    assert told["inertial-unit.z"] == ACCEL
    assert [name for name, nature in told.items() if nature == OTHER] == ["air-temperature-humidity.humidity"]


def test_confidence_rises_with_evidence_and_stays_within_its_ends() -> None:
    points = (0.01, 0.3), (0.05, 0.8)
    assert ramp(0.0, *points) == 0.3
    assert ramp(1.0, *points) == 0.8
    assert found("drift", "s", "x", LIGHT, (0, 1), 7.0, "it.").confidence == finding.SUREST


def test_runs_are_told_with_their_ends() -> None:
    assert runs(np.array([True, True, False, True])) == [(0, 2), (3, 4)]
    assert runs(np.zeros(0, bool)) == []


@pytest.mark.parametrize("sd", [1.0, 4.0, 30.0])
def test_noise_is_that_of_the_quieter_stretches(sd: float) -> None:
    quiet = np.round(500 + R.normal(0, sd, 4000))
    moving = quiet + 200 * np.sin(np.arange(4000) / 60)
    # rounding to whole numbers makes it coarse
    assert Signal("x", LIGHT, quiet).noise == pytest.approx(sd, rel=0.25)
    assert Signal("x", LIGHT, moving).noise == pytest.approx(sd, rel=0.25)
    assert Signal("x", LIGHT, np.full(50, 3.0)).noise == 0.0
    assert Signal("x", LIGHT, np.tile([1.0, 1.25], 50)).quantum == 0.25


def test_no_number_that_a_ranger_prints_for_nothing_is_a_reading() -> None:
    said = np.array([0.0, -1.0, 38_000.0, 2900.0, np.nan])
    assert nothing.nothing(stream(said), stream(said).signals[0]).tolist() == [True, True, True, False, False]


def test_a_zero_is_a_reading_where_its_neighbours_are_near_it() -> None:
    near = np.tile([0.0, 1.0, 2.0, 1.0], 30)
    assert not nothing.nothing(stream(near, LIGHT), stream(near, LIGHT).signals[0]).any()
    far = np.where(np.arange(120) % 40 == 20, 0.0, 500.0 + R.normal(0, 3, 120))
    assert nothing.nothing(stream(far, LIGHT), stream(far, LIGHT).signals[0]).sum() == 3


@pytest.mark.parametrize(
    ("step", "times"),
    [
        (0.001, np.round(np.cumsum(np.full(500, 0.0473)), 3)),
        (0.01, np.round(np.cumsum(np.full(500, 0.0473)), 2)),
    ],
)
def test_the_step_of_times_is_found_in_them(step: float, times: Array) -> None:
    assert lines.time_step(np.diff(times)) == pytest.approx(step)


@pytest.mark.parametrize(
    ("text", "garbled"),
    [
        ("t_us:1~4 echo", True),
        ("12,\ufffd4", True),
        ("123,4", True),
        ("Board ready", False),
        ("t_ms,echo_us", False),
        ("Watch program of Fern 2", False),
        ("", False),
    ],
)
def test_words_are_no_garbling(text: str, garbled: bool) -> None:
    assert lines.looks_garbled(text, {"t_ms", "echo_us"}) is garbled


@pytest.mark.parametrize("rate", [90.0, 333.0, 1000.0])
def test_power_at_the_true_frequency_is_that_of_the_reference_periodogram(rate: float) -> None:
    """Against scipy.signal.lombscargle (Lomb, Astrophys. Space Sci. 39 (1976) 447), at uneven times, folded
    or not."""
    t = np.arange(1500) / rate + R.uniform(0, 0.2 / rate, 1500)
    x = 5 * np.cos(2 * np.pi * 100 * t + 0.7) + R.normal(0, 1, t.size)
    x = x - x.mean()
    hz = np.linspace(95, 105, 81)
    ours = mains._powers(t, x, hz)
    theirs = lombscargle(t, x, 2 * np.pi * hz)
    near = theirs > 0.02 * theirs.max()
    # the two differ by how they orthogonalise
    np.testing.assert_allclose(ours[near] / t.size, theirs[near], rtol=0.1)
    assert hz[np.argmax(ours)] == pytest.approx(100, abs=0.13)


def test_a_swing_is_told_with_its_size_and_where_slow_sampling_shows_it() -> None:
    """A wave of f sampled at fs shows at |f − n·fs| (the sampling theorem; common practice)."""
    t = np.arange(3000) / 90.0
    made = stream(np.round(400 + 25 * np.sin(2 * np.pi * 100 * t) + R.normal(0, 3, t.size)), LIGHT, 1 / 90.0)
    (one,) = mains.find_flicker(made, made.signals[0])
    assert float(one.evidence.split("±")[1].split()[0]) == pytest.approx(25, rel=0.03)
    assert "seen at 10.0 Hz with 90 readings a second" in one.evidence


def test_bounces_are_told_from_periods_by_the_gap_between_them() -> None:
    periods = np.tile([0.1, 0.0008, 0.0011], 30)
    assert next(edges.bounce_limits(periods, 4.0)) == pytest.approx(np.sqrt(0.1 * 0.0011), rel=0.01)
    assert list(edges.bounce_limits(np.geomspace(1, 0.001, 60), 4.0)) == []  # a wheel that runs up
    assert list(edges.bounce_limits(periods[:5], 4.0)) == []
    few = edges.LEAST_BURSTS
    pairs = np.tile([0.1, 0.001], 30)
    assert list(edges.bounce_limits(np.concatenate([np.full(40, 0.1), pairs[: 2 * few - 2]]), 4.0)) == []
    assert len(list(edges.bounce_limits(np.concatenate([np.full(40, 0.1), pairs[: 2 * few]]), 4.0))) == 1
    many = [0.1, *[0.001] * (edges.MOST_BOUNCES + 1)]
    assert list(edges.bounce_limits(np.tile(many, 20), 4.0)) == []  # as many short as no contact bounces
    assert len(list(edges.bounce_limits(np.tile(many[:-1], 20), 4.0))) == 1


def test_the_usual_period_follows_a_wheel_that_runs_up_and_minds_no_lost_pulse() -> None:
    gaps = np.linspace(1.0, 2.0, 100)
    lost = gaps.copy()
    lost[[20, 50, 80]] *= 2
    np.testing.assert_allclose(edges.usual_around(lost)[10:-10], gaps[10:-10], rtol=0.03)


def test_edges_of_a_counter_that_rolls_over_go_on() -> None:
    times = (np.arange(40) * 50_000.0 + 2**32 - 1e6) % 2**32
    made = stream(times, EDGE)
    assert np.diff(edges.edges_of(made, made.signals[0]).times) == pytest.approx(np.full(39, 0.05))


def test_a_way_goes_one_way_in_its_low_and_its_high_readings() -> None:
    t = np.arange(600) * 0.05
    way = creep._way(t, 10 + 3 * t / t[-1] + R.normal(0, 0.1, t.size))
    assert way is not None
    assert way[0] == pytest.approx(3, rel=0.15)
    assert creep._way(t, 10 + 3 * np.sin(t) + R.normal(0, 0.1, t.size)) is None
    widening = 10 + np.outer([-1.0, 1.0], t).T.ravel()[:600]  # both ways at once
    assert creep._way(t, widening) is None


@pytest.mark.parametrize(
    ("scheme", "turned", "wanted"),
    [
        ("120", None, None),
        ("60", None, None),
        ("120", 1, "inverted"),
        ("120", 0, "inverted"),
        ("60", 2, "inverted"),
    ],
)
def test_motor_halls_that_give_codes_of_no_scheme_have_one_inverted(
    scheme: str, turned: int | None, wanted: str | None
) -> None:
    codes = np.tile(SEQUENCES[scheme], 12)
    highs = np.stack([codes >> 2 & 1, codes >> 1 & 1, codes & 1]).astype(float)
    if turned is not None:
        highs[turned] = 1 - highs[turned]
    signals = tuple(Signal(f"h{i + 1}", LEVEL, values) for i, values in enumerate(highs))
    made = Stream("halls", np.arange(codes.size) * 0.002, signals, regular=False, scheme=scheme)
    said = [(one.kind, one.channel) for one in halls.find_in_halls(made)]
    assert said == ([] if wanted is None else [(wanted, f"h{turned + 1}")])  # type: ignore[operator]
    held = Stream(
        "halls", made.times_s, (*signals[:2], Signal("h3", LEVEL, np.zeros(codes.size))), scheme=scheme
    )
    assert [(one.kind, one.channel) for one in halls.find_in_halls(held)] == [("stuck", "h3")]


def told(kind: str, channel: str, confidence: float, on: str = "s") -> Finding:
    return found(kind, on, channel, "", (0.0, 1.0), confidence, "1.")


def test_what_another_finding_explains_accuses_no_more() -> None:
    left = list(
        examine._weighed([told("clipped", "a", 0.9), told("stuck", "a", 0.8), told("stuck", "b", 0.8)])
    )
    assert [one.accuses for one in left] == [True, False, True]


def test_one_fault_of_many_channels_is_one_finding() -> None:
    (one,) = examine._together(
        [told("flicker", "a", 0.7), told("flicker", "b", 0.9), told("flicker", "c", 0.8)]
    )
    assert (one.channel, one.also) == ("b", ("c", "a"))


@pytest.mark.parametrize(("odd", "sure"), [(1, 0.4), (2, 0.4 + 0.2 / 3), (4, 0.6), (12, 0.785), (40, 0.95)])
def test_garbled_lines_are_the_surer_the_more_of_them_there_are(odd: int, sure: float) -> None:
    still = stream(2900 + R.normal(0, 3, 2000))
    record = Record((still,), (), lines=2000, odd_count=odd, odd_first="\x00\x07", odd_s=np.zeros(1))
    (garbled,) = lines.find_lines(record)
    assert garbled.confidence == pytest.approx(sure, abs=0.005)
