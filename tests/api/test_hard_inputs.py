"""What once broke the API, and what is like it: every such request is refused by its field, or answered."""

from __future__ import annotations

import os
from concurrent.futures import ThreadPoolExecutor
from typing import Any

import pytest
from fastapi.testclient import TestClient

from tests.api.conftest import refused
from tickstone.api.errors import MOST_BODY

RIG = "/api/rigs/fern"
SHOW = {"sensor": "front-ranger", "show": "front-ranger.echo_us"}
HUGE = (1e308, -1e308, 1e19, -1e19)


@pytest.fixture
def recording(client: TestClient) -> int:
    return int(client.get(f"{RIG}/recordings").json()[0]["id"])


@pytest.mark.parametrize("time", HUGE)
def test_times_beyond_all_recordings_are_refused_by_field(
    client: TestClient, recording: int, time: float
) -> None:
    address = f"/api/recordings/{recording}"
    for what in ("trace", "lanes", "read-outs", "export"):
        refused(client.get(f"{address}/{what}", params={**SHOW, "t0": time, "t1": 1}), "bad-input", "t0")
        refused(client.get(f"{address}/{what}", params={**SHOW, "t0": 0, "t1": time}), "bad-input", "t1")
    for what in ("moment", "at"):
        refused(client.get(f"{address}/{what}", params={**SHOW, "t": time}), "bad-input", "t")
    for what, body in (
        ("marks", {"t0_s": 0, "t1_s": time, "label": "x"}),
        ("trim", {"t0_s": 0, "t1_s": time}),
    ):
        refused(client.post(f"{address}/{what}", json=body), "bad-input", "t1_s")
    refused(client.post(f"{address}/split", json={"t_s": time}), "bad-input", "t_s")
    refused(client.post(f"{RIG}/marks", json={"lasted_s": abs(time), "label": "x"}), "bad-input", "lasted_s")


def test_the_smallest_time_there_is_is_a_time(client: TestClient, recording: int) -> None:
    answer = client.get(f"/api/recordings/{recording}/trace", params={**SHOW, "t0": 5e-324})
    assert answer.status_code == 200


@pytest.mark.parametrize("black", [5e-324, -1e308, 1e308])
@pytest.mark.parametrize("white", [-1e308, 5e-324, 1e308])
def test_counts_of_any_size_have_a_threshold_or_are_refused(
    client: TestClient, black: float, white: float
) -> None:
    body = {"black": [black, black], "white": [white, white, 1.0]}
    answer = client.post("/api/calc/line-threshold", json=body)
    assert answer.status_code in (200, 422), answer.text


def test_a_language_that_no_board_speaks_is_refused(client: TestClient) -> None:
    refused(client.get(f"{RIG}/program", params={"language": "cobol"}), "bad-input", "language")


def test_air_that_is_said_to_be_measured_without_a_thermometer_is_taken_as_said(client: TestClient) -> None:
    made = client.post("/api/rigs", json={"title": "Without", "template": "T16"}).raise_for_status()
    rig = made.json()["slug"]
    sensors = client.get(f"/api/rigs/{rig}").json()["rig"]["sensors"]
    for sensor in sensors:
        body = {"asked": {}, "air_c": 21.5, "live_air": True}
        answer = client.post(f"/api/rigs/{rig}/sensors/{sensor['id']}/worked", json=body)
        assert answer.status_code == 200, answer.text


@pytest.mark.parametrize(
    ("source", "field"),
    [
        ({"kind": "serial", "path": "/dev/tty\0x"}, "path"),
        ({"kind": "tcp", "host": "...", "port": 80}, "host"),
        ({"kind": "tcp", "host": "a" * 64, "port": 80}, "host"),
        ({"kind": "tcp", "host": "ä" * 70, "port": 80}, "host"),
        ({"kind": "tcp", "host": "a\0b", "port": 80}, "host"),
    ],
)
def test_a_name_that_no_port_or_host_can_have_is_refused(
    client: TestClient, source: dict[str, Any], field: str
) -> None:
    answer = client.post(f"{RIG}/connect", json=source)
    assert answer.status_code in (422, 409)
    assert answer.json()["path"] == field


@pytest.mark.parametrize("host", ["[", "[::", "]", "a b", "", "127.0.0.1.example"])
def test_a_host_that_is_none_of_ours_is_refused(client: TestClient, host: str) -> None:
    assert client.get("/api/health", headers={"host": host}).status_code == 403


@pytest.mark.parametrize("address", ["/api/%00", "/api/" + "a" * 5000, "/api/rigs/%00/wire"])
def test_an_address_that_cannot_be_is_not_there(client: TestClient, address: str) -> None:
    assert client.get(address).status_code in (404, 422)


def test_two_at_once_make_one_and_the_others_are_told(client: TestClient) -> None:
    with ThreadPoolExecutor(8) as pool:
        made = list(pool.map(lambda _: client.post(f"{RIG}/duplicate", json={"title": "Same"}), range(8)))
    assert sorted(answer.status_code for answer in made) == [200] + [409] * 7
    assert len([rig for rig in client.get("/api/rigs").json() if rig["title"] == "Same"]) == 1


