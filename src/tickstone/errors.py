"""The one error tree. Each class has a stable code that travels on the wire; HTTP numbers live in the API
alone.

TickStoneError
├── BadInput            bad-input       a value that cannot be; names its field
│   └── TooLarge        too-large       more bytes than are taken in at once
├── NotFound            not-found       the thing asked for is not there
├── Conflict            conflict        somebody else changed it first, or it is busy
├── Forbidden           forbidden       it may not be done from where it was asked
│   └── NoKey               no-key          this device has not been let in
├── NotConnected        not-connected   this needs a live source of readings
├── SourceLost          source-lost     the port or the network line went away, or cannot be opened
├── StoreAway           store-away      the database cannot be reached just now
│   └── DiskFull        disk-full       the database has no room left on its disk
└── SetUp               set-up          this machine lacks something the launcher cannot add by itself
"""

from __future__ import annotations


class TickStoneError(Exception):
    """A refusal in one plain sentence, with the path of the field it is about (empty when it is about no
    field)."""

    code = "error"

    def __init__(self, message: str, path: str = "") -> None:
        super().__init__(message)
        self.message = message
        self.path = path


class BadInput(TickStoneError):
    """A value that cannot be. ``path`` names the field."""

    code = "bad-input"


class TooLarge(BadInput):
    """More bytes than are taken in at once."""

    code = "too-large"


class NotFound(TickStoneError):
    """The thing asked for is not there."""

    code = "not-found"


class Conflict(TickStoneError):
    """Somebody else changed it first, or it is busy."""

    code = "conflict"


class Forbidden(TickStoneError):
    """It may not be done from where it was asked."""

    code = "forbidden"


class NoKey(Forbidden):
    """This device has not been let in."""

    code = "no-key"


class NotConnected(TickStoneError):
    """This needs a live source of readings."""

    code = "not-connected"


class SourceLost(TickStoneError):
    """The port or the network line went away, or cannot be opened."""

    code = "source-lost"


class StoreAway(TickStoneError):
    """The database cannot be reached just now."""

    code = "store-away"


class DiskFull(StoreAway):
    """The database has no room left on its disk."""

    code = "disk-full"


class SetUp(TickStoneError):
    """This machine lacks something the launcher cannot add by itself."""

    code = "set-up"
