"""Runs over HTTP: the same numbers as on the command line, and what cannot be run refused by its field."""

from __future__ import annotations

import json

import pytest
from fastapi.testclient import TestClient

from tests.api.conftest import refused
from tickstone.core.drive.run import run
from tickstone.formats.run_json import request_of, run_to_plain

FERN = "/api/rigs/fern"


def test_the_station_and_the_command_line_have_the_same_numbers(client: TestClient) -> None:
    asked = {"behaviour": "follow-pid", "world": "path", "seconds": 30, "seed": 4}
    answer = (
        client.post(f"{FERN}/drive", json=asked | {"given": {"cruise_pct": 90}}).raise_for_status().json()
    )
    rig = json.loads(client.get(f"{FERN}/document").raise_for_status().text)
    line = run_to_plain(run(request_of(asked | {"rig": rig, "set": {"cruise_pct": 90}})))
    assert answer["why"].startswith("At ")
    for name in ("score", "verdict", "why"):
        assert answer[name] == line[name], name
    assert [e["words"] for e in answer["events"]] == [e["words"] for e in line["events"]]
    assert len(answer["t_s"]) == len(answer["x_mm"]) == len(answer["states"]) <= 2000
    assert {lane["id"] for lane in answer["lanes"]} == {
        "offset", "left_pct", "right_pct", "s1", "s2", "s3", "s4", "s5"
    }  # fmt: skip
    of = {each["name"]: each["sensor"] for each in answer["assumed"]}
    assert of["lag_s"] == ""
    assert of["pitch"] == "line-row"
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
    assert len(answer["lanes"]) == 2 + 8


@pytest.mark.parametrize(
    ("changed", "path"),
    [
        ({"behaviour": "fly"}, "behaviour"),
        ({"world": "moon"}, "world"),
        ({"given": {"kp": 1e9}}, "kp"),
        ({"given": {"kp": "much"}}, "given.kp"),
        ({"seconds": 121}, "seconds"),
        ({"seconds": 0}, "seconds"),
        ({"seed": -1}, "seed"),
    ],
)
def test_what_cannot_be_run_is_refused_by_its_field(
    client: TestClient, changed: dict[str, object], path: str
) -> None:
    asked: dict[str, object] = {"behaviour": "follow-pid", "world": "path", "seconds": 5}
    refused(client.post(f"{FERN}/drive", json=asked | changed), "bad-input", path)