def test_connecting_and_disconnecting_at_once_leaves_at_most_one_source(
    client: TestClient, recording: int
) -> None:
    def change(turn: int) -> int:
        if turn % 2:
            return client.post(f"{RIG}/disconnect").status_code
        return client.post(f"{RIG}/connect", json={"kind": "replay", "recording": recording}).status_code

    with ThreadPoolExecutor(8) as pool:
        assert set(pool.map(change, range(60))) == {200}
    client.post(f"{RIG}/disconnect").raise_for_status()
    assert client.get(f"{RIG}/now").json()["status"] == "idle"


def test_a_file_that_is_looked_at_while_it_is_taken_away_is_not_there(client: TestClient) -> None:
    table = "t_us,echo_us\n" + "".join(f"{i * 50_000},{1700 + i}\n" for i in range(500))

    def both(_: int) -> set[int]:
        file = client.post(f"{RIG}/files", content=table, params={"name": "a.csv"}).json()["id"]
        with ThreadPoolExecutor(3) as pool:
            looks = [pool.submit(client.post, f"/api/files/{file}/look", json={}) for _ in range(2)]
            gone = pool.submit(client.delete, f"/api/files/{file}")
        assert client.post(f"/api/files/{file}/look", json={}).status_code == 404
        return {answer.result().status_code for answer in (*looks, gone)}

    assert set().union(*map(both, range(12))) <= {200, 404}


def test_a_body_that_is_too_large_is_refused_at_the_door_and_a_file_is_not(client: TestClient) -> None:
    large = b'{"text": "' + b"a" * MOST_BODY + b'"}'
    head = {"content-type": "application/json"}
    said = refused(client.post(f"{RIG}/notes", content=large, headers=head), "too-large", "")
    assert "8 MB" in said
    in_pieces = client.post(
        f"{RIG}/notes", content=(large[i : i + 65_536] for i in range(0, len(large), 65_536))
    )
    refused(in_pieces, "too-large", "")
    file = client.post(f"{RIG}/files", content=b"t_us,echo_us\n" + b"0,1700\n" * 1_400_000)
    assert file.status_code == 200
    client.delete(f"/api/files/{file.json()['id']}").raise_for_status()


def test_only_ports_of_the_list_are_opened_and_a_refusal_does_not_tell_what_exists(
    client: TestClient,
) -> None:
    said = {
        refused(client.post(f"{RIG}/connect", json={"kind": "serial", "path": path}), "bad-input", "path")
        for path in ("/etc/passwd", "/dev/null", "/nowhere/at/all")
    }
    assert len(said) == 1
    master, slave = os.openpty()
    path = os.ttyname(slave)
    refused(client.post(f"{RIG}/connect", json={"kind": "serial", "path": path}), "bad-input", "path")
    with here(client) as own:
        own.post("/api/sources/ports", json={"path": path}).raise_for_status()
        refused(own.post("/api/sources/ports", json={"path": "ttyS0"}), "bad-input", "path")
    assert path in [port["path"] for port in client.get("/api/sources").json()["ports"]]
    client.post(f"{RIG}/connect", json={"kind": "serial", "path": path}).raise_for_status()
    client.post(f"{RIG}/disconnect").raise_for_status()
    os.close(master)
    os.close(slave)


def test_a_port_is_added_at_the_machine_alone(client: TestClient) -> None:
    with here(client, "192.168.4.20") as other:
        refused(other.post("/api/sources/ports", json={"path": "/dev/ttyS0"}), "forbidden", "path")


@pytest.mark.parametrize("host", ["11.22.33.44", "2a00::1"])
def test_boards_beyond_the_own_network_are_refused(client: TestClient, host: str) -> None:
    answer = client.post(f"{RIG}/connect", json={"kind": "tcp", "host": host, "port": 80})
    assert "--any-address" in refused(answer, "bad-input", "host")


def here(client: TestClient, address: str = "127.0.0.1") -> TestClient:
    """Another client of the same app, at another address."""
    return TestClient(client.app, base_url="http://127.0.0.1:8420", client=(address, 50_000))


@pytest.mark.parametrize(
    ("what", "body", "made"), [("trim", {"t0_s": 1, "t1_s": 3}, 1), ("split", {"t_s": 2}, 2)]
)
def test_four_cuts_at_once_make_one(
    client: TestClient, recording: int, what: str, body: dict[str, float], made: int
) -> None:
    before = len(client.get(f"{RIG}/recordings").json())
    with ThreadPoolExecutor(4) as pool:
        cuts = list(
            pool.map(lambda _: client.post(f"/api/recordings/{recording}/{what}", json=body), range(4))
        )
    assert sorted(answer.status_code for answer in cuts) == [200, 409, 409, 409]
    assert len(client.get(f"{RIG}/recordings").json()) == before - 1 + made
