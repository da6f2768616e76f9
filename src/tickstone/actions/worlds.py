"""Worlds: those to begin with, and those that people draw or take in. They belong to the app."""

from __future__ import annotations

import re

from sqlalchemy.orm import Session

from tickstone.core.drive.world import World
from tickstone.core.drive.worlds import WORLDS
from tickstone.errors import BadInput
from tickstone.formats.world_json import world_of, world_to_plain
from tickstone.store import drive

MOST_NAME, MOST_WORLDS = 40, 200


def every(session: Session) -> list[tuple[World, bool]]:
    """All worlds, each with whether it is one of one's own; those first."""
    own = [(world_of(document), True) for document in drive.worlds(session).values()]
    return [*own, *((world, False) for world in WORLDS.values())]


def find(session: Session, name: str) -> World:
    """The world of that name. Raises BadInput for field ``world``."""
    document = drive.world(session, name)
    if document is not None:
        return world_of(document)
    if name not in WORLDS:
        own = ", ".join((*drive.worlds(session), *WORLDS))
        raise BadInput(f"There is no world {name!r}; there are {own}.", "world")
    return WORLDS[name]


def keep(session: Session, world: World) -> None:
    """Keep a world under its name, in place of one's own of that name. Raises BadInput for ``name``."""
    name = world.name
    if not re.fullmatch(r"\S(.*\S)?", name) or len(name) > MOST_NAME:
        raise BadInput(f"A world needs a name of at most {MOST_NAME} letters.", "name")
    if name in WORLDS:
        raise BadInput(f"{name} is one of the worlds to begin with: give yours another name.", "name")
    own = drive.worlds(session)
    if name not in own and len(own) >= MOST_WORLDS:
        raise BadInput(f"There are {MOST_WORLDS} worlds already: delete one first.", "name")
    drive.put_world(session, name, world_to_plain(world))


def drop(session: Session, name: str) -> None:
    """Take a world of one's own away. Raises NotFound."""
    drive.drop_world(session, name)


def file_name(name: str) -> str:
    """A world's name as that of a file."""
    return re.sub(r"[^A-Za-z0-9_-]+", "-", name).strip("-") or "world"
