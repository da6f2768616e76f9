"""Other devices of the network: the access key that lets them in, and those that it has let in."""

from __future__ import annotations

import hashlib
import hmac
import json
import secrets
import threading
import time
from collections import deque
from collections.abc import Callable, Sequence
from dataclasses import asdict, dataclass, replace
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from tickstone.errors import Forbidden, NotFound

LETTERS = "23456789ABCDEFGHJKMNPQRSTUVWXYZ"  # none that are taken for each other
KEY_LETTERS, GROUP = 16, 4  # 79 bits
MOST_TRIES, TRIES_S = 10, 60.0  # wrong keys a minute; then nobody is let in for the rest of it
MOST_GUESTS = 100  # the one that was away longest makes room
SAVE_S = 60.0  # when a guest was last seen is kept no oftener


@dataclass(frozen=True)
class Guest:
    """A device that was let in: from which address, whether it called itself a phone, when, and when it was
    last seen."""

    id: int
    address: str
    phone: bool
    let_in_at: datetime
    seen_at: datetime


@dataclass(frozen=True)
class Entrance:
    """Where other devices come in: the addresses of this machine on its networks, and the fingerprint of its
    certificate (SHA-256)."""

    addresses: Callable[[], Sequence[str]]
    fingerprint: str


class Guests:
    """The key and the guests, kept in a file of their owner's; of what a guest shows to come back only a
    digest is kept."""

    def __init__(self, file: Path) -> None:
        self._file = file
        self._lock = threading.Lock()
        self._tries: deque[float] = deque(maxlen=MOST_TRIES)
        self._saved_at = 0.0
        self._key, self._guests = self._read()

    @property
    def key(self) -> str:
        """The access key, in groups as it is read out; made when it is first asked for."""
        with self._lock:
            if not self._key:
                self._key = _fresh_key()
                self._save()
            return "-".join(self._key[at : at + GROUP] for at in range(0, KEY_LETTERS, GROUP))

    def renew_key(self) -> None:
        """Make another key: the old one lets nobody in any more. Who is in stays in."""
        with self._lock:
            self._key = _fresh_key()
            self._save()

    def let_in(self, key: str, address: str, phone: bool) -> str:
        """Let a device in; returns what it shows from now on. Raises Forbidden for a wrong key, and for any
        key after too many wrong ones."""
        known = self.key.replace("-", "")
        typed = "".join(letter for letter in key.upper() if letter.isalnum())
        with self._lock:
            now = time.monotonic()
            if len(self._tries) == MOST_TRIES and now - self._tries[0] < TRIES_S:
                raise Forbidden("Too many wrong keys came just now: wait a minute.", "key")
            if not hmac.compare_digest(typed.encode(), known.encode()):
                self._tries.append(now)
                raise Forbidden("This is not the access key: it is shown at the machine, in Settings.", "key")
            token = secrets.token_urlsafe(32)
            number = max((guest.id for guest in self._guests.values()), default=0) + 1
            when = datetime.now(UTC)
            if len(self._guests) >= MOST_GUESTS:
                del self._guests[min(self._guests, key=lambda digest: self._guests[digest].seen_at)]
            self._guests[_digest(token)] = Guest(number, address, phone, when, when)
            self._save()
        return token

    def find(self, token: str) -> Guest | None:
        """The guest who shows this, seen now; None for nobody."""
        digest = _digest(token)
        with self._lock:
            guest = self._guests.get(digest)
            if guest is None:
                return None
            self._guests[digest] = guest = replace(guest, seen_at=datetime.now(UTC))
            if time.monotonic() - self._saved_at > SAVE_S:
                self._save()
            return guest

    def all(self) -> list[Guest]:
        """Everyone who is let in, the last one seen first."""
        with self._lock:
            return sorted(self._guests.values(), key=lambda guest: guest.seen_at, reverse=True)

    def shut_out(self, guest_id: int) -> None:
        """Let a guest in no more. Raises NotFound."""
        with self._lock:
            kept = {digest: guest for digest, guest in self._guests.items() if guest.id != guest_id}
            if len(kept) == len(self._guests):
                raise NotFound("This device is shut out already.", "guest")
            self._guests = kept
            self._save()

    def _read(self) -> tuple[str, dict[str, Guest]]:
        try:
            kept = json.loads(self._file.read_text())
            return str(kept["key"]), {digest: _guest(**fields) for digest, fields in kept["guests"].items()}
        except (OSError, ValueError, TypeError, KeyError, AttributeError):
            return "", {}

    def _save(self) -> None:
        guests = {digest: asdict(guest) for digest, guest in self._guests.items()}
        self._file.parent.mkdir(parents=True, exist_ok=True)
        fresh = self._file.with_suffix(".new")
        fresh.touch(mode=0o600)
        fresh.write_text(json.dumps({"key": self._key, "guests": guests}, default=datetime.isoformat))
        fresh.replace(self._file)
        self._saved_at = time.monotonic()


def _guest(let_in_at: str, seen_at: str, **fields: Any) -> Guest:
    return Guest(
        let_in_at=datetime.fromisoformat(let_in_at), seen_at=datetime.fromisoformat(seen_at), **fields
    )


def _fresh_key() -> str:
    return "".join(secrets.choice(LETTERS) for _ in range(KEY_LETTERS))


def _digest(token: str) -> str:
    return hashlib.sha256(token.encode()).hexdigest()
