"""The stand-in seen from outside: start it, move its hands, stop it."""

from __future__ import annotations

import json
import os
import socket
import subprocess
import sys
import tempfile
from pathlib import Path
from typing import Any

from tickstone.errors import BadInput, SourceLost


class StandInProcess:
    """A running stand-in with a folder of its own. ``preexec`` runs in the child before it starts."""

    def __init__(self, *, seed: int = 1, rate_hz: float = 20.0, preexec: Any = None) -> None:
        self._folder = tempfile.TemporaryDirectory(prefix="tick-stone-standin-")
        self.folder = Path(self._folder.name)
        command = [sys.executable, "-m", "tickstone.standin.process", str(self.folder), "--seed", str(seed)]
        self._process = subprocess.Popen(
            [*command, "--rate", str(rate_hz)],
            stdout=subprocess.PIPE,
            stdin=subprocess.DEVNULL,
            preexec_fn=preexec,
            env={**os.environ, "PYTHONPATH": str(Path(__file__).parents[2])},
        )
        if self._process.stdout is None or self._process.stdout.readline() != b"ready\n":
            raise SourceLost("The stand-in did not start.")

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

    def hands(self, **changes: Any) -> dict[str, Any]:
        """Change the hands (nothing changes nothing). Returns the hands, their limits and the faults there are."""
        try:
            with socket.socket(socket.AF_UNIX) as line:
                line.settimeout(3)
                line.connect(str(self.folder / "control"))
                with line.makefile("rwb") as talk:
                    talk.write(json.dumps(changes).encode() + b"\n")
                    talk.flush()
                    answer: dict[str, Any] = json.loads(talk.readline() or b"null") or {}
        except (OSError, ValueError):
            raise SourceLost("The stand-in does not answer.") from None
        if "error" in answer:
            raise BadInput(answer["error"], answer.get("path", ""))
        return answer

    def stop(self) -> None:
        """End it and take its folder away."""
        self._process.terminate()
        try:
            self._process.wait(timeout=3)
        except subprocess.TimeoutExpired:
            self._process.kill()
            self._process.wait()
        self._folder.cleanup()
