"""Serial ports that may be opened: those this machine lists, and those a person at it has added."""

from __future__ import annotations

import json
import threading
from pathlib import Path

from tickstone.errors import BadInput
from tickstone.link.sources import Port, ports

MOST_ADDED = 50


class KnownPorts:
    """The list of ports; what was added is kept in a file."""

    def __init__(self, file: Path) -> None:
        self._file = file
        self._lock = threading.Lock()

    def all(self) -> list[Port]:
        """Every port that may be opened."""
        listed = ports()
        paths = {port.path for port in listed}
        return listed + [Port(path, path) for path in self._added() if path not in paths]

    def add(self, path: str) -> None:
        """Let a port be opened from now on. Raises BadInput for what is no path."""
        if not (path.startswith("/") and path.isprintable()):
            raise BadInput("Write the whole path of the port, such as /dev/ttyS0.", "path")
        with self._lock:
            added = [*self._added(), path] if path not in self._added() else self._added()
            if len(added) > MOST_ADDED:
                raise BadInput(f"{MOST_ADDED} ports are added already.", "path")
            self._file.parent.mkdir(parents=True, exist_ok=True)
            self._file.write_text(json.dumps(added))

    def check(self, path: str) -> None:
        """Raise BadInput for a port that may not be opened, whether it is there or not."""
        if path not in {port.path for port in self.all()}:
            raise BadInput("This port is not on this machine's list: add it there first.", "path")

    def _added(self) -> list[str]:
        try:
            return [path for path in json.loads(self._file.read_text()) if isinstance(path, str)]
        except (OSError, ValueError, TypeError):
            return []
