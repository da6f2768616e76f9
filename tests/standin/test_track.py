"""The stand-in on the track: it drives as the board's program would, and what it prints agrees with where it
is."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest

from tickstone.core.drive.worlds import WORLDS
from tickstone.core.rigs.commands import command_labels
from tickstone.core.rigs.rig import Mount, Output, Rig
from tickstone.core.rigs.templates import fern, plume, template
from tickstone.errors import BadInput
from tickstone.formats.world_json import world_to_plain
from tickstone.link.interpreter import Interpreter, Reading
from tickstone.standin.board import SimBoard
from tickstone.standin.client import StandInProcess
from tickstone.standin.track import Drive


def drive(behaviour: str, world: str, **given: float) -> Drive:
    return Drive(behaviour=behaviour, world=world_to_plain(WORLDS[world]), given=given)


def driven(rig: Rig, what: Drive, seconds: float, seed: int = 1) -> tuple[SimBoard, list[dict[str, float]]]:
    """A board that drives, and where it really was every tenth of a second."""
    board = SimBoard(rig, seed)
    board.put_on_track(what)
    places = []
    for k in range(1, round(10 * seconds) + 1):
        board.lines(k * 100_000)
        places.append(board.truth()["track"])
    return board, places


@pytest.mark.parametrize("seed", [1, 2, 3])
def test_fern_follows_her_path_and_leaves_it_when_she_is_too_fast(seed: int) -> None:
    _, places = driven(fern(), drive("follow-pid", "path"), 12, seed)
    assert max(abs(place["offset_mm"]) for place in places) < 40
    assert math.dist(*((place["x_mm"], place["y_mm"]) for place in (places[0], places[60]))) > 500
    _, fast = driven(fern(), drive("follow-pid", "path", cruise_pct=95), 12, seed)
    assert max(abs(place["offset_mm"]) for place in fast) > 80


def test_no_two_vehicles_are_alike_and_the_same_seed_is_the_same_vehicle() -> None:
    ends = [driven(fern(), drive("follow-pid", "path"), 5, seed)[1][-1]["x_mm"] for seed in (1, 2, 1)]
    assert ends[0] == ends[2]
    assert ends[0] != ends[1]


def test_what_is_printed_is_what_was_driven() -> None:
    """Pulses of the wheel add up to the way, the gyro to the turn; commands come by name."""
    rig = fern()
    board = SimBoard(rig, 4)
    board.put_on_track(drive("follow-pid", "path"))
    interpreter, edges, rates, commands, way = Interpreter(rig), 0, [], [], 0.0
    before = board.truth()["track"]
    headings = [before["heading_deg"]]
    for k in range(1, 101):
        for line in board.lines(k * 100_000):
            read = interpreter.read(line, 0.0)
            if isinstance(read, Reading):
                edges += ("wheel", "edge") in read.values
                if ("tilt", "gz") in read.values:
                    rates.append(read.values["tilt", "gz"])
                if read.commands:
                    commands.append(read.commands)
        now = board.truth()["track"]
        way += math.dist((before["x_mm"], before["y_mm"]), (now["x_mm"], now["y_mm"]))
        headings.append(now["heading_deg"])
        before = now
    made, mount = board.made()["wheel"], rig.sensor("wheel").mount
    aside = math.copysign(rig.geometry.track_mm / 2, mount.y_mm)  # it watches one of the wheels
    rolled = way - aside * math.radians(headings[-1] - headings[0])
    assert edges * made["circumference"] / made["magnets"] == pytest.approx(rolled, rel=0.06)
    per_dps = 32768 / board.parts[[p.key for p in board.parts].index("tilt")].values["gyro_range"].value
    turned = np.mean(rates) / per_dps * 10
    assert turned == pytest.approx(headings[-1] - headings[0], abs=25)
    assert len(commands) == pytest.approx(200, abs=3)
    assert set(commands[0]) == {"wheels_left_pct", "wheels_right_pct"} <= set(command_labels(rig))
    assert np.mean([each["wheels_left_pct"] for each in commands]) == pytest.approx(40, abs=8)


def test_a_fault_of_the_row_leads_off_the_line() -> None:
    board = SimBoard(fern(), 1)
    board.put_on_track(drive("follow-pid", "path"))
    board.lines(2_000_000)
    board.move({"line-row.fault.stuck": 1})
    board.lines(12_000_000)
    assert abs(board.truth()["track"]["offset_mm"]) > 100


def test_who_falls_off_the_table_lies_there_until_it_is_set_back() -> None:
    board, places = driven(template("T09"), drive("edge-guard", "table", cruise_pct=100), 12)
    assert places[-1]["fell"] == 1
    assert places[-1]["x_mm"] == places[-2]["x_mm"]
    board.put_on_track(board.drive)
    assert board.truth()["track"]["fell"] == 0


def test_a_float_is_held_in_its_tube_through_lost_pings() -> None:
    board, places = driven(plume(), drive("hold-distance", "tube", set_mm=300), 30)
    assert np.mean([place["x_mm"] for place in places[-100:]]) == pytest.approx(300, abs=15)
    board.move({"top-ranger.fault.zeros": 1})
    board.lines(45_000_000)
    assert board.truth()["track"]["x_mm"] == pytest.approx(300, abs=60)


def test_a_car_that_is_steered_is_told_its_motor_and_its_servo() -> None:
    rig = fern()
    driver = next(output for output in rig.outputs if output.kind == "motor-driver")
    others = tuple(output for output in rig.outputs if output is not driver)
    servo = Output("steering", "servo", "steering", {}, Mount(180.0, 0.0, 40.0))
    car = replace(rig, outputs=(*others, replace(driver, options={"motors": "1"}), servo))
    board, places = driven(car, drive("follow-pid", "path", cruise_pct=30), 10)
    assert max(abs(place["offset_mm"]) for place in places[20:]) < 60
    interpreter = Interpreter(car)
    read = [interpreter.read(line, 0.0) for line in board.lines(11_000_000)]
    told = [each.commands for each in read if isinstance(each, Reading) and each.commands]
    assert {"steering_deg", f"{driver.id}_pct"} <= set(told[-1])
    assert 59 < told[-1]["steering_deg"] < 121


def test_a_ball_is_held_and_an_obstacle_is_seen() -> None:
    _, places = driven(template("T07"), drive("hold-distance", "beam", set_mm=200), 20)
    assert np.mean([place["x_mm"] for place in places[-50:]]) == pytest.approx(200, abs=15)
    board, _ = driven(fern(), drive("wander", "room"), 1)
    ahead = board.truth()["front-ranger"]["distance"]
    assert 100 < ahead < 5000
    board.put_on_track(None)
    board.move({"front-ranger.target_mm": 700})
    assert board.truth()["front-ranger"]["distance"] == pytest.approx(700, abs=5)
    assert "track" not in board.truth()


@pytest.mark.parametrize(
    ("what", "path"),
    [
        (drive("follow-pid", "bench"), "world"),
        (drive("follow-pid", "beam"), "world"),
        (drive("hold-distance", "oval"), "world"),
        (drive("indicate", "path"), "rig"),
        (drive("follow-pid", "path", kq=1), "kq"),
        (drive("follow-pid", "path", kp=1e9), "kp"),
    ],
)
def test_what_cannot_drive_is_refused_and_what_drives_goes_on(what: Drive, path: str) -> None:
    board, _ = driven(fern(), drive("follow-pid", "path"), 1)
    with pytest.raises(BadInput) as refused:
        board.put_on_track(what)
    assert refused.value.path == path
    assert board.drive == drive("follow-pid", "path")


def test_a_process_drives_over_a_change_of_its_rig_and_is_back_on_the_bench_without_its_part() -> None:
    standin = StandInProcess(fern())
    try:
        standin.drive(drive("follow-pid", "path").model_dump())
        stands = standin.track()
        assert stands is not None
        assert (stands["behaviour"], stands["world"]["name"]) == ("follow-pid", "path")
        standin.put(replace(fern(), title="Fern, renamed"))
        assert standin.track() is not None
        standin.put(replace(fern(), outputs=()))
        assert standin.track() is None
        with pytest.raises(BadInput) as refused:
            standin.drive(drive("follow-pid", "path").model_dump())
        assert refused.value.path == "rig"
        with pytest.raises(BadInput, match="does not understand"):
            standin.ask(drive={"behaviour": 3})
    finally:
        standin.stop()
