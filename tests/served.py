"""A real server process for a test, forked from one that has read the code already: its start is most of a
test's time."""

from __future__ import annotations

import json
import multiprocessing
import os
import resource
import signal
import sys
import time
from pathlib import Path

import httpx

from tickstone import cli

STARTS_WITHIN_S = 120.0
_FORKS = multiprocessing.get_context("forkserver")
_FORKS.set_forkserver_preload(["tests.served", "tickstone.launch.serve"])


def _serve(arguments: list[str], environment: dict[str, str], said: str) -> None:
    """What the new process does: the command itself, with an environment and an output of its own."""
    os.environ.pop("DATABASE_URL", None)
    os.environ.update(environment)
    output = os.open(said, os.O_WRONLY | os.O_CREAT | os.O_APPEND)
    os.dup2(output, 1)
    os.dup2(output, 2)
    sys.exit(cli.main(arguments))


class Served:
    """A real server process over its own database."""

    def __init__(
        self, folder: Path, database_url: str | None, command: str = "demo", more: tuple[str, ...] = ()
    ) -> None:
        self.folder = folder
        self.command, self.more = command, more
        self.environment = {"TICK_STONE_DATA": str(folder)}
        if database_url is not None:
            self.environment["DATABASE_URL"] = database_url
        self.start()

    def start(self, port: int = 0) -> None:
        """Serve, and wait for the address."""
        running = self.folder / self.command.replace("serve", "own") / "running.json"
        running.unlink(missing_ok=True)
        said = self.folder / "said.txt"
        arguments = [self.command, "--port", str(port), *self.more]
        self.process = _FORKS.Process(
            target=_serve, args=(arguments, self.environment, str(said)), daemon=False
        )
        self.process.start()
        deadline = time.monotonic() + STARTS_WITHIN_S
        while not running.exists():
            assert self.process.is_alive(), said.read_text()
            assert time.monotonic() < deadline, "it does not answer"
            time.sleep(0.02)
        self.address = json.loads(running.read_text())["address"]
        # A connection that is kept may be closed by the server just as it is used again.
        limits = httpx.Limits(max_keepalive_connections=0)
        self.client = httpx.Client(base_url=self.address, timeout=60, limits=limits)

    @property
    def memory_mb(self) -> float:
        """What the server's own process holds in memory, MB."""
        pages = int(Path(f"/proc/{self.process.pid}/statm").read_text().split()[1])
        return pages * resource.getpagesize() / 1e6

    def hands(self, hands: dict[str, float], slug: str = "fern") -> None:
        """Move hands at a rig's stand-in."""
        self.client.patch(f"/api/rigs/{slug}/standin", json={"hands": hands}).raise_for_status()

    def kill(self) -> None:
        """End it as a power cut would."""
        self.process.kill()
        self.process.join()

    def stop(self) -> None:
        """End it as Ctrl-C does."""
        self.client.close()
        if self.process.is_alive() and self.process.pid is not None:
            os.kill(self.process.pid, signal.SIGINT)
            self.process.join(timeout=30)
            assert not self.process.is_alive(), "it did not stop"
