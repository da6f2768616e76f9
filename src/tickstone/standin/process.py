"""The stand-in as a process: lines on a pseudo-terminal and on TCP, its hands on a control socket.

    python -m tickstone.standin.process FOLDER [--seed N] [--rate HZ]

FOLDER gets ``board`` (a link to the pseudo-terminal), ``tcp`` (the address) and ``control`` (a Unix socket that takes
one JSON object a line and answers with one). Real sockets and a real serial interface: nothing is shared in memory.
"""

from __future__ import annotations

import argparse
import json
import os
import pty
import selectors
import socket
import sys
import termios
import time
import tty
from dataclasses import asdict, replace
from pathlib import Path
from typing import Any

from tickstone.errors import TickStoneError
from tickstone.standin.bench import FAULTS, LIMITS, PING_S, Bench

MOST_REQUEST = 65536


class Board:
    """The serial end: a pseudo-terminal that can be unplugged and plugged in again under the same name."""

    def __init__(self, link: Path) -> None:
        self._link = link
        self._ends: tuple[int, int] | None = None

    def plug(self) -> None:
        if self._ends is not None:
            return
        ours, theirs = pty.openpty()
        tty.setraw(theirs, termios.TCSANOW)
        os.set_blocking(ours, False)
        fresh = self._link.with_suffix(".new")
        fresh.unlink(missing_ok=True)
        fresh.symlink_to(os.ttyname(theirs))
        fresh.replace(self._link)
        self._ends = (ours, theirs)

    def unplug(self) -> None:
        if self._ends is None:
            return
        self._link.unlink(missing_ok=True)
        for end in self._ends:
            os.close(end)
        self._ends = None

    def write(self, data: bytes) -> None:
        """Send, or drop what nobody reads, as a serial line does."""
        if self._ends is not None:
            try:
                os.write(self._ends[0], data)
            except BlockingIOError:
                termios.tcflush(self._ends[1], termios.TCIFLUSH)


class StandIn:
    """Everything in one loop: the clock ticks, lines go out, requests come in."""

    def __init__(self, folder: Path, seed: int, interval_s: float) -> None:
        self._bench = Bench(seed)
        self._interval_s = interval_s
        self._board = Board(folder / "board")
        self._board.plug()
        self._selector = selectors.DefaultSelector()
        self._listeners: list[socket.socket] = []
        self._tcp = socket.create_server(("127.0.0.1", 0))
        (folder / "tcp").write_text("{}:{}".format(*self._tcp.getsockname()))
        control = folder / "control"
        control.unlink(missing_ok=True)
        self._control = socket.socket(socket.AF_UNIX)
        self._control.bind(str(control))
        self._control.listen()
        os.chmod(control, 0o600)
        for server in (self._tcp, self._control):
            server.setblocking(False)
            self._selector.register(server, selectors.EVENT_READ)

    def run(self) -> None:
        """Run until the process is told to end."""
        begin = time.monotonic()
        due, ticks = begin, 0
        while True:
            for key, _ in self._selector.select(max(0.0, due - time.monotonic())):
                self._answer(key)
            while time.monotonic() >= due:
                ticks += 1
                due = begin + ticks * self._interval_s
                self._send(self._bench.line(round(ticks * self._interval_s * 1e6)))

    def _send(self, line: str) -> None:
        end = "" if line.endswith("\x00") else "\n"
        data = (line.rstrip("\x00") + end).encode()
        self._board.write(data)
        for listener in list(self._listeners):
            try:
                listener.send(data)
            except BlockingIOError:
                continue
            except OSError:
                self._listeners.remove(listener)
                listener.close()

    def _answer(self, key: selectors.SelectorKey) -> None:
        if key.fileobj is self._tcp:
            listener, _ = self._tcp.accept()
            listener.setblocking(False)
            self._listeners.append(listener)
        elif key.fileobj is self._control:
            visitor, _ = self._control.accept()
            visitor.settimeout(1)
            self._selector.register(visitor, selectors.EVENT_READ)
        elif isinstance(key.fileobj, socket.socket):
            self._talk(key.fileobj)

    def _talk(self, visitor: socket.socket) -> None:
        try:
            with visitor.makefile("rwb") as talk:
                asked = talk.readline(MOST_REQUEST)
                if asked:
                    talk.write(json.dumps(self._obey(asked)).encode() + b"\n")
                    talk.flush()
        except OSError:
            pass
        self._selector.unregister(visitor)
        visitor.close()

    def _obey(self, asked: bytes) -> dict[str, Any]:
        try:
            wanted = json.loads(asked)
            if "faults" in wanted:
                wanted["faults"] = tuple(wanted["faults"])
            self._bench.set(replace(self._bench.hands, **wanted))
        except TickStoneError as error:
            return {"error": error.message, "path": error.path}
        except (TypeError, ValueError) as error:
            return {"error": f"The stand-in does not understand that: {error}.", "path": ""}
        if "unplug" in self._bench.hands.faults:
            self._board.unplug()
            for listener in self._listeners:
                listener.close()
            self._listeners.clear()
        else:
            self._board.plug()
        return {"hands": asdict(self._bench.hands), "limits": LIMITS, "faults": FAULTS}


def main() -> None:
    """Read the arguments and run."""
    ask = argparse.ArgumentParser(description="The stand-in board.")
    ask.add_argument("folder", type=Path)
    ask.add_argument("--seed", type=int, default=1)
    ask.add_argument("--rate", type=float, default=1 / PING_S, help="lines per second")
    said = ask.parse_args()
    standin = StandIn(said.folder, said.seed, 1 / said.rate)
    print("ready", flush=True)
    try:
        standin.run()
    except KeyboardInterrupt:
        sys.exit(0)


if __name__ == "__main__":
    main()
