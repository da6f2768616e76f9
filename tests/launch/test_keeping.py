"""The app's own database server ends, or has no room: it is started again, and a recording goes on."""

from __future__ import annotations

import os
import signal
from collections import namedtuple
from pathlib import Path

import psycopg
import pytest
from fastapi.testclient import TestClient

from tests.conftest import until
from tests.served import Served
from tests.watching import RIG, begin, message_when, window
from tickstone.actions.workshop import Workshop
from tickstone.api.app import make_app
from tickstone.store.database import Database

Usage = namedtuple("Usage", "total used free")


def one_recording(served: Served, recording_id: int) -> dict:
    """The recording once it is closed: every line of it in one segment."""
    served.client.post(f"{RIG}/stop").raise_for_status()
    read = until(
        lambda: (
            (found := served.client.get(f"/api/recordings/{recording_id}").json()["recording"])
            and found["status"] == "closed"
            and found
        )
    )
    assert {stream["segments"] for stream in read["streams"] if stream["n"]} == {1}
    return read


@pytest.mark.server
@pytest.mark.parametrize("how", [signal.SIGKILL, signal.SIGQUIT, signal.SIGINT])
def test_a_database_server_that_ends_is_started_again_while_a_recording_goes_on(
    data_folder: Path, how: signal.Signals
) -> None:
    served = Served(data_folder, None)
    try:
        recording_id = begin(served)
        with window(served.address) as line:
            message_when(line, lambda m: m["recording"] and m["recording"]["committed"] > 10)
            lock = data_folder / "demo" / "cluster" / "postmaster.pid"
            os.kill(int(lock.read_text().splitlines()[0]), how)
            message_when(line, lambda m: m["recording"]["store_away"])
            back = message_when(
                line, lambda m: not m["recording"]["store_away"] and m["recording"]["committed"] > 60
            )
            assert back["recording"]["lost"] == 0
        until(lambda: served.client.get("/api/health").json()["ok"])
        assert one_recording(served, recording_id)["streams"]
        log = (data_folder / "demo" / "tickstone.log").read_text()
        assert "the database server crashed (1)" in log
        assert "the database server goes on" in log
    finally:
        served.stop()


@pytest.mark.server
def test_a_full_disk_is_said_and_a_recording_goes_on_when_there_is_room(
    served: Served, database_url: str
) -> None:
    recording_id = begin(served)
    with psycopg.connect(database_url, autocommit=True) as database, window(served.address) as line:
        message_when(line, lambda m: m["recording"] and m["recording"]["committed"] > 10)
        database.execute(
            "CREATE FUNCTION no_room() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN "
            "RAISE EXCEPTION 'could not extend file' USING ERRCODE = 'disk_full'; END $$"
        )
        database.execute(
            "CREATE TRIGGER no_room BEFORE INSERT ON tail FOR EACH ROW EXECUTE FUNCTION no_room()"
        )
        message_when(line, lambda m: m["recording"]["store_away"])
        health = until(lambda: (now := served.client.get("/api/health").json())["waiting"] and now)
        assert (health["ok"], health["database"], health["disk"]) == (False, True, "full")
        database.execute("DROP TRIGGER no_room ON tail")
        back = message_when(line, lambda m: not m["recording"]["store_away"])
        assert back["recording"]["lost"] == 0
    assert served.client.get("/api/health").json()["disk"] in ("enough", "low")
    one_recording(served, recording_id)


@pytest.mark.parametrize(
    ("free", "disk", "ok"),
    [
        (9_000_000_000, "enough", True),
        (1_900_000_000, "low", True),
        (499_000_000, "very-low", True),
        (19_000_000, "full", False),
    ],
)
def test_room_on_the_disk_is_announced_before_it_ends(
    database: Database, monkeypatch: pytest.MonkeyPatch, free: int, disk: str, ok: bool
) -> None:
    monkeypatch.setattr("tickstone.store.space.shutil.disk_usage", lambda _: Usage(10**10, 0, free))
    with TestClient(make_app(Workshop(database)), base_url="http://127.0.0.1:8420") as client:
        health = client.get("/api/health").json()
    assert (health["disk"], health["disk_free"], health["ok"]) == (disk, free, ok)
