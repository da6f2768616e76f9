"""Files of readings over HTTP: handed over, looked at, taken in, stopped, given out again."""

from __future__ import annotations

from typing import Any

import pytest
from fastapi.testclient import TestClient

from tests.conftest import until
from tests.served import Served
from tickstone.actions import bench_files

WALK = (
    "t_us,echo_us,air_c,mark,mood\n0,1748,20,,fine\n50000,0,,50 cm,fine\n100000,1750,30,50 cm,\n150x00,7,,,\n"
)


def hand_over(
    served: Served, content: bytes | str, name: str = "walk.csv", slug: str = "fern"
) -> dict[str, Any]:
    answer = served.client.post(f"/api/rigs/{slug}/files", params={"name": name}, content=content)
    found: dict[str, Any] = answer.raise_for_status().json()
    return found


def look(served: Served, file: dict[str, Any], **wish: Any) -> dict[str, Any]:
    found: dict[str, Any] = (
        served.client.post(f"/api/files/{file['id']}/look", json=wish).raise_for_status().json()
    )
    return found


def take_in(served: Served, file: dict[str, Any], **wish: Any) -> dict[str, Any]:
    served.client.post(f"/api/files/{file['id']}/take-in", json=wish).raise_for_status()

    def ended() -> Any:
        state = served.client.get(f"/api/files/{file['id']}").json()
        return state if state["state"] in ("done", "failed", "stopped") else None

    found: dict[str, Any] = until(ended, 60)  # type: ignore[assignment]
    return found


def test_a_file_is_looked_at_taken_in_and_opened(served: Served) -> None:
    file = hand_over(served, WALK)
    seen = look(served, file)
    means = {one["name"]: (one["meaning"] or {}).get("role") for one in seen["columns"]}
    assert means == {
        "t_us": "time",
        "echo_us": "channel",
        "air_c": "channel",
        "mark": "mark",
        "mood": "ignored",
    }
    assert (seen["format"], seen["bad_count"], seen["bad"][0]["line"], seen["wanting"]) == ("csv", 1, 5, "")
    assert (seen["rate_hz"], sorted(seen["sensors"])) == (20, ["air", "front-ranger"])
    taken = take_in(served, file, name="along the bench")
    assert (taken["state"], taken["rows"]) == ("done", 3)
    opened = served.client.get(f"/api/recordings/{taken['recording']}").json()
    assert opened["recording"]["name"] == "along the bench"
    assert opened["recording"]["origin"] == "import"
    assert [(one["line"], one["text"]) for one in opened["odd"]] == [(5, "150x00,7,,,")]
    (mark,) = opened["marks"]
    assert (mark["label"], mark["t0_s"], mark["t1_s"], mark["truth"]["value"]) == ("50 cm", 0.05, 0.1, 500)
    trace = served.client.get(
        f"/api/recordings/{taken['recording']}/trace", params={"sensor": "front-ranger"}
    ).json()
    assert trace["raw_low"] == [1748, 0, 1750]
    assert trace["low"][1] is None  # a dropout


def test_what_is_said_of_a_column_is_remembered(served: Served) -> None:
    text = "when,left\n0,312\n20,400\n"
    first = hand_over(served, text)
    seen = look(served, first)
    assert "time" in seen["wanting"]
    channel = next(one["channel"] for one in seen["targets"] if one["sensor"] == "line-row")
    wish = {
        "when": {"role": "time", "unit_us": 1000},
        "left": {"role": "channel", "sensor": "line-row", "channel": channel},
    }
    assert take_in(served, first, said=wish)["state"] == "done"
    seen = look(served, hand_over(served, text))
    assert [(one["meaning"]["role"], one["guessed"]) for one in seen["columns"]] == [
        ("time", False),
        ("channel", False),
    ]
    twice = served.client.post(f"/api/files/{first['id']}/take-in", json={"said": {"left": wish["left"]}})
    assert twice.status_code == 409


