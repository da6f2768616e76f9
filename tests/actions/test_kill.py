"""What the screen called recorded is on disk, however the server ends."""

from __future__ import annotations

import json

from tests.conftest import Served, until
from websockets.sync.client import connect

SLUG = "fern"


def newest_message(address: str, enough) -> dict:
    """Listen until a message satisfies ``enough``."""
    with connect(address.replace("http", "ws") + f"/api/rigs/{SLUG}/live", origin=address) as line:
        while True:
            message = json.loads(line.recv(timeout=20))
            if enough(message):
                return message


def test_a_killed_server_keeps_every_row_that_was_called_recorded(served: Served) -> None:
    served.client.post(f"/api/rigs/{SLUG}/connect", json={"kind": "stand-in"}).raise_for_status()
    recording_id = served.client.post(f"/api/rigs/{SLUG}/record", json={"name": "power cut"}).json()["id"]
    told = newest_message(served.address, lambda m: m["recording"] and m["recording"]["committed"] >= 45)
    served.kill()
    served.start()
    kept = until(lambda: _closed(served, recording_id))
    assert sum(stream["n"] for stream in kept["streams"]) >= told["recording"]["committed"]
    assert kept["status"] == "cut"
    assert kept["ended_why"]


def _closed(served: Served, recording_id: int) -> dict | None:
    recording = served.client.get(f"/api/recordings/{recording_id}").json()["recording"]
    return recording if recording["status"] != "live" else None
