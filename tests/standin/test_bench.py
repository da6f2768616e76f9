"""The simulated bench: its physics against the formula, its faults by name, its hands over the control socket."""

from __future__ import annotations

import json
import socket
from dataclasses import replace

import numpy as np
import pytest

from tickstone.core import sound
from tickstone.errors import BadInput, SourceLost
from tickstone.link.parser import Field, Reading, parse
from tickstone.standin import bench
from tickstone.standin.bench import Bench, Hands, check_hands
from tickstone.standin.client import StandInProcess

FIELDS = {"echo_us": Field("r", "echo", 0, 400_000), "air_c": Field("a", "air", -273, 1000)}


def run(hands: Hands, pings: int = 2000, seed: int = 7) -> tuple[np.ndarray, np.ndarray]:
    """Echo times and air readings of a bench with these hands."""
    one = Bench(seed)
    one.set(hands)
    echoes, airs = [], []
    for ping in range(pings):
        read = parse(one.line(ping * 50_000), FIELDS)
        if isinstance(read, Reading):
            echoes.append(read.values["echo_us"])
            if "air_c" in read.values:
                airs.append(read.values["air_c"])
    return np.array(echoes), np.array(airs)


@pytest.mark.parametrize("temperature", [5.0, 20.0, 35.0])
@pytest.mark.parametrize("target", [150.0, 900.0, 2200.0])
def test_the_echo_follows_the_speed_of_sound(temperature: float, target: float) -> None:
    echoes, _ = run(Hands(target_mm=target, temperature_c=temperature))
    speed = float(sound.speed_of_sound_cramer(temperature, bench.HUMIDITY_PCT))
    good = echoes[echoes > 0]
    found = (np.median(good) - bench.DETECTION_DELAY_US) * speed / 2000
    assert found == pytest.approx(target, abs=4 * bench.RULER_SD_MM + bench.TICK_US * speed / 2000)


def test_jitter_and_tick_are_those_of_a_cheap_ranger() -> None:
    echoes, _ = run(Hands(target_mm=500))
    good = echoes[echoes > 0]
    assert set(good % bench.TICK_US) == {0.0}
    assert good.std() == pytest.approx(np.hypot(bench.JITTER_US, bench.TICK_US / np.sqrt(12)), rel=0.08)


def test_the_thermometer_has_an_offset_of_its_own() -> None:
    _, airs = run(Hands(temperature_c=18.0))
    assert len(airs) == 100
    assert airs.mean() == pytest.approx(18.0 + bench.AIR_SENSOR_OFFSET_K, abs=0.05)


def test_the_ruler_places_the_target_as_well_as_a_hand_does() -> None:
    one = Bench(3)
    truths = []
    for place in range(400):
        one.set(replace(one.hands, target_mm=300.0 + place % 2))
        truths.append(one._truth_mm - one.hands.target_mm)
    assert np.std(truths) == pytest.approx(bench.RULER_SD_MM, rel=0.12)
    assert abs(np.mean(truths)) < 0.15


def test_zeros_and_spikes_come_as_often_as_they_should() -> None:
    zeros, _ = run(Hands(target_mm=500, faults=("zeros",)))
    assert (zeros == 0).mean() == pytest.approx(0.3, abs=0.04)
    spikes, _ = run(Hands(target_mm=500, faults=("spikes",)))
    assert (np.abs(spikes - np.median(spikes)) > 100).mean() == pytest.approx(0.08, abs=0.03)


def test_beyond_the_reach_and_on_soft_surfaces_echoes_fail() -> None:
    assert set(run(Hands(target_mm=5000))[0]) == {0.0}
    soft, _ = run(Hands(target_mm=2000, reflectivity=0.3))
    hard, _ = run(Hands(target_mm=2000, reflectivity=1.0))
    assert (soft == 0).mean() > 0.2
    assert (hard == 0).mean() < 0.01


def test_a_drifting_target_turns_round_at_the_ends_of_the_bench() -> None:
    echoes, _ = run(Hands(target_mm=300, drift_mm_s=-200.0), pings=200)
    good = echoes[echoes > 0]
    assert good.min() > 2000 * 120 / 350
    assert good[-1] > good[40]


def test_the_same_seed_prints_the_same_lines() -> None:
    one, two, other = Bench(1), Bench(1), Bench(2)
    lines = [[b.line(t * 50_000) for t in range(50)] for b in (one, two, other)]
    assert lines[0] == lines[1] != lines[2]


@pytest.mark.parametrize(
    ("change", "path"),
    [
        ({"target_mm": 5.0}, "target_mm"),
        ({"temperature_c": 99.0}, "temperature_c"),
        ({"reflectivity": 1.5}, "reflectivity"),
        ({"drift_mm_s": 1e9}, "drift_mm_s"),
        ({"target_mm": float("nan")}, "target_mm"),
        ({"faults": ("gremlins",)}, "faults"),
    ],
)
def test_impossible_hands_are_refused_by_name(change: dict, path: str) -> None:
    with pytest.raises(BadInput) as refused:
        check_hands(replace(Hands(), **change))
    assert refused.value.path == path


def test_the_control_socket_takes_changes_and_answers_nonsense_with_a_sentence() -> None:
    process = StandInProcess(seed=1)
    try:
        assert process.hands(target_mm=640)["hands"]["target_mm"] == 640
        assert process.hands()["hands"]["target_mm"] == 640
        with pytest.raises(BadInput, match="target_mm"):
            process.hands(target_mm=-1)
        with pytest.raises(BadInput, match="does not understand"):
            process.hands(colour="red")
        with socket.socket(socket.AF_UNIX) as line:
            line.connect(str(process.folder / "control"))
            line.sendall(b"not json\n")
            assert "error" in json.loads(line.makefile().readline())
        with socket.socket(socket.AF_UNIX) as line:
            line.connect(str(process.folder / "control"))
        assert process.hands()["hands"]["target_mm"] == 640
        assert process.running
    finally:
        process.stop()
    assert not process.running
    with pytest.raises(SourceLost):
        process.hands()
