"""A window that watches, without a browser: the WebSocket and its messages."""

from __future__ import annotations

import json
from collections.abc import Callable
from contextlib import contextmanager
from typing import Any

from websockets.sync.client import ClientConnection, connect

from tests.served import Served

SLUG = "fern"
RIG = f"/api/rigs/{SLUG}"
Message = dict[str, Any]


def begin(served: Served) -> int:
    """Connect the stand-in and begin a recording; its id."""
    served.client.post(f"{RIG}/connect", json={"kind": "stand-in"}).raise_for_status()
    return int(served.client.post(f"{RIG}/record", json={}).json()["id"])


@contextmanager
def window(address: str, slug: str = SLUG):
    """An open window on a rig."""
    with connect(address.replace("http", "ws") + f"/api/rigs/{slug}/live", origin=address) as line:
        yield line


def message_when(line: ClientConnection, enough: Callable[[Message], bool], most: int = 2000) -> Message:
    """The first message that satisfies ``enough``."""
    for _ in range(most):
        message: Message = json.loads(line.recv(timeout=20))
        if enough(message):
            return message
    raise AssertionError("no such message came")
