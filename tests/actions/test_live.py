"""The whole chain on a real server: pseudo-terminal, recorder, PostgreSQL, windows."""

from __future__ import annotations

import itertools
import json
import os
import signal
import time
from concurrent.futures import ThreadPoolExecutor

import pytest
from websockets.sync.client import ClientConnection

from tests.conftest import until
from tests.served import Served
from tests.watching import RIG, begin, message_when, window
from tickstone.launch.cluster import Cluster
from tickstone.link.journal import read


@pytest.fixture
def connected(served: Served) -> Served:
    served.client.post(f"{RIG}/connect", json={"kind": "stand-in"}).raise_for_status()
    return served


def recording(served: Served, recording_id: int) -> dict:
    return served.client.get(f"/api/recordings/{recording_id}").json()


def closed(served: Served, recording_id: int) -> dict | None:
    found = recording(served, recording_id)["recording"]
    return found if found["status"] != "live" else None


def test_what_the_screen_called_recorded_survives_a_power_cut(connected: Served) -> None:
    served = connected
    recording_id = served.client.post(f"{RIG}/record", json={"name": "power cut"}).json()["id"]
    with window(served.address) as line:
        told = message_when(line, lambda m: m["recording"] and m["recording"]["committed"] >= 45)
        served.kill()
    served.start()
    kept = until(lambda: closed(served, recording_id))
    assert sum(stream["n"] for stream in kept["streams"]) >= told["recording"]["committed"]
    assert kept["status"] == "cut"
    assert kept["ended_why"]


def test_a_port_that_stays_unplugged_ends_the_recording_cleanly_and_connects_by_itself(
    connected: Served,
) -> None:
    served = connected
    recording_id = served.client.post(f"{RIG}/record", json={}).json()["id"]
    with window(served.address) as line:
        told = message_when(line, lambda m: m["recording"] and m["recording"]["committed"] > 10)
        served.hands({"board.fault.unplug": 1})
        lost = message_when(line, lambda m: m["status"] == "lost")
        assert "unplugged" in lost["why"]
        kept = until(lambda: closed(served, recording_id))
        assert kept["status"] == "cut"
        assert "unplugged" in kept["ended_why"]
        assert sum(s["n"] for s in kept["streams"]) >= told["recording"]["committed"]
        refused = served.client.post(f"{RIG}/connect", json={"kind": "stand-in"})
        assert (refused.status_code, refused.json()["code"]) == (409, "source-lost")
        served.hands({"board.fault.unplug": 0})
        served.client.post(f"{RIG}/connect", json={"kind": "stand-in"}).raise_for_status()
        message_when(line, lambda m: m["status"] == "live" and m["sensors"]["front-ranger"]["readings"] > 3)


def test_ten_times_unplugged_and_plugged_in_again_is_one_recording_of_eleven_segments(
    connected: Served,
) -> None:
    served = connected
    recording_id = served.client.post(f"{RIG}/record", json={}).json()["id"]
    with window(served.address) as line:
        for _ in range(10):
            before = message_when(line, lambda m: m["status"] == "live")["lines"]
            message_when(line, lambda m, before=before: m["lines"] > before + 20)
            served.hands({"board.fault.unplug": 1})
            message_when(line, lambda m: m["status"] == "lost")
            served.hands({"board.fault.unplug": 0})
        last = message_when(line, lambda m: m["status"] == "live")["lines"]
        told = message_when(line, lambda m: m["lines"] > last + 40)
    served.client.post(f"{RIG}/stop").raise_for_status()
    kept = recording(served, recording_id)["recording"]
    assert kept["status"] == "closed"
    ranger = next(stream for stream in kept["streams"] if stream["key"] == "front-ranger")
    assert ranger["segments"] == 11
    assert sum(stream["n"] for stream in kept["streams"]) >= told["recording"]["committed"]
    trace = served.client.get(
        f"/api/recordings/{recording_id}/trace", params={"sensor": "front-ranger"}
    ).json()
    assert trace["t"] == sorted(trace["t"])


def test_a_wrong_baud_is_said_in_words_and_goes_with_the_right_one(connected: Served) -> None:
    with window(connected.address) as line:
        message_when(line, lambda m: m["sensors"]["front-ranger"]["readings"] > 3)
        connected.hands({"board.fault.baud": 1})
        assert "baud" in message_when(line, lambda m: m["advice"] != "")["advice"]
        connected.hands({"board.fault.baud": 0})
        message_when(line, lambda m: m["advice"] == "")


