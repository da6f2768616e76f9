"""Serving: one app per data folder, its own cluster, its own stand-in, all stopped together."""

from __future__ import annotations

import contextlib
import fcntl
import ipaddress
import json
import multiprocessing
import os
import signal
import sys
import threading
import time
import urllib.error
import urllib.request
from collections.abc import Iterator
from contextlib import ExitStack, contextmanager
from functools import partial
from pathlib import Path
from typing import IO

from fastapi import FastAPI

from tickstone import scratch
from tickstone.actions.guests import Entrance, Guests
from tickstone.actions.workshop import Workshop
from tickstone.api.access import link
from tickstone.api.app import make_app
from tickstone.errors import BadInput, SetUp
from tickstone.launch import frontend, machine, network
from tickstone.launch.cluster import Cluster
from tickstone.launch.folders import data_folder
from tickstone.launch.log import keep_log
from tickstone.launch.seed import seed
from tickstone.launch.servers import Beside, Server, bound
from tickstone.standin.client import StandInProcesses
from tickstone.store.database import Database
from tickstone.supervised import Supervisor

FIRST_PORT, FIRST_LAN_PORT = 8420, 8460
WAIT_FOR_OTHER_S = 600.0


def serve(
    *,
    demo: bool,
    listen: str = "127.0.0.1",
    port: int | None = None,
    any_address: bool = False,
    lan: bool = False,
    lan_port: int | None = None,
) -> int:
    """Set up what is missing and serve until told to stop, for other devices of the network, too, with
    ``lan``. A second start prints the running address and returns 0. Raises BadInput for an address to
    ``listen`` to that others can reach."""
    _check_own(listen)
    folder = data_folder() / ("demo" if demo else "own")
    folder.mkdir(exist_ok=True)
    folder.chmod(machine.PASSED_THROUGH if machine.is_root() else machine.OWN)
    for file in folder.iterdir():  # what an earlier version has left open to others
        if file.is_file():
            file.chmod(machine.OWN_FILE)
    with (folder / "running.lock").open("a+") as gate:
        running = _lock_or_address(gate, folder)
        if running is not None:
            print(f"Tick Stone runs already: {running}", flush=True)
            return 0
        (folder / "running.json").unlink(missing_ok=True)
        with ExitStack() as stack:
            workshop, app = _set_up(stack, folder, demo, listen, any_address)
            own = bound(stack, listen, port, FIRST_PORT)
            beside = _entrance(stack, folder, workshop, app, lan_port) if lan else None
            server = Server(app, own, beside)
            address = f"http://{f'[{listen}]' if ':' in listen else listen}:{own.getsockname()[1]}"
            announce = partial(_announce, server, folder, address, workshop)
            workshop.supervisor.start("announce", announce)
            stack.callback(lambda: (folder / "running.json").unlink(missing_ok=True))
            server.run()
            print("Stopped.", flush=True)
    return 0


def _check_own(listen: str) -> None:
    try:
        own = ipaddress.ip_address(listen).is_loopback
    except ValueError:
        own = listen == "localhost"
    if not own:
        raise BadInput(
            f"{listen} can be reached by others, who could change everything. --lan lets them in with an "
            "access key, over HTTPS.",
            "listen",
        )


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


def _set_up(
    stack: ExitStack, folder: Path, demo: bool, listen: str, any_address: bool
) -> tuple[Workshop, FastAPI]:
    signal.signal(signal.SIGTERM, _interrupt)
    built = frontend.ensure_built()
    # workers come from one process that has read their code once
    multiprocessing.set_forkserver_preload(["tickstone.actions.bench_files", "tickstone.actions.tables"])
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
    hosts = frozenset({listen})
    return workshop, make_app(workshop, built, demo=demo, hosts=hosts, own_hosts=network.own_hosts)


def _interrupt(*_: object) -> None:
    raise KeyboardInterrupt


def _entrance(stack: ExitStack, folder: Path, workshop: Workshop, app: FastAPI, port: int | None) -> Beside:
    """The server for other devices of the network, and what the app knows of it."""
    held, secret, fingerprint = network.certificate(folder / "lan")
    own = bound(stack, "", port, FIRST_LAN_PORT)
    number = own.getsockname()[1]

    def addresses() -> list[str]:
        hosts = [*network.addresses(), *network.names()[1:]]
        return [f"https://{f'[{host}]' if ':' in host else host}:{number}" for host in hosts]

    workshop.entrance = Entrance(addresses, fingerprint)
    return Beside(app, own, held, secret)


def _announce(server: Server, folder: Path, address: str, workshop: Workshop) -> None:
    while not server.started:
        time.sleep(0.02)
        if server.should_exit:
            return
    fresh = folder / "running.json.new"
    fresh.write_text(json.dumps({"address": address, "pid": os.getpid()}))
    fresh.replace(folder / "running.json")
    print(f"Tick Stone: {address}   (Ctrl-C stops it)", flush=True)
    if workshop.entrance is not None:
        announce_entrance(workshop.entrance, workshop.guests)


def announce_entrance(entrance: Entrance, guests: Guests) -> None:
    """Say where other devices come in. The key is for who sits here, and not for a log."""
    print(f"Other devices: {' or '.join(entrance.addresses())}", flush=True)
    print(f"Fingerprint of the certificate that they are shown: {entrance.fingerprint}", flush=True)
    if sys.stdout.isatty():
        print(f"Access key: {guests.key}\n{network.qr_code(link(entrance, guests.key))}", flush=True)
    else:
        print("The access key is shown under Settings, Other devices.", flush=True)


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
