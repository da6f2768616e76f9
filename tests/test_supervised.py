"""What lives long is begun again after a crash, and never dies in silence: each thread, task and process is
made to crash."""

from __future__ import annotations

import asyncio
import itertools
import logging
import os
import signal
import threading
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import httpx
import pytest
from fastapi.testclient import TestClient

from tests.actions.test_live_rig import RANGER, Scripted
from tests.conftest import until
from tests.served import Served
from tests.watching import message_when, window
from tickstone.actions import reading
from tickstone.actions.jobs import FAILED, Jobs
from tickstone.actions.live import finder
from tickstone.actions.live.looking import Lookout
from tickstone.actions.workshop import Workshop
from tickstone.api import live
from tickstone.api.app import make_app
from tickstone.errors import Conflict
from tickstone.launch.log import NAME, keep_log
from tickstone.link.recorder import Recorder
from tickstone.store.database import Database
from tickstone.supervised import Supervisor

SLUG = "fern"


class Injected(Exception):
    """A crash that a test puts in."""


class Failing:
    """Stands in for a function: crashes the first ``times`` calls, then does what it did."""

    def __init__(self, function, times: int = 1) -> None:
        self._function, self.left = function, times

    def __call__(self, *arguments, **named):
        if self.left > 0:
            self.left -= 1
            raise Injected("put in by a test")
        return self._function(*arguments, **named)


def crash(monkeypatch: pytest.MonkeyPatch, owner: object, name: str, times: int = 1) -> Failing:
    """Make a function crash; a method keeps its ``self``."""
    failing = Failing(getattr(owner, name), times)
    monkeypatch.setattr(
        owner, name, (lambda *a, **k: failing(*a, **k)) if isinstance(owner, type) else failing
    )
    return failing


def names(records: list[logging.LogRecord]) -> str:
    return " | ".join(one.getMessage() for one in records)


def test_a_thread_that_crashes_is_logged_with_its_stack_and_begun_again(
    caplog: pytest.LogCaptureFixture,
) -> None:
    supervisor, done, unwell = Supervisor(), threading.Event(), []

    def work() -> None:
        unwell.append(len(supervisor.unwell))
        if len(unwell) < 3:
            raise Injected("again")
        done.set()

    thread = supervisor.start("worker", work)
    assert done.wait(30)
    thread.join(10)
    assert supervisor.living == []
    assert unwell == [0, 0, 0]
    assert [one.exc_info is not None for one in caplog.records if one.levelno == logging.ERROR] == [
        True,
        True,
    ]
    assert "worker crashed (2)" in names(caplog.records)


def test_what_is_not_worth_beginning_again_ends_and_what_is_stopped_ends_too() -> None:
    supervisor, stop = Supervisor(), threading.Event()

    def work() -> None:
        raise Injected

    supervisor.start("once", work, again=False).join(10)
    thread = supervisor.start("for ever", work, stop)
    until(lambda: any(one.crashes > 1 for one in supervisor.unwell))
    stop.set()
    thread.join(10)
    assert not thread.is_alive()
    assert supervisor.living == []


def test_a_task_that_crashes_is_begun_again() -> None:
    supervisor, tries = Supervisor(), []

    async def work() -> None:
        tries.append(1)
        if len(tries) == 1:
            raise Injected

    with ThreadPoolExecutor(1) as apart:  # the main thread's loop may be a browser's
        apart.submit(asyncio.run, supervisor.keep("task", work)).result()
    assert len(tries) == 2
    assert supervisor.living == []


def test_a_turn_that_fails_is_logged_once_and_a_refusal_not_at_all(caplog: pytest.LogCaptureFixture) -> None:
    supervisor, turns = Supervisor(), []

    def turn() -> None:
        turns.append(1)
        if len(turns) < 5:
            raise Injected
        if len(turns) == 5:
            raise Conflict("busy")

    for _ in range(4):
        supervisor.turn("turn", turn)
    assert [one.name for one in supervisor.unwell] == ["turn"]
    supervisor.turn("turn", turn)
    assert len([one for one in caplog.records if one.levelno == logging.ERROR]) == 1
    supervisor.turn("turn", turn)
    assert supervisor.unwell == []


