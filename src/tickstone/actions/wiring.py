"""Changing what is on a rig and how it is wired: board, parts, supplies, places, wires. Every change is a
revision."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass, replace

from sqlalchemy.orm import Session

from tickstone.actions.constants import all_settled
from tickstone.actions.rigs import revise
from tickstone.core.constants import Values
from tickstone.core.rigs import boards
from tickstone.core.rigs.catalogue import bare_wires, fit, known, part_of
from tickstone.core.rigs.part import check_options
from tickstone.core.rigs.rig import Board, Geometry, Mount, Output, Rig, Sensor, Supply
from tickstone.core.wiring import checks
from tickstone.core.wiring.assign import assign, assignment, complete, dress, place_free
from tickstone.core.wiring.findings import Report
from tickstone.core.wiring.in_wires import InWire, without
from tickstone.core.wiring.places import is_place
from tickstone.errors import BadInput
from tickstone.formats.rig_json import BOARD_DOCUMENT, board_faults, rig_from_json, rig_to_json
from tickstone.store import rigs

MOST_NAME = 40


@dataclass(frozen=True)
class CheckedRig:
    """A rig with its constants by sensor and name, and what the wiring checks say."""

    stored: rigs.StoredRig
    values: Mapping[str, Values]
    report: Report

    @property
    def verdict(self) -> str:
        """What would happen if power came on now."""
        return checks.verdict(self.report)


def checked(session: Session, stored: rigs.StoredRig) -> CheckedRig:
    """Check a rig's wiring, with its constants as they stand."""
    values = all_settled(session, stored)
    return CheckedRig(stored, values, checks.check(stored.rig, values))


def checked_rig(session: Session, slug: str) -> CheckedRig:
    """The rig of that name, checked. Raises NotFound."""
    return checked(session, rigs.rig_named(session, slug))


def checked_rigs(session: Session, archived: bool = False) -> list[CheckedRig]:
    """Every rig on the bench, or every archived one, checked."""
    return [checked(session, stored) for stored in rigs.all_rigs(session, archived)]


def choose_board(session: Session, slug: str, revision: int, kind: str) -> None:
    """Put the rig on another board; every wire is placed anew on it. ``own`` makes the present one a board of
    one's own."""
    stored = rigs.rig_named(session, slug)
    if kind == boards.OWN:
        fresh = replace(stored.rig, board=boards.own(stored.rig.board))
        revise(session, stored, revision, fresh, "Board made one's own, to be edited")
        return
    fresh = assign(replace(stored.rig, board=boards.board(kind)))
    revise(session, stored, revision, fresh, f"Board changed to the {fresh.board.title}")


def edit_board(
    session: Session, slug: str, revision: int, board: Board, renamed: Mapping[str, str] | None = None
) -> None:
    """Take over an edited board. Wires go along with pins that are ``renamed``, old name to new; those on
    pins that it no longer has are placed anew; the others stay."""
    stored = rigs.rig_named(session, slug)
    edited = replace(board, kind=boards.OWN)
    for where, sentence in board_faults(edited):
        raise BadInput(sentence, where)
    if BOARD_DOCUMENT.dump_python(edited) == BOARD_DOCUMENT.dump_python(stored.rig.board):
        raise BadInput("Nothing on this board is changed.", "board")
    names = renamed or {}
    along = tuple(replace(w, to=names.get(w.to, w.to)) for w in stored.rig.wires)
    fresh = replace(stored.rig, board=edited, wires=along)
    lost = [w for w in fresh.wires if w.to and not is_place(fresh, w.to)]
    if lost:
        keep = tuple(replace(w, to="") if w in lost else replace(w, fixed=True) for w in fresh.wires)
        placed = assign(replace(fresh, wires=keep))
        was = {(w.sensor, w.pin): w.fixed for w in fresh.wires}
        fresh = replace(placed, wires=tuple(replace(w, fixed=was[w.sensor, w.pin]) for w in placed.wires))
    revise(session, stored, revision, fresh, f"Board edited: {edited.title}")


def fit_part(
    session: Session, slug: str, revision: int, kind: str, name: str, options: dict[str, str | float]
) -> str:
    """Fit a part, its wires on free pins; returns its id."""
    stored = rigs.rig_named(session, slug)
    rig = stored.rig
    title = _name(name) if name.strip() else kind.replace("-", " ")
    part = fit(kind, _free_id(session, stored, title), _free_name(rig, title), options)
    sensors = (*rig.sensors, part) if isinstance(part, Sensor) else rig.sensors
    outputs = (*rig.outputs, part) if isinstance(part, Output) else rig.outputs
    fresh = replace(rig, sensors=sensors, outputs=outputs, wires=(*rig.wires, *bare_wires(part)))
    revise(session, stored, revision, place_free(fresh), f"{part.name} fitted ({known(part).title})")
    return part.id


def change_part(
    session: Session, slug: str, revision: int, part_id: str, name: str, options: dict[str, str | float]
) -> None:
    """Rename a part, or change the answers about it; wires of pins that it now has are placed."""
    stored = rigs.rig_named(session, slug)
    old = stored.rig.part(part_id)
    check_options(known(old).options, options, known(old).title)
    title = _name(name)
    if any(part.name == title and part.id != part_id for part in stored.rig.fitted):
        raise BadInput(f"Another part of this rig is called {title!r}.", "name")
    new = replace(old, name=title, options=options)
    if new == old:
        raise BadInput("Nothing about this part is changed.", "name")
    fresh = stored.rig.with_part(new)
    pins = {pin.name for pin in part_of(new).pins}
    # a converter's inputs carry its name
    inputs = {f"{old.name} {n}": f"{new.name} {n}" for n in part_of(old).gives}
    wires = tuple(
        replace(w, to=inputs.get(w.to, w.to)) for w in fresh.wires if w.sensor != part_id or w.pin in pins
    )
    why = f"{old.name} renamed to {title}" if new.options == old.options else f"Options of {title} changed"
    revise(session, stored, revision, dress(place_free(complete(replace(fresh, wires=wires))), part_id), why)


