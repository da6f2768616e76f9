"""The stand-in as a process: lines on a pseudo-terminal and on TCP, its hands on a control socket.

    python -m tickstone.standin.process FOLDER [--seed N] [--rate LINES_PER_S]

The rig comes as one line of JSON on standard input; when that input ends, so does the stand-in.

FOLDER gets ``board`` (a link to the pseudo-terminal), ``tcp`` (the address) and ``control`` (a Unix socket
that takes one JSON object a line and answers with one: ``set`` moves hands, ``rig`` puts another rig on the
bench, ``truth`` is for tests). Real sockets and a real serial interface: nothing is shared in memory.
"""

from __future__ import annotations

import argparse
import contextlib
import json
import os
import pty
import selectors
import socket
import sys
import termios
import time
import tty
from pathlib import Path
from typing import Any

from pydantic import TypeAdapter, ValidationError

from tickstone.core.rigs.rig import Rig
from tickstone.errors import TickStoneError
from tickstone.standin.board import SWALLOWED, SimBoard
from tickstone.standin.serial_line import misread
from tickstone.standin.track import Drive

MOST_REQUEST = 4_000_000
TICK_S = 0.002
RIG: TypeAdapter[Rig] = TypeAdapter(Rig)


class SerialEnd:
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


class StandInLoop:
    """Everything in one loop: the clock ticks, lines go out, requests come in."""

    def __init__(self, folder: Path, rig: Rig, seed: int, lines_per_s: float | None) -> None:
        self._seed, self._lines_per_s = seed, lines_per_s
        self._bench, self._begin = self._board(rig), time.monotonic()
        self._port = SerialEnd(folder / "board")
        self._port.plug()
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
        self._selector.register(sys.stdin.buffer, selectors.EVENT_READ)

    def _board(self, rig: Rig) -> SimBoard:
        if self._lines_per_s is None:
            return SimBoard(rig, self._seed)
        own = SimBoard(rig, self._seed).lines_per_s
        return SimBoard(rig, self._seed, self._lines_per_s / own if own else 1.0)

    def _put(self, rig: Rig) -> None:
        """Put a rig on the bench; what was set and still can be stays set."""
        kept, drive = self._bench.world.set, self._bench.drive
        self._bench, self._begin = self._board(rig), time.monotonic()
        self._bench.move({key: value for key, value in kept.items() if key in self._bench.world.specs})
        with contextlib.suppress(TickStoneError):  # a rig that lacks a part is back on the bench
            self._bench.put_on_track(drive)

    def run(self) -> None:
        """Run until the process is told to end."""
        due = time.monotonic()
        while True:
            for key, _ in self._selector.select(max(0.0, due - time.monotonic())):
                self._answer(key)
            now = time.monotonic()
            if now >= due:
                due = max(due + TICK_S, now - TICK_S)
                lines = self._bench.lines(round((now - self._begin) * 1e6))
                if lines:
                    self._send(lines)

    def _send(self, lines: list[str]) -> None:
        data = b"".join(_encoded(line) for line in lines)
        if self._bench.has("baud"):
            data = misread(data, written_at=115_200, read_at=9600)
        self._port.write(data)
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
        elif not os.read(sys.stdin.fileno(), 65536):
            raise KeyboardInterrupt  # whoever started it is gone

    def _talk(self, visitor: socket.socket) -> None:
        try:
            with visitor.makefile("rwb") as talk:
                request = talk.readline(MOST_REQUEST)
                if request:
                    talk.write(json.dumps(self._obey(request)).encode() + b"\n")
                    talk.flush()
        except OSError:
            pass
        self._selector.unregister(visitor)
        visitor.close()

    def _obey(self, request: bytes) -> dict[str, Any]:
        try:
            wanted = json.loads(request)
            if "rig" in wanted:
                rig = RIG.validate_python(wanted["rig"])
                if rig != self._bench.rig:
                    self._put(rig)
            self._bench.move(wanted.get("set", {}))
            if "drive" in wanted:
                drive = None if wanted["drive"] is None else Drive.model_validate(wanted["drive"])
                self._bench.put_on_track(drive)
        except TickStoneError as error:
            return {"error": error.message, "path": error.path}
        except (TypeError, ValueError, AttributeError, ValidationError) as error:
            return {
                "error": f"The stand-in does not understand that: {str(error).splitlines()[0]}.",
                "path": "",
            }
        if self._bench.has("unplug"):
            self._port.unplug()
            for listener in self._listeners:
                listener.close()
            self._listeners.clear()
        else:
            self._port.plug()
        if wanted.get("truth"):
            return {"truth": self._bench.truth(), "made": self._bench.made()}
        if wanted.get("track"):
            return {"track": self._on_track()}
        return {"hands": self._bench.world.hands()}

    def _on_track(self) -> dict[str, Any] | None:
        """How it stands on the track."""
        track, drive = self._bench.world.track, self._bench.drive
        if track is None or drive is None:
            return None
        return {
            "behaviour": drive.behaviour,
            "world": drive.world,
            "t_s": track.t_s,
            "state": track.memory.state,
            **{name: round(value, 2) for name, value in track.truth().items()},
        }


def _encoded(line: str) -> bytes:
    return line[:-1].encode() if line.endswith(SWALLOWED) else line.encode() + b"\n"


def main() -> None:
    """Read the arguments and the rig, and run."""
    ask = argparse.ArgumentParser(description="The stand-in board.")
    ask.add_argument("folder", type=Path)
    ask.add_argument("--seed", type=int, default=1)
    ask.add_argument(
        "--rate", type=float, default=None, help="regular lines per second in place of the rig's own"
    )
    arguments = ask.parse_args()
    standin = StandInLoop(
        arguments.folder, RIG.validate_json(sys.stdin.buffer.readline()), arguments.seed, arguments.rate
    )
    print("ready", flush=True)
    try:
        standin.run()
    except KeyboardInterrupt:
        sys.exit(0)


if __name__ == "__main__":
    main()