def test_a_flush_that_crashes_loses_no_row_and_health_knows(
    database: Database, monkeypatch: pytest.MonkeyPatch, caplog: pytest.LogCaptureFixture
) -> None:
    app = make_app(Workshop(database))
    shop: Workshop = app.state.workshop
    with TestClient(app, base_url="http://127.0.0.1:8420") as client:
        assert client.get("/api/health").json()["ok"]
        source = Scripted()
        shop.connect(SLUG, source)
        recording_id = shop.recordings.begin(SLUG)
        failing = crash(monkeypatch, Recorder, "flush", 10**9)
        source.lines(*(f"t_us:{i * 50_000} echo_us:1457" for i in range(50)))
        health = until(lambda: (h := client.get("/api/health").json())["unwell"] and h)
        assert not health["ok"]
        assert health["unwell"][0]["name"] == "flushing fern"
        assert "put in by a test" in health["unwell"][0]["trouble"]
        failing.left = 0
        until(lambda: client.get("/api/health").json()["ok"])
        until(lambda: shop.live(SLUG).intake.watched[RANGER].readings == 50)
        client.post(f"/api/rigs/{SLUG}/stop").raise_for_status()
        kept = client.get(f"/api/recordings/{recording_id}").json()["recording"]
        assert next(one["n"] for one in kept["streams"] if one["key"] == RANGER) == 50
    assert "flushing fern crashed" in names(caplog.records)


def test_both_threads_of_the_workshop_are_begun_again(
    database: Database, monkeypatch: pytest.MonkeyPatch, caplog: pytest.LogCaptureFixture
) -> None:
    flush, find = crash(monkeypatch, Workshop, "_run"), crash(monkeypatch, Lookout, "run")
    made = Workshop(database)
    made.open()
    until(lambda: flush.left == find.left == 0 and not made.supervisor.unwell)
    assert {one.name for one in made.supervisor.living} >= {"flush", "find"}
    made.close()
    assert "flush crashed" in names(caplog.records)
    assert "find crashed" in names(caplog.records)


def test_a_look_for_faults_that_crashes_is_followed_by_another(
    shop: Workshop, monkeypatch: pytest.MonkeyPatch, caplog: pytest.LogCaptureFixture
) -> None:
    failing = crash(monkeypatch, finder, "examine")
    source = Scripted()
    shop.connect(SLUG, source)
    dropouts = (f"t_us:{i * 50_000} echo_us:{0 if i % 3 else 1457}" for i in itertools.count())
    source.lines(*itertools.islice(dropouts, 200))
    until(lambda: failing.left == 0)

    def seen() -> object:
        # as from a board: a fault that was seen a while ago, and not since, is not shown
        source.lines(next(dropouts))
        return shop.live(SLUG).finder.findings

    until(seen)
    assert "looking for faults of fern crashed" in names(caplog.records)


def test_a_reader_that_crashes_taking_or_telling_goes_on(
    shop: Workshop, monkeypatch: pytest.MonkeyPatch, caplog: pytest.LogCaptureFixture
) -> None:
    source = Scripted()
    source.comes_back = True
    shop.connect(SLUG, source)
    live = shop.live(SLUG)
    monkeypatch.setattr(source, "read", Failing(source.read))
    until(lambda: source.closed)
    until(lambda: live.view.state().status == "live" and not source.closed)
    failing = crash(monkeypatch, live.intake, "_take")
    source.lines("t_us:0 echo_us:1457")
    until(lambda: failing.left == 0)
    source.lines("t_us:50000 echo_us:1457")
    until(lambda: live.intake.watched[RANGER].readings == 1)
    assert "take scripted crashed" in names(caplog.records)
    assert "tell scripted crashed" in names(caplog.records)


def test_windows_go_on_after_a_crash(
    database: Database, monkeypatch: pytest.MonkeyPatch, caplog: pytest.LogCaptureFixture
) -> None:
    failing = crash(monkeypatch, live.Broadcast, "_step", 2)
    with (
        TestClient(make_app(Workshop(database)), base_url="http://127.0.0.1:8420") as client,
        client.websocket_connect(f"ws://127.0.0.1:8420/api/rigs/{SLUG}/live") as line,
    ):
        assert line.receive_json()["status"] == "idle"
        assert failing.left == 0
    assert "windows of fern crashed" in names(caplog.records)


def test_getting_ready_that_crashes_can_be_done_again(
    shop: Workshop, monkeypatch: pytest.MonkeyPatch, caplog: pytest.LogCaptureFixture
) -> None:
    warmed = threading.Event()
    monkeypatch.setattr(reading, "warm", Failing(lambda *_: warmed.set()))
    streams = [(1, "front-ranger")]
    shop.warm(streams)
    until(lambda: "warm crashed" in names(caplog.records))
    until(lambda: shop.warm(streams) or warmed.is_set())


