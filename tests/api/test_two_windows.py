"""Marks, notes and constants edited in two windows: the second is refused, nothing is lost, and what was
before is still told."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from typing import Any

import httpx
import pytest
from fastapi.testclient import TestClient

from tests.served import Served
from tests.watching import RIG

HEIGHT = f"{RIG}/sensors/front-ranger/constants/height"


def opened(client: TestClient | httpx.Client) -> dict[str, Any]:
    newest = client.get(f"{RIG}/recordings").json()[0]["id"]
    found: dict[str, Any] = client.get(f"/api/recordings/{newest}").raise_for_status().json()
    return found


def seen(state: dict[str, Any]) -> int:
    """The last change that a window with this state knows."""
    return int(state["earlier"][0]["id"]) if state["earlier"] else 0


def is_told(answer: httpx.Response, path: str) -> None:
    assert answer.status_code == 409
    assert (answer.json()["code"], answer.json()["path"]) == ("conflict", path)


def test_the_second_note_is_refused_and_the_first_one_stays_with_what_was_before(client: TestClient) -> None:
    before = opened(client)
    url = f"/api/recordings/{before['recording']['id']}"
    client.patch(url, json={"note": "trays on", "seen": seen(before)}).raise_for_status()
    is_told(client.patch(url, json={"note": "trays off", "seen": seen(before)}), "note")
    client.patch(url, json={"name": "at the door", "seen": seen(before)}).raise_for_status()  # something else
    now = opened(client)
    assert (now["recording"]["note"], now["recording"]["name"]) == ("trays on", "at the door")
    client.patch(url, json={"note": "trays off", "seen": seen(now)}).raise_for_status()
    after = opened(client)
    assert [state["before"] for state in after["earlier"]] == [
        {"note": "trays on"},
        {"name": before["recording"]["name"]},
        {"note": before["recording"]["note"]},
    ]
    client.patch(url, json={"note": "trays off", "seen": 0}).raise_for_status()  # the same is no change
    assert len(opened(client)["earlier"]) == 3


def test_the_second_change_of_a_mark_is_refused_where_it_is_the_same_field(client: TestClient) -> None:
    before = opened(client)
    mark = before["marks"][0]
    url = f"/api/marks/{mark['id']}"
    client.patch(url, json={"label": "white", "t0_s": 1.25, "seen": seen(before)}).raise_for_status()
    is_told(client.patch(url, json={"label": "black", "seen": seen(before)}), "label")
    client.patch(url, json={"conditions": {"lamp": "on"}, "seen": seen(before)}).raise_for_status()
    other = before["marks"][1]["id"]
    client.patch(f"/api/marks/{other}", json={"label": "far", "seen": seen(before)}).raise_for_status()
    client.patch(url, json={"archived": True, "seen": seen(opened(client))}).raise_for_status()
    is_told(client.patch(url, json={"archived": False, "seen": seen(before)}), "archived")
    mine = [state["before"] for state in opened(client)["earlier"] if state["mark_id"] == mark["id"]]
    assert mine == [
        {"archived": False},
        {"conditions": mark["conditions"]},
        {"label": mark["label"], "t0_s": mark["t0_s"]},
    ]


def test_the_second_value_of_a_constant_is_refused_and_names_the_first(client: TestClient) -> None:
    def known() -> int:
        constants = client.get(f"{RIG}/sensors/front-ranger/constants").json()
        return next(int(each["id"]) for each in constants if each["name"] == "height")

    first = known()
    client.put(HEIGHT, json={"value": 121, "seen": first}).raise_for_status()
    refusal = client.put(HEIGHT, json={"value": 131, "seen": first})
    is_told(refusal, "seen")
    assert "121 mm" in refusal.json()["message"]
    client.put(HEIGHT, json={"value": 131, "seen": known()}).raise_for_status()
    history = client.get(f"{HEIGHT}/history").json()
    assert [value["value"] for value in history][:2] == [131, 121]


@pytest.mark.server
def test_of_eight_at_the_same_moment_one_is_kept(served: Served) -> None:
    before = opened(served.client)
    url = f"/api/recordings/{before['recording']['id']}"

    def patch(number: int) -> int:
        body = {"note": f"the {number}th", "seen": seen(before)}
        return served.client.patch(url, json=body).status_code

    def put(number: int) -> int:
        return served.client.put(HEIGHT, json={"value": 100 + number, "seen": first}).status_code

    constants = served.client.get(f"{RIG}/sensors/front-ranger/constants").json()
    first = next(each["id"] for each in constants if each["name"] == "height")
    with ThreadPoolExecutor(8) as windows:
        assert sorted(windows.map(patch, range(8))) == [200] + [409] * 7
        assert sorted(windows.map(put, range(8))) == [200] + [409] * 7
    assert len(opened(served.client)["earlier"]) == len(before["earlier"]) + 1
