"""Runs over HTTP: the same numbers as on the command line, and what cannot be run refused by its field."""

from __future__ import annotations

import math
from concurrent.futures import ThreadPoolExecutor
from typing import Any

import pytest
from fastapi.testclient import TestClient

from tests.api.conftest import refused
from tests.conftest import until
from tickstone.core.drive.run import run
from tickstone.formats.run_json import request_from_json, run_to_plain

FERN = "/api/rigs/fern"


def test_the_station_and_the_command_line_have_the_same_numbers(client: TestClient) -> None:
    asked = {"behaviour": "follow-pid", "world": "path", "seconds": 30, "seed": 4}
    answer = (
        client.post(f"{FERN}/drive", json=asked | {"given": {"cruise_pct": 90}}).raise_for_status().json()
    )
    document = client.post(f"{FERN}/drive/document", json=asked | {"given": {"cruise_pct": 90}})
    line = run_to_plain(run(request_from_json(document.raise_for_status().text)))
    assert answer["why"].startswith("At ")
    assert {each["name"]: each["value"] for each in answer["score"]} == line["score"]
    for name in ("verdict", "why"):
        assert answer[name] == line[name], name
    assert [e["words"] for e in answer["events"]] == [e["words"] for e in line["events"]]
    assert len(answer["t_s"]) == len(answer["x_mm"]) == len(answer["away_mm"]) == 3000
    looked = len(answer["lanes_t_s"])
    assert looked == len(answer["states"]) == len(answer["lanes"][0]["values"])
    assert 2000 <= looked <= 2000 + len(answer["events"])
    assert {event["t_s"] for event in answer["events"]} <= set(answer["lanes_t_s"])
    lanes = [lane["id"] for lane in answer["lanes"]]
    assert lanes[:8] == ["offset", "left_pct", "right_pct", "s1", "s2", "s3", "s4", "s5"]
    assert {"wheel_speed", "tilt_gz", "battery-gauge_counts"} <= set(lanes)
    assert (len(answer["row"]), len(answer["row"][0])) == (5, looked)
    (noise,) = answer["recorded"]  # of the row, since nobody has measured it
    assert (noise["name"], noise["source"]) == ("noise", "recording First look at the bench")
    of = {each["name"]: (each["sensor"], each["procedure"]) for each in answer["assumed"]}
    assert of["lag_s"] == ("wheel", "motor-lag")
    assert of["spot"] == ("line-row", "spot")
    assert of["grip_mm_s2"] == ("", "")
    assert [s["name"] for s in answer["settings"] if s["own"]] == ["cruise_pct"]


def test_what_a_rig_can_do_comes_first_and_what_it_lacks_is_told(client: TestClient) -> None:
    every = client.get("/api/rigs/plume/drive").raise_for_status().json()["behaviours"]
    able = [each["lacks"] == "" for each in every]
    assert able == sorted(able, reverse=True)
    lacks = {each["id"]: each["lacks"] for each in every}
    assert lacks["hold-distance"] == ""
    assert "this rig has none" in lacks["follow-pid"]
    assert next(each["world"] for each in every if each["id"] == "hold-distance") == "tube"


def test_lamps_on_the_bench_come_with_what_they_answer(client: TestClient) -> None:
    made = client.post("/api/rigs", json={"title": "Bench", "template": "T13"}).raise_for_status().json()
    asked = {"behaviour": "indicate", "world": "bench"}
    answer = client.post(f"/api/rigs/{made['slug']}/drive", json=asked).raise_for_status().json()
    assert [lane["id"] for lane in answer["lanes"]][:2] == ["front-ranger_raw", "front-ranger_mm"]
    assert [lane["id"] for lane in answer["lanes"]][2:] == [f"lamp_{i}" for i in range(1, 9)]


def test_recordings_tell_how_often_a_ranger_answers_unless_that_is_chosen(client: TestClient) -> None:
    asked = {"behaviour": "wander", "world": "greenhouse", "seconds": 2}
    answer = client.post(f"{FERN}/drive", json=asked).raise_for_status().json()
    told = {each["name"]: each for each in answer["recorded"]}
    assert 0.02 < told["ping_interval"]["value"] < 0.2
    assert told["jitter"]["unit"] == "µs"
    assert all(each["source"].startswith("recording ") for each in told.values())
    assert "jitter" not in {each["name"] for each in answer["assumed"]}
    known = f"{FERN}/sensors/front-ranger/constants/ping_interval"
    client.put(known, json={"value": 0.08}).raise_for_status()
    again = client.post(f"{FERN}/drive", json=asked).raise_for_status().json()
    assert "ping_interval" not in {each["name"] for each in again["recorded"]}


