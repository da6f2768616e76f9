"""Sources of lines: a serial port (a pseudo-terminal is one) and a TCP address. Both are read in chunks."""

from __future__ import annotations

import socket
from dataclasses import dataclass
from typing import Protocol

import serial
from serial.tools import list_ports

from tickstone.errors import BadInput, SourceLost

WAIT_S = 0.1
BAUDS = (9600, 19200, 38400, 57600, 115200, 230400, 460800, 921600)


class Source(Protocol):
    """Opens, gives bytes, closes. ``read`` waits at most WAIT_S and returns b"" when nothing came; it raises
    SourceLost when the other end is gone."""

    @property
    def title(self) -> str: ...
    def open(self) -> None: ...
    def read(self) -> bytes: ...
    def close(self) -> None: ...


class SerialSource:
    """A serial port by path."""

    def __init__(self, path: str, baud: int = 115200, title: str = "") -> None:
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
        except (serial.SerialException, OSError) as error:
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
    """A TCP address that sends lines."""

    def __init__(self, host: str, port: int, title: str = "") -> None:
        if not 0 < port < 65536:
            raise BadInput(f"port must be between 1 and 65535, not {port}.", "port")
        self._address = (host, port)
        self._title = title or f"{host}:{port}"
        self._socket: socket.socket | None = None

    @property
    def title(self) -> str:
        return self._title

    def open(self) -> None:
        try:
            self._socket = socket.create_connection(self._address, timeout=3)
        except OSError as error:
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


def _plain(error: Exception) -> str:
    number = getattr(error, "errno", None)
    said = {2: "there is no such port", 13: "no permission (on Debian, join the group dialout)", 16: "it is in use",
            111: "nothing listens there"}  # fmt: skip
    return said.get(number or 0, str(error).split(":")[-1].strip() or type(error).__name__)


@dataclass(frozen=True)
class Port:
    """A serial port of this machine."""

    path: str
    title: str


def ports() -> list[Port]:
    """The serial ports of this machine, in name order."""
    return sorted((Port(p.device, p.device) for p in list_ports.comports()), key=lambda port: port.path)
