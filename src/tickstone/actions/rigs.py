"""Changing a rig: its board, its wires, a fix, and undoing them. Every change is a revision and a line in the log."""

from __future__ import annotations

import re
import unicodedata
from dataclasses import replace
from typing import Any

from sqlalchemy.orm import Session

from tickstone.core.rigs import boards
from tickstone.core.rigs.rig import Rig
from tickstone.core.rigs.templates import RANGER_AND_AIR, fresh_rig
from tickstone.core.wiring import checks
from tickstone.core.wiring.assign import assign
from tickstone.errors import BadInput
from tickstone.store import log, rigs

RESERVED = {"api", "assets", "convert", "rigs"}


def rig_fields(rig: Rig) -> dict[str, Any]:
    """The fields of a rig that a constant may rest on, by the name used in its inputs."""
    return {"board": rig.board.kind}


def begin(session: Session, title: str, purpose: str, board: str) -> str:
    """Make a new rig with one ranger and an air temperature sensor; returns its slug. Raises BadInput for ``title``."""
    slug = re.sub(r"[^a-z0-9]+", "-", unicodedata.normalize("NFKD", title).lower()).strip("-")
    if not slug:
        raise BadInput("title needs at least one letter or digit.", "title")
    if slug in RESERVED:
        raise BadInput(f"{title.strip()} is a word of the app's own addresses: choose another name.", "title")
    rig = fresh_rig(title.strip(), purpose.strip(), board, RANGER_AND_AIR)
    stored = rigs.new_rig(session, slug, rig, "First wiring")
    log.write_entry(session, stored.id, "wiring", f"{rig.title} set up on the {rig.board.title}")
    return slug


def choose_board(session: Session, slug: str, seen: int, kind: str) -> None:
    """Put the rig on another board; every wire is placed anew on it."""
    stored = rigs.rig_named(session, slug)
    fresh = assign(replace(stored.rig, board=boards.board(kind)))
    _revise(session, stored, seen, fresh, f"Board changed to the {fresh.board.title}")


def move_wire(session: Session, slug: str, seen: int, sensor: str, pin: str, to: str) -> None:
    """Put a wire on another pin or rail. What that breaks, the checks say; only places that exist are refused."""
    stored = rigs.rig_named(session, slug)
    wire = stored.rig.wire(sensor, pin)
    if to and stored.rig.board.pin(to) is None and stored.rig.board.rail(to) is None:
        raise BadInput(f"This board has no pin or rail {to!r}.", "to")
    name = stored.rig.sensor(sensor).name
    _revise(
        session, stored, seen, stored.rig.with_wire(replace(wire, to=to)), f"{name} {pin} moved to {to or 'no pin'}"
    )


def mend(session: Session, slug: str, seen: int, kind: str, sensor: str, pin: str) -> None:
    """Apply the fix of one finding."""
    stored = rigs.rig_named(session, slug)
    fresh, sentence = checks.mend(stored.rig, kind, sensor, pin)
    _revise(session, stored, seen, fresh, sentence)


def undo(session: Session, slug: str, seen: int) -> None:
    """Make the revision before this one current again."""
    stored = rigs.rig_named(session, slug)
    undone = rigs.step_back(session, stored.id, seen)
    log.write_entry(session, stored.id, "wiring", f"Undone: {undone}", revision=seen)


def _revise(session: Session, stored: rigs.StoredRig, seen: int, fresh: Rig, why: str) -> None:
    rigs.revise(session, stored.id, seen, fresh, why)
    log.write_entry(session, stored.id, "wiring", why, revision=stored.revision + 1)