def test_every_way_on_a_course_stands_beside_the_others(client: TestClient) -> None:
    asked = {
        "behaviour": "follow-pid",
        "world": "path",
        "seconds": 30,
        "given": {"cruise_pct": 90, "lag_s": 0.1},
    }
    ways = client.post(f"{FERN}/drive/ways", json=asked).raise_for_status().json()
    assert [(way["behaviour"], way["words"]) for way in ways] == [
        ("follow-edge", "left"),
        ("follow-edge", "right"),
        ("follow-two", ""),
        ("follow-table", "3 sensors"),
        ("follow-table", "5 sensors"),
        ("follow-pid", "3 sensors"),
        ("follow-pid", "5 sensors"),
    ]
    score = {(way["behaviour"], way["words"]): {s["name"]: s["value"] for s in way["score"]} for way in ways}
    assert score["follow-pid", "5 sensors"]["lost"] == 0
    assert score["follow-pid", "5 sensors"]["lap_s"] < score["follow-two", ""]["lap_s"]
    assert all(way["given"]["lag_s"] == 0.1 and "cruise_pct" not in way["given"] for way in ways)
    # a way is opened by its numbers, and is then the same run
    three = next(way for way in ways if way["words"] == "3 sensors" and way["behaviour"] == "follow-table")
    opened = asked | {"behaviour": three["behaviour"], "given": three["given"]}
    run_again = client.post(f"{FERN}/drive", json=opened).raise_for_status().json()
    assert run_again["verdict"] == three["verdict"]
    rooms = client.post(f"{FERN}/drive/ways", json=asked | {"behaviour": "wander", "world": "greenhouse"})
    assert [way["behaviour"] for way in rooms.raise_for_status().json()] == ["wander"]


@pytest.mark.parametrize(
    ("changed", "path"),
    [
        ({"behaviour": "fly"}, "behaviour"),
        ({"world": "moon"}, "world"),
        ({"given": {"kp": 1e9}}, "kp"),
        ({"given": {"kp": "much"}}, "given.kp"),
        ({"seconds": 601}, "seconds"),
        ({"seconds": 0}, "seconds"),
        ({"seed": -1}, "seed"),
    ],
)
def test_what_cannot_be_run_is_refused_by_its_field(
    client: TestClient, changed: dict[str, object], path: str
) -> None:
    asked: dict[str, object] = {"behaviour": "follow-pid", "world": "path", "seconds": 5}
    refused(client.post(f"{FERN}/drive", json=asked | changed), "bad-input", path)


def constant(
    client: TestClient, name: str, rig: str = "fern", sensor: str = "line-row"
) -> dict[str, Any] | None:
    """A constant of a sensor as it stands."""
    every = client.get(f"/api/rigs/{rig}/sensors/{sensor}/constants").raise_for_status().json()
    return next((each for each in every if each["name"] == name), None)


def test_settings_of_a_run_are_kept_as_chosen_constants_and_taken_back(client: TestClient) -> None:
    asked = {
        "behaviour": "follow-pid",
        "world": "path",
        "seconds": 20,
        "given": {"kp": 1.4, "battery_pct": 90},
    }
    kept = client.post(f"{FERN}/drive/choose", json=asked).raise_for_status().json()
    chosen = constant(client, "follow_pid_kp")
    assert chosen is not None
    assert (chosen["value"], chosen["provenance"], chosen["stale"]) == (1.4, "chosen", "")
    assert chosen["source"].startswith("chosen by a run in path: ")
    assert constant(client, "battery_pct") is None
    again = client.post(f"{FERN}/drive", json=asked | {"given": {}}).raise_for_status().json()
    setting = next(each for each in again["settings"] if each["name"] == "kp")
    assert (setting["value"], setting["own"], setting["provenance"]) == (1.4, False, "chosen")
    stone = client.post(f"{FERN}/stones", json={"why": "kp"}).raise_for_status().json()["id"]
    header = client.get(f"{FERN}/stones/{stone}/export/c").raise_for_status().text
    assert "LINE_ROW_FOLLOW_PID_KP" in header
    back = {"behaviour": "follow-pid", "upto": kept["id"]}
    client.post(f"{FERN}/drive/take-back", json=back).raise_for_status()
    assert constant(client, "follow_pid_kp") is None
    refused(client.post(f"{FERN}/drive/take-back", json=back), "conflict", "upto")


