"""Watch over HTTP: what labels mean, marks and their words, instruments, the check with motors, hands at the
stand-in."""

from __future__ import annotations

import itertools
from collections.abc import Callable

import httpx
import pytest
from fastapi.testclient import TestClient

from tests.actions.test_live_rig import Scripted
from tests.api.conftest import refused
from tests.conftest import until
from tests.served import Served
from tests.watching import message_when, window
from tickstone.actions.workshop import Workshop

RIG = "/api/rigs/fern"
TRUTH = {"quantity": "distance", "value": 400.0, "unit": "mm", "sd": 1.0}


@pytest.fixture
def source(client: TestClient) -> Scripted:
    """Fern connected to a source that a test writes."""
    made = Scripted()
    shop: Workshop = client.app.state.workshop
    shop.connect("fern", made)
    return made


def lines(client: TestClient) -> dict:
    return client.get(f"{RIG}/lines").raise_for_status().json()


def heard(client: TestClient, count: int) -> dict:
    return until(lambda: (found := lines(client)) and len(found["heard"]) >= count and found)


def test_what_a_person_says_about_a_label_is_remembered_for_the_rig(
    client: TestClient, source: Scripted
) -> None:
    source.lines(*["far: 412 moon: 3"] * 6)
    found = heard(client, 6)
    assert {one["label"]: one["meaning"] for one in found["labels"]}["far"] is None
    target = next(one for one in found["targets"] if one["sensor"] == "front-ranger")
    assert target["title"] == "front ranger: echo time"
    said = {"label": "far", "role": "channel", "sensor": "front-ranger", "channel": "echo", "factor": 5.8}
    client.put(f"{RIG}/lines", json=said).raise_for_status()
    source.lines("far: 412 moon: 3")
    shop: Workshop = client.app.state.workshop
    until(lambda: shop.live("fern").intake.watched["front-ranger"].readings == 1)
    assert shop.live("fern").view.now("front-ranger").raw == pytest.approx(412 * 5.8)
    shop.connect("fern", again := Scripted())
    again.lines("far: 100")
    until(lambda: shop.live("fern").intake.watched["front-ranger"].readings == 1)
    client.post(f"{RIG}/lines/guess", json={"label": "far"}).raise_for_status()
    assert [one["meaning"] for one in lines(client)["labels"] if one["label"] == "far"] in ([], [None])


IMPOSSIBLE_MEANINGS: list[tuple[dict, str]] = [
    ({"sensor": "nobody"}, "sensor"),
    ({"channel": "nothing"}, "channel"),
    ({"factor": 0}, "factor"),
    ({"factor": "much"}, "factor"),
    ({"role": "sometimes"}, "role"),
    ({"role": "time", "unit_us": 7}, "unit_us"),
    ({"label": ""}, "label"),
]


def test_impossible_meanings_are_refused_by_field(client: TestClient) -> None:
    for change, path in IMPOSSIBLE_MEANINGS:
        said = {"label": "far", "role": "channel", "sensor": "front-ranger", "channel": "echo", **change}
        refused(client.put(f"{RIG}/lines", json=said), "bad-input", path)


def first_recording(client: TestClient) -> int:
    found: int = client.get(f"{RIG}/recordings").json()[0]["id"]
    return found


def marks(client: TestClient, recording: int) -> list[dict]:
    return client.get(f"/api/recordings/{recording}").json()["marks"]


def test_a_mark_set_afterwards_carries_truth_and_conditions_and_every_field_is_changed(
    client: TestClient,
) -> None:
    recording = first_recording(client)
    new = {
        "label": "400 mm",
        "t0_s": 3.0,
        "t1_s": 5.5,
        "sensor": "front-ranger",
        "truth": TRUTH,
        "conditions": {"lamp": "on", "height_mm": 8, "supply_v": 4.9},
    }
    made = client.post(f"/api/recordings/{recording}/marks", json=new).raise_for_status().json()["id"]
    mark = next(one for one in marks(client, recording) if one["id"] == made)
    assert {name: mark[name] for name in new} == new
    changes = {
        "label": "0.4 m",
        "t0_s": 3.5,
        "t1_s": None,
        "sensor": None,
        "truth": None,
        "conditions": {"lamp": "off"},
    }
    client.patch(f"/api/marks/{made}", json=changes).raise_for_status()
    mark = next(one for one in marks(client, recording) if one["id"] == made)
    assert {name: mark[name] for name in changes} == changes


IMPOSSIBLE_MARKS: list[tuple[dict, str]] = [
    ({"t0_s": -1}, "t0_s"),
    ({"t1_s": 2.0}, "t1_s"),
    ({"sensor": "nobody"}, "sensor"),
    ({"truth": {**TRUTH, "value": "far"}}, "truth.value"),
    ({"truth": {**TRUTH, "sd": -1}}, "truth.sd"),
    ({"truth": {"value": 3}}, "truth.quantity"),
    ({"conditions": {str(i): i for i in range(30)}}, "conditions"),
]