def test_parts_taken_off_and_put_back_many_times_while_readings_come(connected: Served) -> None:
    """Every change is one step for everybody: no answer but 200, and the open windows go on."""
    ends, client = [], connected.client

    def busy() -> None:  # somebody who looks all the time, so that rows are converted at every moment
        while not ends:
            client.get(f"{RIG}/standing", params={"sensor": "line-row"}).raise_for_status()

    with window(connected.address) as line, ThreadPoolExecutor(3) as pool:
        others = [pool.submit(busy) for _ in range(3)]
        message_when(line, lambda m: m["sensors"]["front-ranger"]["readings"] > 3)
        try:
            for part in ["front-ranger", "air", "tilt", "battery-gauge"] * 3:
                revision = client.get(RIG).json()["revision"]
                off = (
                    client.post(f"{RIG}/parts/{part}/take-off", json={"revision": revision})
                    .raise_for_status()
                    .json()
                )
                lines = message_when(line, lambda m, part=part: part not in m["sensors"])["lines"]
                message_when(line, lambda m, lines=lines: m["lines"] > lines)
                client.post(f"{RIG}/undo", json={"revision": off["revision"]}).raise_for_status()
                message_when(line, lambda m, part=part: (m["sensors"].get(part) or {}).get("readings", 0) > 0)
        finally:
            ends.append(True)
        for one in others:
            one.result(timeout=60)
    assert client.get("/api/health").json()["unwell"] == []


def test_a_board_that_starts_again_begins_a_segment(connected: Served) -> None:
    recording_id = connected.client.post(f"{RIG}/record", json={}).json()["id"]
    with window(connected.address) as line:
        lines = message_when(line, lambda m: m["recording"] and m["recording"]["committed"] > 60)["lines"]
        connected.hands({"board.fault.reset": 1})
        message_when(line, lambda m: m["lines"] > lines + 150)
    connected.client.post(f"{RIG}/stop").raise_for_status()
    kept = recording(connected, recording_id)
    assert all(stream["segments"] == 2 for stream in kept["recording"]["streams"] if stream["n"] > 10)
    assert any("Watch program of Fern" in odd["text"] for odd in kept["odd"])


def test_a_recording_replayed_gives_the_same_readings_again(connected: Served) -> None:
    first = served_recording(connected, seconds=3)
    connected.client.post(
        f"{RIG}/connect", json={"kind": "replay", "recording": first, "speed": 1}
    ).raise_for_status()
    again = connected.client.post(f"{RIG}/record", json={"name": "again"}).json()["id"]
    kept = until(lambda: closed(connected, again))
    assert "replayed to its end" in kept["ended_why"]
    for sensor in ("front-ranger", "line-row", "wheel", "tilt", "battery-gauge"):
        one, two = (
            connected.client.get(
                f"/api/recordings/{i}/trace", params={"sensor": sensor, "width": 4000}
            ).json()
            for i in (first, again)
        )
        lows = (
            ("raw_low",) if sensor == "front-ranger" else ("raw_low", "low")
        )  # its air is that of its recording
        for low in lows:
            assert len(two[low]) >= 0.8 * len(one[low])
            assert two[low] == one[low][-len(two[low]) :]
    refused = connected.client.post(f"{RIG}/connect", json={"kind": "replay", "recording": first, "speed": 0})
    assert (refused.status_code, refused.json()["path"]) == (422, "speed")


def served_recording(served: Served, seconds: float) -> int:
    recording_id: int = served.client.post(f"{RIG}/record", json={}).json()["id"]
    with window(served.address) as line:
        begun = message_when(line, lambda m: m["recording"] and m["recording"]["committed"] > 0)["now_s"]
        message_when(line, lambda m: m["now_s"] > begun + seconds)
    served.client.post(f"{RIG}/stop").raise_for_status()
    return recording_id


def test_a_reader_that_stood_still_takes_up_what_waited_and_bends_no_time(connected: Served) -> None:
    served = connected
    served.client.post(f"{RIG}/connect", json={"kind": "stand-in-tcp"}).raise_for_status()
    recording_id = served.client.post(f"{RIG}/record", json={}).json()["id"]
    with window(served.address) as line:
        for still_s in (0.5, 3.5, 5.0):
            before = message_when(line, lambda m: m["recording"])["lines"]
            message_when(line, lambda m, before=before: m["lines"] > before + 60)
            os.kill(served.process.pid, signal.SIGSTOP)
            time.sleep(still_s)
            os.kill(served.process.pid, signal.SIGCONT)
        last = message_when(line, lambda m: m["status"] == "live")["lines"]
        message_when(line, lambda m: m["lines"] > last + 300)
    served.client.post(f"{RIG}/stop").raise_for_status()
    kept = recording(served, recording_id)
    assert [stream["segments"] for stream in kept["recording"]["streams"]] == [1] * len(
        kept["recording"]["streams"]
    )
    assert [line for line in kept["odd"] if "does not fit" in line["why"]] == []
    findings = served.client.get(f"/api/recordings/{recording_id}/findings").json()["findings"]
    assert {finding["kind"] for finding in findings} & {"reset", "garbled"} == set()