def test_a_chosen_setting_is_stale_once_what_its_run_rested_on_has_changed(client: TestClient) -> None:
    asked = {"behaviour": "follow-pid", "world": "path", "seconds": 5, "given": {"kd": 0.1}}
    client.post(f"{FERN}/drive/choose", json=asked).raise_for_status()
    before = constant(client, "white_s3") or constant(client, "white")
    assert before is not None
    typed = {"value": before["value"] + 5}
    url = f"{FERN}/sensors/line-row/constants/{before['name']}"
    client.put(url, json=typed).raise_for_status()
    chosen = constant(client, "follow_pid_kd")
    assert chosen is not None
    assert "changed since" in chosen["stale"]


def test_only_numbers_of_the_behaviour_are_kept(client: TestClient) -> None:
    asked = {"behaviour": "follow-pid", "world": "path", "given": {"battery_pct": 90, "pitch_mm": 11}}
    refused(client.post(f"{FERN}/drive/choose", json=asked), "bad-input", "given")


def test_a_kept_run_is_repeated_exactly_whatever_changed_since(client: TestClient) -> None:
    asked = {
        "behaviour": "follow-pid",
        "world": "path",
        "seconds": 20,
        "seed": 7,
        "given": {"kp": 1.1},
        "real": True,
    }
    first = client.post(f"{FERN}/drive", json=asked).raise_for_status().json()
    number = client.post(f"{FERN}/trials", json=asked | {"note": "before"}).raise_for_status().json()["id"]
    white = constant(client, "white_s2") or constant(client, "white")
    assert white is not None
    url = f"{FERN}/sensors/line-row/constants/{white['name']}"
    client.put(url, json={"value": white["value"] + 40}).raise_for_status()
    later = client.post(f"{FERN}/trials", json=asked | {"seed": 8}).raise_for_status().json()["id"]
    assert later == number + 1
    again = client.get(f"{FERN}/trials/{number}").raise_for_status().json()
    for name in ("verdict", "why", "score", "t_s", "x_mm", "y_mm", "heading_deg", "states", "lanes"):
        assert again[name] == first[name], name
    lines = client.get(f"{FERN}/trials").raise_for_status().json()
    assert [line["number"] for line in lines][:2] == [later, number]
    assert lines[1]["note"] == "before"
    assert lines[1]["verdict"] == first["verdict"]
    beside = client.get(f"{FERN}/trials/{later}/beside/{number}").raise_for_status().json()
    by_name = {(each["what"], each["name"]): each for each in beside}
    assert (by_name["asked", "seed"]["before"], by_name["asked", "seed"]["after"]) == (7, 8)
    assert by_name["constant", white["name"]]["after"] == white["value"] + 40
    assert by_name["score", "offset_mean_mm"]["label"] == "beside the line, mean"
    assert ("asked", "kp") not in by_name
    client.post(f"{FERN}/trials/{later}/put-away").raise_for_status()
    assert next(line["number"] for line in client.get(f"{FERN}/trials").json()) == number
    client.post(f"{FERN}/trials/{later}/take-out").raise_for_status()
    assert next(line["number"] for line in client.get(f"{FERN}/trials").json()) == later
    refused(client.get(f"{FERN}/trials/999"), "not-found", "")
    texts = [entry["text"] for entry in client.get(f"{FERN}/entries").raise_for_status().json()]
    assert any(text.startswith(f"Run {number}, follow, weighted") for text in texts)


