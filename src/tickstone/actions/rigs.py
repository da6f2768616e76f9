"""The life of a rig: begun from scratch, from a template or from a file; duplicated, renamed, archived,
brought back."""

from __future__ import annotations

import re
import unicodedata
from dataclasses import replace
from typing import Any

from sqlalchemy.orm import Session

from tickstone.core.rigs.catalogue import fit, part_of
from tickstone.core.rigs.outputs import converter_of
from tickstone.core.rigs.rig import Rig
from tickstone.core.rigs.templates import rig_of, template
from tickstone.core.wiring.assign import complete
from tickstone.errors import BadInput, Conflict
from tickstone.formats.rig_json import rig_from_json, rig_to_json
from tickstone.store import log, rigs

RESERVED = {"api", "assets", "convert", "rigs"}
MOST_TITLE = 60


def rig_fields(rig: Rig, sensor: str) -> dict[str, Any]:
    """The fields of a rig that a constant of a sensor may rest on, by the name used in its inputs."""
    fitted = rig.sensor(sensor)
    results: dict[str, Any] = {"board": rig.board.kind, "options": dict(fitted.options)}
    if any(pin.analogue for pin in part_of(fitted).pins):
        converter = converter_of(rig, sensor)
        results["converter"] = list(converter) if converter else "none"
    return results


def slug_of(title: str) -> str:
    """A title as the word in its address. Raises BadInput for ``title``."""
    if len(title.strip()) > MOST_TITLE:
        raise BadInput(f"title must have at most {MOST_TITLE} characters.", "title")
    slug = re.sub(r"[^a-z0-9]+", "-", unicodedata.normalize("NFKD", title).lower()).strip("-")
    if not slug:
        raise BadInput("title needs at least one letter or digit.", "title")
    if slug in RESERVED:
        raise BadInput(f"{title.strip()} is a word of the app's own addresses: choose another name.", "title")
    return slug


def begin(session: Session, title: str, purpose: str, board: str, first: str) -> str:
    """Make a new rig of one sensor, wired; returns its slug. Raises BadInput for ``title``, ``board`` or
    ``kind``."""
    slug = slug_of(title)
    part = fit(first, first, first.replace("-", " "), {})
    return _keep(session, slug, rig_of(title.strip(), purpose.strip(), board, (part,)), "First wiring")


def from_template(session: Session, title: str, purpose: str, template_id: str) -> str:
    """Make a new rig like a template; returns its slug."""
    made = template(template_id)
    rig = replace(made, title=title.strip(), purpose=purpose.strip() or made.purpose)
    return _keep(session, slug_of(title), rig, f"Begun from template {template_id}")


def from_file(session: Session, text: str, title: str = "") -> str:
    """Make a new rig of a rig file; returns its slug. Nothing is kept of a file that cannot be read."""
    rig = rig_from_json(text)
    name = title.strip() or rig.title
    return _keep(session, slug_of(name), replace(rig, title=name), "Begun from a rig file")


def document(session: Session, slug: str) -> str:
    """The rig file: the rig with every pin of its board, as JSON."""
    return rig_to_json(complete(rigs.rig_named(session, slug).rig))


def current(session: Session, slug: str) -> Rig:
    """The rig of that name at its current revision. Raises NotFound."""
    return rigs.rig_named(session, slug).rig


def duplicate(session: Session, slug: str, title: str) -> str:
    """Make a new rig of the same parts and wires; what was measured on the old one stays there. Returns its
    slug."""
    old = rigs.rig_named(session, slug)
    return _keep(
        session, slug_of(title), replace(old.rig, title=title.strip()), f"Duplicate of {old.rig.title}"
    )


def _keep(session: Session, slug: str, rig: Rig, why: str) -> str:
    stored = rigs.new_rig(session, slug, rig, why)
    log.write_entry(
        session, stored.id, "wiring", f"{rig.title} set up on the {rig.board.title}: {why.lower()}"
    )
    return slug


def rename(session: Session, slug: str, revision: int, title: str, purpose: str) -> None:
    """Give a rig another title and purpose; its address stays, so that links hold."""
    slug_of(title)
    stored = rigs.rig_named(session, slug)
    fresh = replace(stored.rig, title=title.strip(), purpose=purpose.strip())
    revise(session, stored, revision, fresh, f"Renamed to {fresh.title}")


def archive(session: Session, slug: str) -> None:
    """Take a rig off the bench; everything of it is kept."""
    stored = rigs.rig_named(session, slug)
    rigs.set_archived(session, stored.id, True)
    log.write_entry(session, stored.id, "wiring", f"{stored.rig.title} archived")


def bring_back(session: Session, slug: str) -> None:
    """Put an archived rig back on the bench."""
    stored = rigs.rig_named(session, slug)
    if not stored.archived:
        raise Conflict(f"{stored.rig.title} is on the bench already.", "slug")
    rigs.set_archived(session, stored.id, False)
    log.write_entry(session, stored.id, "wiring", f"{stored.rig.title} brought back")


def undo(session: Session, slug: str, revision: int) -> None:
    """Make the revision before this one current again."""
    stored = rigs.rig_named(session, slug)
    undone = rigs.step_back(session, stored.id, revision)
    log.write_entry(session, stored.id, "wiring", f"Undone: {undone}", revision=revision)


def revise(session: Session, stored: rigs.StoredRig, revision: int, fresh: Rig, why: str) -> None:
    """Make a changed rig the current one, with a line in the log."""
    rigs.revise(session, stored.id, revision, fresh, why)
    log.write_entry(session, stored.id, "wiring", why, revision=stored.revision + 1)