def test_garbled_lines_are_counted_and_kept_and_zeros_are_dropouts(connected: Served) -> None:
    served = connected
    served.hands({"board.fault.garbled": 1, "front-ranger.fault.zeros": 1, "front-ranger.target_mm": 850})
    recording_id = served.client.post(f"{RIG}/record", json={}).json()["id"]
    with window(served.address) as line:
        message_when(line, lambda m: m["garbled"] >= 5 and m["sensors"]["front-ranger"]["dropouts"] >= 5)
    served.client.post(f"{RIG}/stop").raise_for_status()
    found = recording(served, recording_id)
    assert found["recording"]["odd_lines"] >= 3
    assert all(odd["why"] for odd in found["odd"])
    trace = served.client.get(
        f"/api/recordings/{recording_id}/trace", params={"sensor": "front-ranger"}
    ).json()
    values = [v for v in trace["low"] if v is not None]
    assert None in trace["low"]
    assert 0 in trace["raw_low"]
    assert min(values) > 800
    assert max(values) < 900


def test_two_windows_on_one_rig_agree(connected: Served) -> None:
    served = connected
    served.client.post(f"{RIG}/record", json={}).raise_for_status()
    with window(served.address) as one, window(served.address) as two:
        for line in (one, two):
            message_when(line, lambda m: m["recording"] is not None)
        second = served.client.post(f"{RIG}/record", json={})
        assert (second.status_code, second.json()["code"]) == (409, "conflict")
        served.client.post(f"{RIG}/stop").raise_for_status()
        ends = [message_when(line, lambda m: m["recording"] is None) for line in (one, two)]
        versions = [message_when(line, lambda m: m["version"] >= ends[0]["version"]) for line in (one, two)]
        assert versions[0]["version"] == versions[1]["version"]


def test_a_line_reaches_every_window_once_and_in_order(connected: Served) -> None:
    with window(connected.address) as line:
        times: list[float] = []
        while len(times) < 60:
            times += json.loads(line.recv(timeout=20))["sensors"]["front-ranger"]["t"]
    steps = [round(b - a, 6) for a, b in itertools.pairwise(times)]
    assert set(steps) == {0.05}


def test_places_are_held_by_themselves_and_become_measured_constants(connected: Served) -> None:
    served = connected
    ruler = f"{RIG}/sensors/front-ranger/procedures/ruler"
    with window(served.address) as line:
        message_when(line, lambda m: m["air_c"] is not None)
        for mm in (200, 400, 700):
            served.hands({"front-ranger.target_mm": mm})
            key = next(w["key"] for w in served.client.get(ruler).json()["wants"] if w["fields"])
            served.client.post(
                f"{ruler}/hold", json={"key": key, "truth": {"true_mm": mm}}
            ).raise_for_status()
            message_when(line, lambda m, mm=mm: m["hold"] is None and held(served, ruler, mm))
    served.client.post(f"{ruler}/accept", json={}).raise_for_status()
    constants = {c["name"]: c for c in served.client.get(f"{RIG}/sensors/front-ranger/constants").json()}
    assert {constants[n]["provenance"] for n in ("sound", "offset", "jitter")} == {"measured"}
    assert constants["sound"]["value"] == pytest.approx(346, abs=4)
    assert constants["offset"]["value"] == pytest.approx(-3, abs=3)
    marks = recording(served, constants["sound"]["recording_id"])["marks"]
    assert [m["truth"]["value"] for m in marks] == [200, 400, 700]
    assert all(m["t1_s"] > m["t0_s"] and m["conditions"]["air_c"] > 20 for m in marks)
    assert until(lambda: closed(served, constants["sound"]["recording_id"]))["status"] == "closed"


def held(served: Served, ruler: str, mm: float) -> bool:
    return mm in [step["truth"]["true_mm"] for step in served.client.get(ruler).json()["steps"]]


def without(cluster: Cluster, line: ClientConnection) -> dict:
    """Stop the database once some rows of the running recording are stored; the message that says so."""
    message_when(line, lambda m: m["recording"] and m["recording"]["committed"] > 10)
    cluster.stop()
    return message_when(line, lambda m: m["recording"] and m["recording"]["store_away"])


