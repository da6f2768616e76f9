"""Serving: one app per data folder, its own cluster, its own stand-in, all stopped together."""

from __future__ import annotations

import contextlib
import fcntl
import json
import os
import signal
import socket
import threading
import time
import urllib.error
import urllib.request
from collections.abc import Iterator
from contextlib import ExitStack, contextmanager
from functools import partial
from pathlib import Path
from typing import IO

import uvicorn

from tickstone import scratch
from tickstone.actions.workshop import Workshop
from tickstone.api.app import make_app
from tickstone.errors import SetUp
from tickstone.launch import frontend, machine
from tickstone.launch.cluster import Cluster
from tickstone.launch.folders import data_folder
from tickstone.launch.log import keep_log
from tickstone.launch.seed import seed
from tickstone.standin.client import StandInProcesses
from tickstone.store.database import Database
from tickstone.supervised import Supervisor

FIRST_PORT = 8420
PORTS_TO_TRY = 40
WAIT_FOR_OTHER_S = 600.0


def serve(
    *, demo: bool, listen: str = "127.0.0.1", port: int | None = None, any_address: bool = False
) -> int:
    """Set up what is missing and serve until told to stop. A second start prints the running address and
    returns 0."""
    folder = data_folder() / ("demo" if demo else "own")
    folder.mkdir(exist_ok=True)
    folder.chmod(machine.PASSED_THROUGH if machine.is_root() else machine.OWN)
    with (folder / "running.lock").open("a+") as gate:
        running = _lock_or_address(gate, folder)
        if running is not None:
            print(f"Tick Stone runs already: {running}", flush=True)
            return 0
        (folder / "running.json").unlink(missing_ok=True)
        with ExitStack() as stack:
            _serve_locked(stack, folder, demo, listen, port, any_address)
    return 0


def _lock_or_address(gate: IO[str], folder: Path) -> str | None:
    """None when this process may serve; else the address of the one that does, as soon as it answers."""
    deadline = time.monotonic() + WAIT_FOR_OTHER_S
    while time.monotonic() < deadline:
        with contextlib.suppress(BlockingIOError):
            fcntl.flock(gate, fcntl.LOCK_EX | fcntl.LOCK_NB)
            return None
        with contextlib.suppress(OSError, ValueError, KeyError):
            address = str(json.loads((folder / "running.json").read_text())["address"])
            with urllib.request.urlopen(f"{address}/api/health", timeout=3):
                return address
        time.sleep(0.2)
    raise SetUp(f"Another start holds {folder} but does not answer.")


def _serve_locked(
    stack: ExitStack, folder: Path, demo: bool, listen: str, port: int | None, any_address: bool
) -> None:
    signal.signal(signal.SIGTERM, _interrupt)
    built = frontend.ensure_built()
    os.umask(0o077)  # what is written from here on is for its owner alone
    stack.callback(keep_log(folder))
    scratch.clean()
    supervisor = Supervisor()
    name = "tickstone_demo" if demo else "tickstone"
    database = stack.enter_context(open_database(folder, name, supervisor))
    if demo:
        seed(database)
    workshop = Workshop(database, folder=folder, supervisor=supervisor, any_address=any_address)
    workshop.standins = standins = StandInProcesses(seed=int(time.time()), supervisor=supervisor)
    stack.callback(standins.stop)
    own = socket.socket()
    own.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
    _bind(own, listen, port)
    stack.callback(own.close)
    bound = own.getsockname()[1]
    address = f"http://{'127.0.0.1' if listen in ('0.0.0.0', '127.0.0.1') else listen}:{bound}"
    hosts = (
        frozenset() if listen == "127.0.0.1" else frozenset({listen, socket.gethostname(), *_own_addresses()})
    )
    app = make_app(workshop, built, demo=demo, hosts=hosts)
    server = uvicorn.Server(
        uvicorn.Config(app, log_level="warning", timeout_graceful_shutdown=2, ws_max_size=65536)
    )
    supervisor.start("announce", partial(_announce, server, folder, address))
    stack.callback(lambda: (folder / "running.json").unlink(missing_ok=True))
    server.run(sockets=[own])
    print("Stopped.", flush=True)


def _interrupt(*_: object) -> None:
    raise KeyboardInterrupt


def _own_addresses() -> set[str]:
    with contextlib.suppress(OSError):
        return {str(info[4][0]) for info in socket.getaddrinfo(socket.gethostname(), None)}
    return set()


def _bind(own: socket.socket, listen: str, port: int | None) -> None:
    wanted = [port] if port is not None else range(FIRST_PORT, FIRST_PORT + PORTS_TO_TRY)
    for candidate in wanted:
        with contextlib.suppress(OSError):
            own.bind((listen, candidate))
            return
    raise SetUp(f"No free port from {wanted[0]} to {wanted[-1]} on {listen}.")


def _announce(server: uvicorn.Server, folder: Path, address: str) -> None:
    while not server.started:
        time.sleep(0.02)
        if server.should_exit:
            return
    fresh = folder / "running.json.new"
    fresh.write_text(json.dumps({"address": address, "pid": os.getpid()}))
    fresh.replace(folder / "running.json")
    print(f"Tick Stone: {address}   (Ctrl-C stops it)", flush=True)


@contextmanager
def open_database(folder: Path, name: str, supervisor: Supervisor) -> Iterator[Database]:
    """The database at DATABASE_URL, or one in a private cluster in ``folder`` that is looked after;
    migrated."""
    given = os.environ.get("DATABASE_URL")
    with ExitStack() as stack:
        if given:
            url = given
        else:
            cluster = stack.enter_context(Cluster(folder))
            url = cluster.ensure_database(name)
            stop = threading.Event()
            stack.callback(stop.set)
            supervisor.start("the database server", partial(cluster.keep, stop), stop)
        database = Database(url)
        stack.callback(database.close)
        database.migrate()
        yield database