def test_rows_without_a_time_come_at_a_rate(served: Served) -> None:
    file = hand_over(served, "312\n313\n\n31x\n315\n", "counts.txt")
    channel = {"role": "channel", "sensor": "battery-gauge", "channel": "counts"}
    taken = take_in(served, file, said={"1": channel}, rate_hz=10)
    assert taken["rows"] == 3
    again = look(served, hand_over(served, "400\n401\n"))["columns"][0]
    assert (again["guessed"], again["meaning"]["sensor"]) == (False, "battery-gauge")
    wider = look(served, hand_over(served, "400,1\n401,2\n"))["columns"][0]
    assert wider["meaning"] is None  # a place in a file of another width says nothing
    trace = served.client.get(
        f"/api/recordings/{taken['recording']}/trace", params={"sensor": "battery-gauge"}
    ).json()
    assert trace["t"] == [0, 0.1, 0.4]  # the line that was not understood, and the empty one, took their time


@pytest.mark.parametrize(
    ("name", "told", "said"),
    [
        ("air_c", "0", {}),
        ("temp_F", "32", {}),
        ("outside", "0", {"outside": {"role": "channel", "sensor": "~air", "channel": "air"}}),
    ],
)
def test_air_that_a_file_tells_serves_a_ranger_without_a_thermometer(
    served: Served, name: str, told: str, said: dict
) -> None:
    slug = served.client.post("/api/rigs", json={"title": f"Plume {name}", "template": "T20"}).json()["slug"]
    text = f"t_us,echo_us,{name}\n" + "".join(f"{i * 50_000},5831,{told}\n" for i in range(40))
    file = hand_over(served, text, slug=slug)
    seen = look(served, file)
    assert any(one["sensor"] == "~air" for one in seen["targets"])
    taken = take_in(served, file, said=said)
    rig = served.client.get(f"/api/rigs/{slug}").json()["rig"]
    ranger = next(part["id"] for part in rig["sensors"] if part["kind"] == "ultrasonic-ranger")
    trace = served.client.get(f"/api/recordings/{taken['recording']}/trace", params={"sensor": ranger}).json()
    assert trace["low"][0] == pytest.approx(5831 * 331.3 / 2000, abs=1)  # 331.3 m/s at 0 °C (handbooks)
    given = served.client.get(f"/api/recordings/{taken['recording']}/export?form=csv").text
    again = take_in(served, hand_over(served, given, "again.csv", slug=slug))  # our own file knows it, too
    back = served.client.get(f"/api/recordings/{again['recording']}/trace", params={"sensor": ranger}).json()
    assert back["low"] == trace["low"]
    if said:
        column = next(
            one for one in look(served, hand_over(served, text, slug=slug))["columns"] if one["name"] == name
        )
        assert (column["guessed"], column["meaning"]["sensor"]) == (False, "~air")


SPARE = "t_us,echo_us,pressure\n" + "".join(f"{i * 50_000},{1748 + i % 3},{1013 + i}\n" for i in range(80))


LOOSE = "t_us,pressure\n" + "".join(f"{i * 50_000},{1013 + i}\n" for i in range(80))


@pytest.mark.parametrize("text", [SPARE, LOOSE])
def test_a_column_of_no_sensor_is_opened_examined_and_given_out(served: Served, text: str) -> None:
    file = hand_over(served, text)
    taken = take_in(served, file)
    assert (taken["state"], taken["rows"]) == ("done", 80), taken
    address = f"/api/recordings/{taken['recording']}"
    opened = served.client.get(address).raise_for_status().json()
    shown = next(one["id"] for one in opened["shown"] if one["title"] == "pressure")
    (lane,) = served.client.get(f"{address}/lanes", params={"show": shown}).raise_for_status().json()
    assert (lane["low"][0], lane["high"][-1]) == (1013, 1092)
    found = served.client.get(f"{address}/findings").raise_for_status().json()
    assert found["findings"] == []
    out = served.client.get(f"{address}/export", params={"form": "csv"}).raise_for_status().text
    rows = [line for line in out.splitlines() if not line.startswith("#")]
    assert "pressure" in rows[0].split(",")
    assert len(rows) == 81
    again = take_in(served, hand_over(served, out, "again.csv"))
    assert (again["state"], again["rows"]) == ("done", 80)