def test_a_database_that_goes_away_loses_nothing_that_was_taken(served_on_own_cluster: tuple) -> None:
    served, cluster = served_on_own_cluster
    recording_id = begin(served)
    with window(served.address) as line:
        port, away = cluster.port, without(cluster, line)
        assert served.client.get("/api/health").json()["database"] is False
        refused = served.client.get(f"{RIG}/recordings")
        assert (refused.status_code, refused.json()["code"]) == (503, "store-away")
        message_when(line, lambda m: m["lines"] > away["lines"] + 20)
        cluster.start(port)
        back = message_when(
            line, lambda m: not m["recording"]["store_away"] and m["recording"]["committed"] > 60
        )
        assert back["recording"]["lost"] == 0
    served.client.post(f"{RIG}/stop").raise_for_status()
    assert steps_of(served, recording_id) == {0.05}


def steps_of(served: Served, recording_id: int) -> set[float]:
    """The steps of time between the stored readings of the ranger."""
    trace = served.client.get(
        f"/api/recordings/{recording_id}/trace", params={"sensor": "front-ranger", "width": 4000}
    )
    times = trace.json()["t"]
    return {round(b - a, 6) for a, b in itertools.pairwise(times)}


@pytest.mark.parametrize("end", ["stop", "ctrl-c", "kill"])
def test_rows_that_wait_for_an_absent_database_outlive_the_app(
    served_on_own_cluster: tuple, end: str
) -> None:
    served, cluster = served_on_own_cluster
    recording_id = begin(served)
    with window(served.address) as line:
        port, away = cluster.port, without(cluster, line)
        message_when(line, lambda m: m["lines"] > away["lines"] + 60)
    least = until(lambda: served.client.get("/api/health").json()["waiting"])
    if end == "stop":
        served.client.post(f"{RIG}/stop").raise_for_status()
        least = served.client.get("/api/health").json()["waiting"]
    if end == "kill":
        (file,) = served.folder.rglob("recording-*.jsonl")
        until(lambda: (left := read(file)) and left.count >= least)
    if end == "ctrl-c":
        served.stop()
    else:
        served.kill()
    cluster.start(port)
    served.start()
    until(lambda: served.client.get("/api/health").json()["waiting"] == 0)
    stored = until(lambda: closed(served, recording_id))
    assert stored["status"] == ("cut" if end == "kill" else "closed")
    assert "waited in a file" in stored["ended_why"]
    assert sum(stream["n"] for stream in stored["streams"]) > 10 + least
    assert steps_of(served, recording_id) == {0.05}
    assert not list(served.folder.rglob("recording-*.jsonl"))


def test_what_drives_on_the_track_is_watched_and_its_commands_are_recorded(connected: Served) -> None:
    asked = {"behaviour": "follow-pid", "world": "path"}
    connected.client.put(f"{RIG}/drive/track", json=asked).raise_for_status()
    with window(connected.address) as line:
        begun = message_when(line, lambda m: m["sensors"]["wheel"]["readings"] > 3)["now_s"]
        message_when(line, lambda m: m["now_s"] > begun + 0.5)
    recording_id = served_recording(connected, seconds=3)
    kept = recording(connected, recording_id)
    assert kept["recording"]["odd_lines"] == 0
    shown = [lane for lane in kept["shown"] if lane["unit"] == "%"]
    assert [lane["title"] for lane in shown] == ["wheels: left wheel", "wheels: right wheel"]
    answer = connected.client.get(
        f"/api/recordings/{recording_id}/lanes", params={"show": [lane["id"] for lane in shown]}
    )
    for lane in answer.raise_for_status().json():
        known = [value for value in lane["low"] if value is not None]
        assert len(known) > 20
        assert all(0 <= value <= 80 for value in known)
    stands = connected.client.get(f"{RIG}/drive/track").raise_for_status().json()
    assert stands["behaviour"] == "follow-pid"
    assert abs(stands["offset_mm"]) < 60
    text = (
        connected.client.get(f"/api/recordings/{recording_id}/export", params={"form": "csv"})
        .raise_for_status()
        .text
    )
    assert "wheels_left_pct" in text
    connected.client.delete(f"{RIG}/drive/track").raise_for_status()
    assert connected.client.get(f"{RIG}/drive/track").json() is None
    refused = connected.client.put(f"{RIG}/drive/track", json=asked | {"world": "bench"})
    assert (refused.status_code, refused.json()["path"]) == (422, "world")
