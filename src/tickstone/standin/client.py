"""The stand-ins seen from outside: one process a rig, started when it is first asked for."""

from __future__ import annotations

import json
import os
import shutil
import socket
import subprocess
import sys
import threading
import time
from collections.abc import Callable, Collection
from pathlib import Path
from typing import Any

from pydantic import TypeAdapter

from tickstone import scratch
from tickstone.core.rigs.rig import Rig
from tickstone.errors import BadInput, SourceLost
from tickstone.standin.board import SimBoard
from tickstone.supervised import Supervisor

GRACE_S = 60.0  # a stand-in that nobody uses ends after so long

RIG: TypeAdapter[Rig] = TypeAdapter(Rig)


class StandInProcess:
    """A running stand-in with a folder of its own. It ends when this end of its standard input is gone."""

    def __init__(
        self,
        rig: Rig,
        *,
        seed: int = 1,
        lines_per_s: float | None = None,
        supervisor: Supervisor | None = None,
    ) -> None:
        self.folder = scratch.folder("standin")
        rate = [] if lines_per_s is None else ["--rate", str(lines_per_s)]
        self._command = [
            sys.executable,
            "-m",
            "tickstone.standin.process",
            str(self.folder),
            "--seed",
            str(seed),
            *rate,
        ]
        self._rig = rig
        self._set: dict[str, float] = {}  # as they were put last, for a process that takes over
        self._drive: dict[str, Any] | None = None
        self._stopping = threading.Event()
        self._process = self._started()
        (supervisor or Supervisor()).start(f"stand-in of {rig.title}", self._attend, self._stopping)

    def _started(self) -> subprocess.Popen[bytes]:
        process = subprocess.Popen(
            self._command,
            stdout=subprocess.PIPE,
            stdin=subprocess.PIPE,
            env={**os.environ, "PYTHONPATH": str(Path(__file__).parents[2])},
        )
        if process.stdin is None or process.stdout is None:
            raise SourceLost("The stand-in did not start.")
        process.stdin.write(RIG.dump_json(self._rig) + b"\n")
        process.stdin.flush()
        if process.stdout.readline() != b"ready\n":
            raise SourceLost("The stand-in did not start.")
        return process

    def _attend(self) -> None:
        """Wait for the process to end; one that was not told to is followed by another, under the same
        names."""
        if not self.running:
            self._process = self._started()
            self.ask(set=self._set, drive=self._drive)
        code = self._process.wait()
        if not self._stopping.is_set():
            raise ChildProcessError(f"its process ended with code {code}")

    @property
    def serial_path(self) -> str:
        """The path of its serial port."""
        return str(self.folder / "board")

    @property
    def tcp_address(self) -> tuple[str, int]:
        """Host and port of its TCP line."""
        host, port = (self.folder / "tcp").read_text().split(":")
        return host, int(port)

    @property
    def running(self) -> bool:
        """Whether the process is there."""
        return self._process.poll() is None

    def ask(self, **request: Any) -> dict[str, Any]:
        """One request on the control socket. Raises SourceLost when it does not answer, BadInput for what it
        refuses."""
        try:
            with socket.socket(socket.AF_UNIX) as line:
                line.settimeout(3)
                line.connect(str(self.folder / "control"))
                with line.makefile("rwb") as talk:
                    talk.write(json.dumps(request).encode() + b"\n")
                    talk.flush()
                    answer: dict[str, Any] = json.loads(talk.readline() or b"null") or {}
        except (OSError, ValueError):
            raise SourceLost("The stand-in does not answer.") from None
        if "error" in answer:
            raise BadInput(answer["error"], answer.get("path", ""))
        return answer

    def hands(self, changes: dict[str, float] | None = None) -> list[dict[str, Any]]:
        """Move hands (nothing moves none). Returns all hands as they are set."""
        hands: list[dict[str, Any]] = self.ask(set=changes or {})["hands"]
        self._set |= changes or {}
        return hands

    def drive(self, drive: dict[str, Any] | None) -> None:
        """Put it on the track with a behaviour in a world, or (None) back on the bench. Raises BadInput
        naming what cannot be."""
        self.ask(drive=drive)
        self._drive = drive

    def track(self) -> dict[str, Any] | None:
        """How it stands on the track; None on the bench."""
        track: dict[str, Any] | None = self.ask(track=True)["track"]
        return track

    def put(self, rig: Rig) -> None:
        """Put another rig, or the same one changed, on the bench."""
        self.ask(rig=RIG.dump_python(rig, mode="json"))
        self._rig = rig

    def truth(self) -> dict[str, dict[str, float]]:
        """What is really so, by sensor. For tests."""
        truth: dict[str, dict[str, float]] = self.ask(truth=True)["truth"]
        return truth

    def made(self) -> dict[str, dict[str, float]]:
        """The constants as its parts really have them, by sensor. For tests."""
        made: dict[str, dict[str, float]] = self.ask(truth=True)["made"]
        return made

    def stop(self) -> None:
        """End it and take its folder away."""
        self._stopping.set()
        if self._process.stdin is not None:
            self._process.stdin.close()
        self._process.terminate()
        try:
            self._process.wait(timeout=3)
        except subprocess.TimeoutExpired:
            self._process.kill()
            self._process.wait()
        shutil.rmtree(self.folder, ignore_errors=True)


class StandInProcesses:
    """A stand-in for each rig that asks for one, until nobody uses it."""

    def __init__(
        self,
        *,
        seed: int = 1,
        lines_per_s: float | None = None,
        supervisor: Supervisor | None = None,
        clock: Callable[[], float] = time.monotonic,
    ) -> None:
        self._seed, self._lines_per_s, self._supervisor = seed, lines_per_s, supervisor
        self._clock = clock
        self._used_at: dict[str, float] = {}
        self._running: dict[str, StandInProcess] = {}
        self._lock = threading.Lock()

    def running(self, slug: str) -> StandInProcess | None:
        """The stand-in of a rig, where it was asked for before."""
        with self._lock:
            process = self._running.get(slug)
            self._used_at[slug] = self._clock()
        return process if process is not None and process.running else None

    def for_rig(self, slug: str, rig: Rig) -> StandInProcess:
        """The stand-in of a rig with that rig on its bench, started if need be."""
        with self._lock:
            process = self._running.get(slug)
            self._used_at[slug] = self._clock()
            if process is not None and process.running:
                process.put(rig)
                return process
            fresh = StandInProcess(
                rig, seed=self._seed, lines_per_s=self._lines_per_s, supervisor=self._supervisor
            )
            self._running[slug] = fresh
            return fresh

    @staticmethod
    def at_rest(rig: Rig) -> list[dict[str, Any]]:
        """The hands of a rig's stand-in before it is started."""
        return SimBoard(rig).world.hands()

    def end_unused(self, connected: Collection[str]) -> None:
        """End those that no rig has been connected to, and nobody has asked for, for GRACE_S."""
        with self._lock:
            now = self._clock()
            self._used_at |= dict.fromkeys(connected, now)
            gone = [slug for slug in self._running if now - self._used_at[slug] > GRACE_S]
            for slug in gone:
                self._running.pop(slug).stop()

    def stop(self) -> None:
        """End them all."""
        with self._lock:
            for process in self._running.values():
                process.stop()
            self._running.clear()