def take_off(session: Session, slug: str, revision: int, part_id: str) -> None:
    """Take a part off the rig; what was measured with it is kept, and undo brings it back."""
    stored = rigs.rig_named(session, slug)
    rig, part = stored.rig, stored.rig.part(part_id)
    if isinstance(part, Sensor) and len(rig.sensors) == 1:
        raise BadInput("A rig needs one sensor at least: fit another one first.", "sensor")
    gone = {f"{part.name} {n}" for n in part_of(part).gives}
    wires = tuple(
        replace(w, to="") if w.to in gone or w.to.startswith(f"{part_id}.") else w
        for w in rig.wires
        if w.sensor != part_id
    )
    fresh = replace(
        rig,
        wires=wires,
        sensors=tuple(s for s in rig.sensors if s.id != part_id),
        outputs=tuple(o for o in rig.outputs if o.id != part_id),
    )
    revise(session, stored, revision, fresh, f"{part.name} taken off")


def set_supplies(
    session: Session, slug: str, revision: int, supplies: tuple[Supply, ...], board_from: str
) -> None:
    """Say what supplies there are beside the board, and what powers it. Wires of a supply that is gone hang
    free."""
    stored = rigs.rig_named(session, slug)
    fresh = replace(stored.rig, supplies=supplies, board_from=board_from)
    wires = tuple(w if not w.to or is_place(fresh, w.to) else replace(w, to="") for w in fresh.wires)
    revise(session, stored, revision, _checked(place_free(replace(fresh, wires=wires))), "Supplies changed")


def set_geometry(
    session: Session, slug: str, revision: int, geometry: Geometry, mounts: Mapping[str, Mount | None]
) -> None:
    """Say the sizes of the vehicle and where its parts sit."""
    stored = rigs.rig_named(session, slug)
    fresh = replace(stored.rig, geometry=geometry)
    for part_id, mount in mounts.items():
        fresh = fresh.with_part(replace(fresh.part(part_id), mount=mount))
    revise(session, stored, revision, _checked(fresh), "Sizes and places changed")


def move_wire(session: Session, slug: str, revision: int, sensor: str, pin: str, to: str) -> None:
    """Put a wire on another pin or rail. What that breaks, the checks say; only places that exist are
    refused."""
    stored = rigs.rig_named(session, slug)
    wire = stored.rig.wire(sensor, pin)
    if to and not is_place(stored.rig, to):
        raise BadInput(f"This rig has no pin, rail or supply {to!r}.", "to")
    fresh = stored.rig.with_wire(replace(wire, to=to, fixed=bool(to)))
    revise(
        session,
        stored,
        revision,
        _checked(fresh),
        f"{stored.rig.part(sensor).name} {pin} moved to {to or 'no pin'}",
    )


def remove_part(session: Session, slug: str, revision: int, sensor: str, pin: str, what: InWire) -> None:
    """Take a part out of a wire, since the wire on the bench has none. What that breaks, the checks say."""
    stored = rigs.rig_named(session, slug)
    wire = stored.rig.wire(sensor, pin)
    fresh = stored.rig.with_wire(without(wire, what))
    words = f"{stored.rig.part(sensor).name} {pin}: the {what.replace('_', '-')} is taken out"
    revise(session, stored, revision, _checked(fresh), words)


def assign_anew(session: Session, slug: str, revision: int, keep: bool) -> None:
    """Assign every pin anew, those that a person placed too unless they are to be kept. Raises BadInput with
    the reason when it cannot be done."""
    stored = rigs.rig_named(session, slug)
    free = (
        stored.rig
        if keep
        else replace(stored.rig, wires=tuple(replace(w, fixed=False) for w in stored.rig.wires))
    )
    result = assignment(free)
    if result.reason:
        raise BadInput(result.reason, "wires")
    if result.rig == stored.rig:
        raise BadInput("Every wire is where it would be put: nothing is changed.", "wires")
    revise(session, stored, revision, result.rig, "All pins assigned anew")


def mend(session: Session, slug: str, revision: int, kind: str, sensor: str, pin: str) -> None:
    """Apply the fix of one finding."""
    stored = rigs.rig_named(session, slug)
    fresh, sentence = checks.mend(stored.rig, kind, sensor, pin)
    revise(session, stored, revision, fresh, sentence)


def _checked(rig: Rig) -> Rig:
    """The same rig, or BadInput for what no rig can be: the door that a rig file goes through."""
    return rig_from_json(rig_to_json(rig))


def _name(name: str) -> str:
    title = " ".join(name.split())
    if not 0 < len(title) <= MOST_NAME or not re.search(r"\w", title):
        raise BadInput(f"name must have 1 to {MOST_NAME} characters, a letter or digit among them.", "name")
    return title


def _free_name(rig: Rig, name: str) -> str:
    names = {part.name for part in rig.fitted}
    return next(n for n in (name, *(f"{name} {i}" for i in range(2, 1000))) if n not in names)


def _free_id(session: Session, stored: rigs.StoredRig, name: str) -> str:
    """An id that no part of this rig has, nor a sensor it ever had: ids are for ever."""
    word = re.sub(r"[^a-z0-9]+", "-", name.lower()).strip("-") or "part"
    taken: set[str] = {part.id for part in stored.rig.fitted} | set(rigs.sensor_ids(session, stored.id))
    return next(w for w in (word, *(f"{word}-{i}" for i in range(2, 1000))) if w not in taken)