def test_a_world_of_ones_own_is_kept_run_in_given_out_and_taken_away(client: TestClient) -> None:
    drawn = client.get("/api/worlds/oval").raise_for_status().json() | {"name": "my oval"}
    client.put("/api/worlds", json={"world": drawn}).raise_for_status()
    drawn["lines"][0]["width_mm"] = 25
    client.put("/api/worlds", json={"world": drawn}).raise_for_status()
    places = client.get(f"{FERN}/drive").raise_for_status().json()["worlds"]
    assert places[0] == {"name": "my oval", "kind": "floor", "own": True}
    assert len([place for place in places if place["name"] == "my oval"]) == 1
    asked = {"behaviour": "follow-pid", "world": "my oval", "seconds": 5}
    run = client.post(f"{FERN}/drive", json=asked).raise_for_status().json()
    assert run["world"]["lines"][0]["width_mm"] == 25
    kept = client.post(f"{FERN}/trials", json=asked).raise_for_status().json()["id"]
    for form, begins in (("json", "{"), ("svg", "<svg")):
        answer = client.get(f"/api/worlds/my oval/file/{form}").raise_for_status()
        assert answer.text.startswith(begins)
        assert f"my-oval.{form}" in answer.headers["content-disposition"]
    taken = {"name": "again", "form": "svg", "text": answer.text}
    again = client.post("/api/worlds/file", json=taken).raise_for_status().json()
    assert again["lines"][0]["width_mm"] == 25
    client.delete("/api/worlds/my oval").raise_for_status()
    refused(client.post(f"{FERN}/drive", json=asked), "bad-input", "world")
    assert client.get(f"{FERN}/trials/{kept}").raise_for_status().json()["x_mm"] == run["x_mm"]
    refused(client.delete("/api/worlds/my oval"), "not-found", "")


@pytest.mark.parametrize(
    ("changed", "path"),
    [
        ({"name": "oval"}, "name"),
        ({"name": " "}, "name"),
        ({"name": "x" * 41}, "name"),
        ({"kind": "sea"}, "kind"),
        ({"size_mm": [-1, 500]}, "size_mm[0]"),
        ({"walls": [[0, 0, 900, 900], [0, 900, 900, 0]]}, "walls[1]"),
        ({"start": {"x_mm": -50}}, "start"),
        ({"colour": "red"}, "colour"),
    ],
)
def test_a_world_that_cannot_be_is_refused_by_its_field(
    client: TestClient, changed: dict[str, object], path: str
) -> None:
    drawn = client.get("/api/worlds/oval").raise_for_status().json() | {"name": "mine"}
    refused(client.put("/api/worlds", json={"world": drawn | changed}), "bad-input", path)


def test_hands_push_hold_and_put_boxes(client: TestClient) -> None:
    asked: dict[str, Any] = {"behaviour": "follow-pid", "world": "path", "seconds": 10}
    plain = client.post(f"{FERN}/drive", json=asked).raise_for_status().json()
    assert {hand["id"] for hand in plain["hands"]} == {"lamp-off", "higher", "battery-low", "push", "box"}
    pushed = client.post(f"{FERN}/drive", json=asked | {"given": {"push_s": 4, "push_mm": 30}}).json()
    at = next(i for i, t in enumerate(pushed["t_s"]) if t > 4.02)
    assert pushed["x_mm"][: at - 2] == plain["x_mm"][: at - 2]
    moved = math.dist((pushed["x_mm"][at], pushed["y_mm"][at]), (plain["x_mm"][at], plain["y_mm"][at]))
    assert moved == pytest.approx(30, abs=3)
    held = client.post(
        "/api/rigs/plume/drive",
        json={"behaviour": "hold-distance", "world": "tube", "given": {"hold_s": 6, "hold_for_s": 2}},
    ).json()
    assert {hand["id"] for hand in held["hands"]} == {"push", "hold"}
    still = [x for t, x in zip(held["t_s"], held["x_mm"], strict=True) if 6.1 < t < 7.9]
    assert max(still) - min(still) < 0.01
    boxed = client.post(f"{FERN}/drive", json=asked | {"given": {"box_x_mm": 1200, "box_y_mm": 850}}).json()
    assert len(boxed["world"]["boxes"]) == len(plain["world"]["boxes"]) + 1


def test_a_long_run_shows_how_far_it_is_and_is_stopped(client: TestClient) -> None:
    asked = {"behaviour": "hold-distance", "world": "beam", "seconds": 600, "given": {"loop_ms": 0.5}}
    made = client.post("/api/rigs", json={"title": "Long", "template": "T07"}).raise_for_status().json()
    rig = f"/api/rigs/{made['slug']}/drive"
    with ThreadPoolExecutor(1) as pool:
        answer = pool.submit(client.post, rig, json=asked)
        until(lambda: any(each["share"] > 0 for each in client.get(f"{rig}/running").json()))
        client.delete(f"{rig}/running").raise_for_status()
        refused(answer.result(), "conflict", "run")
    assert client.get(f"{rig}/running").json() == []