def test_impossible_marks_are_refused_by_field_and_nothing_is_kept(client: TestClient) -> None:
    recording = first_recording(client)
    before = marks(client, recording)
    for change, path in IMPOSSIBLE_MARKS:
        new = {"label": "x", "t0_s": 3.0, "t1_s": 5.0} | change
        refused(client.post(f"/api/recordings/{recording}/marks", json=new), "bad-input", path)
        assert marks(client, recording) == before


def test_what_a_constant_was_measured_from_keeps_its_times_and_truth_but_takes_other_words(
    client: TestClient,
) -> None:
    ruler = f"{RIG}/sensors/front-ranger/procedures/ruler"
    rows = [{"true_mm": mm, "reading": 2000 * (mm + 3) / 346} for mm in (150, 400, 900)]
    client.post(f"{ruler}/notebook", json={"rows": rows}).raise_for_status()
    client.post(f"{ruler}/accept", json={}).raise_for_status()
    recording = first_recording(client)
    mark = marks(client, recording)[0]
    for change in ({"t0_s": 9.0}, {"truth": None}, {"sensor": None}):
        refused(client.patch(f"/api/marks/{mark['id']}", json=change), "conflict", "mark")
    client.patch(f"/api/marks/{mark['id']}", json={"label": "first"}).raise_for_status()
    assert marks(client, recording)[0]["label"] == "first"


def test_the_check_needs_a_stretch_at_rest_first_and_says_what_it_found(
    client: TestClient, source: Scripted
) -> None:
    count = itertools.count()

    def lines_come(many: int, counts: Callable[[int], int]) -> None:
        source.lines(*(f"t_us:{i * 100_000} battery_adc:{counts(i)}" for i in itertools.islice(count, many)))

    def asked(step: str, counts: Callable[[int], int]) -> httpx.Response:
        """The answer while lines come: a source that has just fallen silent is asked again."""

        def answer() -> httpx.Response | None:
            lines_come(1, counts)
            got = client.post(f"{RIG}/motor-check", json={"step": step})
            return None if got.status_code == 409 and got.json()["path"] == "source" else got

        return until(answer)  # type: ignore[return-value]

    def at_rest(i: int) -> int:
        return 490 + i % 2

    def with_motors(i: int) -> int:
        return 470 + (i * 7) % 40

    refused(asked("running", at_rest), "conflict", "step")
    lines_come(40, at_rest)
    heard(client, 40)
    assert asked("rest", at_rest).raise_for_status().json()["lines"] == []
    lines_come(60, with_motors)
    shop: Workshop = client.app.state.workshop
    until(lambda: shop.live("fern").intake.watched["battery-gauge"].readings >= 100)
    said = asked("running", with_motors).raise_for_status().json()
    battery = next(line for line in said["lines"] if line["sensor"] == "battery-gauge")
    assert battery["bad"]
    assert "times as much" in battery["sentence"]
    logged = client.get(f"{RIG}/entries").json()
    assert any("Checked with motors" in entry["text"] for entry in logged)


def test_a_check_without_readings_and_an_instrument_that_is_not_there_are_refused(client: TestClient) -> None:
    refused(client.post(f"{RIG}/motor-check", json={"step": "rest"}), "conflict", "source")
    assert client.post(f"{RIG}/sensors/wheel/instruments/moon/zero").status_code == 404
    assert client.get(f"{RIG}/standin").status_code == 404


def test_hands_are_moved_by_name_and_refused_by_name_and_truth_never_leaves(served: Served) -> None:
    address = f"{RIG}/standin"
    hands = {hand["id"]: hand for hand in served.client.get(address).json()}
    assert hands["room.temperature_c"]["unit"] == "°C"
    assert hands["line-row.ground"]["choices"][0] == "tape on pale ground"
    assert hands["board.fault.unplug"]["fault"]
    moved = served.client.patch(address, json={"hands": {"tilt.nose_up_deg": 12}}).raise_for_status().json()
    assert next(hand["value"] for hand in moved if hand["id"] == "tilt.nose_up_deg") == 12
    for change, path in (({"tilt.nose_up_deg": 999}, "tilt.nose_up_deg"), ({"moon": 1}, "moon")):
        refused(served.client.patch(address, json={"hands": change}), "bad-input", path)
    served.client.post(f"{RIG}/connect", json={"kind": "stand-in-tcp"}).raise_for_status()
    with window(served.address) as line:
        said = message_when(line, lambda m: all(one["readings"] for one in m["sensors"].values()))
    assert "truth" not in str(said)
    assert said["source"] == "stand-in"
    served.client.post(f"{RIG}/sensors/wheel/instruments/trip/zero").raise_for_status()


def test_how_a_rig_stands_is_asked_for_as_windows_are_told(client: TestClient) -> None:
    now = client.get("/api/rigs/fern/now").json()
    with client.websocket_connect("ws://127.0.0.1:8420/api/rigs/fern/live") as window:
        told = window.receive_json()
    assert now == told
    assert now["status"] == "idle"
    assert set(now["sensors"]) == {one["id"] for one in client.get("/api/rigs/fern").json()["rig"]["sensors"]}
    assert client.get("/api/rigs/nobody/now").status_code == 404