def test_a_recording_of_a_sensor_that_was_taken_off_is_still_opened(served: Served) -> None:
    taken = take_in(served, hand_over(served, WALK))
    rig = served.client.get("/api/rigs/fern").json()
    off = served.client.post("/api/rigs/fern/parts/front-ranger/take-off", json={"revision": rig["revision"]})
    off.raise_for_status()
    address = f"/api/recordings/{taken['recording']}"
    (lane,) = served.client.get(f"{address}/lanes", params={"show": "front-ranger"}).raise_for_status().json()
    assert [one is None for one in lane["low"]] == [False, True, False]
    served.client.get(f"{address}/findings").raise_for_status()
    assert (
        "distance" in served.client.get(f"{address}/export", params={"form": "csv"}).raise_for_status().text
    )
    served.client.get("/api/rigs/fern/recordings").raise_for_status()


@pytest.mark.parametrize(
    ("content", "said"),
    [
        (b"hello\n", "no reading"),
        (bytes(range(256)) * 40, "no file of readings"),
        (b"PAR1 and no more", "damaged or cut short"),
        (b"$var wire 1 ! a $end", "ends within"),
    ],
)
def test_a_file_without_a_reading_is_refused_in_a_sentence(served: Served, content: bytes, said: str) -> None:
    file = hand_over(served, content)
    refused = served.client.post(f"/api/files/{file['id']}/look", json={})
    assert (refused.status_code, said in refused.json()["message"]) == (422, True), refused.json()


def test_nothing_is_kept_of_a_file_that_fails_or_is_stopped(served: Served) -> None:
    before = len(served.client.get("/api/rigs/fern/recordings").json())
    rows = "".join(f"{i * 1000},{1700 + i % 9}\n" for i in range(600_000))
    spoilt = hand_over(served, "t_us,echo_us\n" + rows + "8" * 2_000_000)
    failed = take_in(served, spoilt)
    assert (failed["state"], "Line 600002 is longer" in failed["message"]) == ("failed", True), failed
    long = hand_over(served, "t_us,echo_us\n" + rows * 8)
    served.client.post(f"/api/files/{long['id']}/take-in", json={}).raise_for_status()
    served.client.delete(f"/api/files/{long['id']}").raise_for_status()
    assert served.client.get(f"/api/files/{long['id']}").status_code == 404
    again = hand_over(served, WALK)
    assert take_in(served, again)["state"] == "done"
    assert len(served.client.get("/api/rigs/fern/recordings").json()) == before + 1


def test_files_that_are_recordings_by_now_do_not_wait(
    client: TestClient, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(bench_files, "MOST_FILES", 3)
    numbers = []
    for _ in range(5):
        file = (
            client.post("/api/rigs/fern/files", params={"name": "walk.csv"}, content=WALK)
            .raise_for_status()
            .json()
        )
        numbers.append(file["id"])
        client.post(f"/api/files/{file['id']}/take-in", json={}).raise_for_status()
        until(lambda file=file: client.get(f"/api/files/{file['id']}").json()["state"] == "done", 120)
    for _ in range(3):
        client.post("/api/rigs/fern/files", params={"name": "waits.csv"}, content=WALK).raise_for_status()
    refused = client.post("/api/rigs/fern/files", params={"name": "one too many.csv"}, content=WALK)
    assert (refused.status_code, "3 files wait" in refused.json()["message"]) == (409, True)
    listed = client.get("/api/rigs/fern/files").raise_for_status().json()
    assert [one["state"] for one in listed] == ["done"] * (len(listed) - 3) + ["new"] * 3


def test_a_moment_that_is_missing_is_an_empty_cell(served: Served) -> None:
    file = hand_over(served, "at,echo_us\n2026-03-01 12:00:00.25,1748\n,1749\n2026-03-01 12:00:01,1750\n")
    at, echo = look(served, file)["columns"]
    assert at["cells"] == ["2026-03-01 12:00:00.250", "", "2026-03-01 12:00:01.000"]
    assert echo["cells"] == ["1748", "1749", "1750"]
