"""Sources of lines: a serial port (a pseudo-terminal is one), a TCP address, a recording replayed. All are
read in chunks."""

from __future__ import annotations

import ipaddress
import math
import socket
import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import Protocol

import serial
from serial.tools import list_ports

from tickstone.errors import BadInput, SourceLost

WAIT_S = 0.1
BAUDS = (9600, 19200, 38400, 57600, 115200, 230400, 460800, 921600)


class LineSource(Protocol):
    """Opens, gives bytes, closes. ``read`` waits at most WAIT_S and returns b"" when nothing came; it raises
    SourceLost when the other end is gone. ``midstream``: it may begin in the middle of a line;
    ``comes_back``: it is worth opening again; ``standin``: a stand-in sends; ``pace``: how many seconds of
    its own time go by in one of ours."""

    @property
    def title(self) -> str: ...
    @property
    def midstream(self) -> bool: ...
    @property
    def comes_back(self) -> bool: ...
    @property
    def standin(self) -> bool: ...
    @property
    def pace(self) -> float: ...
    def open(self) -> None: ...
    def read(self) -> bytes: ...
    def close(self) -> None: ...


class SerialSource:
    """A serial port by path."""

    midstream = comes_back = True
    pace = 1.0

    def __init__(self, path: str, baud: int = 115200, title: str = "", standin: bool = False) -> None:
        self.standin = standin
        if baud not in BAUDS:
            raise BadInput(f"baud must be one of {', '.join(map(str, BAUDS))}, not {baud}.", "baud")
        self._path, self._baud = path, baud
        self._title = title or path
        self._port: serial.Serial | None = None

    @property
    def title(self) -> str:
        return self._title

    def open(self) -> None:
        try:
            self._port = serial.Serial(self._path, self._baud, timeout=WAIT_S)
        except (serial.SerialException, OSError, ValueError) as error:
            raise SourceLost(f"Cannot open {self._title}: {_plain(error)}.", "path") from None

    def read(self) -> bytes:
        port = self._port
        if port is None:
            raise SourceLost(f"{self._title} is closed.")
        try:
            return bytes(port.read(max(1, port.in_waiting)))
        except (serial.SerialException, OSError, TypeError):
            raise SourceLost(f"{self._title} was unplugged.") from None

    def close(self) -> None:
        if self._port is not None:
            self._port.close()
            self._port = None


class TcpSource:
    """A TCP address that sends lines; of this machine or its own network, unless ``anywhere`` is allowed."""

    midstream = comes_back = True
    pace = 1.0

    def __init__(
        self, host: str, port: int, title: str = "", standin: bool = False, anywhere: bool = False
    ) -> None:
        self.standin, self._anywhere = standin, anywhere
        if not 0 < port < 65536:
            raise BadInput(f"port must be between 1 and 65535, not {port}.", "port")
        self._address = (host, port)
        self._title = title or f"{host}:{port}"
        self._socket: socket.socket | None = None

    @property
    def title(self) -> str:
        return self._title

    def open(self) -> None:
        host, port = self._address
        try:
            found = str(socket.getaddrinfo(host, port, type=socket.SOCK_STREAM)[0][4][0])
            if not (self._anywhere or ipaddress.ip_address(found.partition("%")[0]).is_private):
                raise BadInput(
                    "Only boards of this machine and its own network may be connected; start Tick Stone "
                    "with --any-address to allow others.",
                    "host",
                )
            self._socket = socket.create_connection(
                (found, port), timeout=3
            )  # the address that was looked at
        except (OSError, ValueError) as error:  # ValueError: of a name that no host can have
            raise SourceLost(f"Cannot reach {self._title}: {_plain(error)}.", "host") from None
        self._socket.settimeout(WAIT_S)

    def read(self) -> bytes:
        if self._socket is None:
            raise SourceLost(f"{self._title} is closed.")
        try:
            data = self._socket.recv(65536)
        except TimeoutError:
            return b""
        except OSError:
            data = b""
        if not data:
            raise SourceLost(f"{self._title} closed the line.")
        return data

    def close(self) -> None:
        if self._socket is not None:
            self._socket.close()
            self._socket = None


SPEEDS = (0.25, 0.5, 1.0, 2.0, 4.0, 8.0, 20.0, 100.0)
AT_ONCE = 65_536  # bytes that one read gives at most


class ReplaySource:
    """Lines with their times, s, from a recording, ``speed`` times as fast as they came; over when they
    are."""

    midstream = comes_back = standin = False

    def __init__(
        self, title: str, lines: Callable[[], Iterator[tuple[float, str]]], speed: float = 1.0
    ) -> None:
        if not (math.isfinite(speed) and 0.01 <= speed <= 1000.0):
            raise BadInput(f"speed must lie between 0.01 and 1000, not {speed:g}.", "speed")
        self._title, self._lines, self.pace = title, lines, speed
        self._left: Iterator[tuple[float, str]] | None = None
        self._next: tuple[float, str] | None = None
        self._begun = 0.0

    @property
    def title(self) -> str:
        return self._title

    def open(self) -> None:
        self._left = self._lines()
        self._next = next(self._left, None)
        self._begun = time.monotonic()

    def read(self) -> bytes:
        if self._left is None:
            raise SourceLost(f"{self._title} is closed.")
        if self._next is None:
            raise SourceLost(f"{self._title} has been replayed to its end.")
        wait = self._next[0] / self.pace - (time.monotonic() - self._begun)
        if wait > 0:
            time.sleep(min(wait, WAIT_S))
        now = (time.monotonic() - self._begun) * self.pace
        data = bytearray()
        while self._next is not None and self._next[0] <= now and len(data) < AT_ONCE:
            data += self._next[1].encode() + b"\n"
            self._next = next(self._left, None)
        return bytes(data)

    def close(self) -> None:
        self._left = None


def _plain(error: Exception) -> str:
    if isinstance(error, ValueError):
        return "it is no name of one"
    number = getattr(error, "errno", None)
    said = {
        2: "there is no such port",
        13: "no permission (on Debian, join the group dialout)",
        16: "it is in use",
        111: "nothing listens there",
    }
    return said.get(number or 0, str(error).split(":")[-1].strip() or type(error).__name__)


@dataclass(frozen=True)
class Port:
    """A serial port of this machine."""

    path: str
    title: str


def ports() -> list[Port]:
    """The serial ports of this machine, in name order."""
    return sorted((Port(p.device, p.device) for p in list_ports.comports()), key=lambda port: port.path)