def broken_work(progress: Callable[[int, int], None]) -> None:
    progress(1, 1)
    raise Injected("put in by a test")


@pytest.mark.slow
def test_a_job_that_crashes_has_failed_and_the_next_one_runs(caplog: pytest.LogCaptureFixture) -> None:
    jobs, ended = Jobs(), threading.Event()
    try:
        number = jobs.start(broken_work, then=ended.set)
        assert ended.wait(120)
        state = jobs.state(number)
        assert state.state == FAILED
        assert state.error is not None
        assert "log" in state.error.message
        until(lambda: "a job failed" in names(caplog.records))
    finally:
        jobs.close()


def test_a_stand_in_whose_process_dies_is_followed_by_another(
    served: Served,
) -> None:
    served.client.post(f"/api/rigs/{SLUG}/connect", json={"kind": "stand-in"}).raise_for_status()
    served.hands({"front-ranger.target_mm": 800})
    with window(served.address) as line:
        told = message_when(line, lambda m: m["sensors"]["front-ranger"]["readings"] > 3)
        (standin,) = children_named("tickstone.standin.process", served)
        os.kill(standin, signal.SIGKILL)
        message_when(line, lambda m: m["status"] == "lost")
        message_when(
            line,
            lambda m: (
                m["status"] == "live"
                and m["lines"] > told["lines"]
                and abs((m["sensors"]["front-ranger"]["value"] or 0) - 800) < 60
            ),
        )
    assert "stand-in of Fern" in (served.folder / "demo" / NAME).read_text()


def children_named(what: str, served: Served) -> list[int]:
    """Processes of a server whose command line names something."""
    found = []
    for folder in Path("/proc").iterdir():
        if folder.name.isdigit() and what in (command := _text(folder / "cmdline")):
            parent = _text(folder / "stat").rpartition(")")[2].split()[1]
            if int(parent) == served.process.pid:
                found.append((int(folder.name), command))
    return [number for number, _ in found]


def _text(path: Path) -> str:
    try:
        return path.read_text()
    except OSError:
        return ""


def test_an_announcement_that_fails_is_tried_again(data_folder: Path, database_url: str) -> None:
    blocked = data_folder / "demo" / "running.json.new"
    blocked.mkdir(parents=True)
    timer = threading.Timer(
        0.0,
        lambda: (until(lambda: "announce crashed" in _text(data_folder / "demo" / NAME)), blocked.rmdir()),
    )
    timer.start()
    server = Served(data_folder, database_url)
    timer.join()
    try:
        assert server.client.get("/api/health").json()["ok"]
    finally:
        server.stop()


def test_a_request_that_nobody_expected_is_answered_and_logged(
    database: Database, monkeypatch: pytest.MonkeyPatch, caplog: pytest.LogCaptureFixture
) -> None:
    crash(monkeypatch, Database, "ping")
    app = make_app(Workshop(database))
    with TestClient(app, base_url="http://127.0.0.1:8420", raise_server_exceptions=False) as client:
        answer = client.get("/api/health")
        assert (answer.status_code, answer.json()["code"]) == (500, "error")
        assert "log" in answer.json()["message"]
    assert "a request failed" in names(caplog.records)


def test_the_log_is_a_file_that_begins_anew_when_it_is_full(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("tickstone.launch.log.MOST_BYTES", 20_000)
    end = keep_log(tmp_path)
    supervisor = Supervisor()
    try:
        for _ in range(60):
            supervisor.start("worker", lambda: 1 / 0, again=False).join()  # type: ignore[arg-type,return-value]
    finally:
        end()
    files = sorted(tmp_path.glob(f"{NAME}*"))
    assert 2 <= len(files) <= 5
    assert all(file.stat().st_size <= 20_000 for file in files)
    assert "ZeroDivisionError" in files[0].read_text() + files[1].read_text()
    assert "test_supervised.py" in files[1].read_text()


def test_the_address_of_a_server_answers_health_with_no_one_unwell(served: Served) -> None:
    health = httpx.get(f"{served.address}/api/health").json()
    assert (health["ok"], health["unwell"]) == (True, [])
    assert "begun" in (served.folder / "demo" / NAME).read_text()
