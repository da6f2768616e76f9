"""Building a rig: ticking its checklist before power, and the program that streams its readings."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Literal

from sqlalchemy.orm import Session

from tickstone.core.rigs.rig import Rig
from tickstone.core.wiring.checklist import ChecklistStep
from tickstone.core.wiring.checklist import checklist as steps_of
from tickstone.core.wiring.schedule import PartLine, ScheduleLine, parts_list, schedule
from tickstone.errors import BadInput, NotFound
from tickstone.firmware import watch, writing
from tickstone.formats.schedule_csv import parts_csv, schedule_csv
from tickstone.store import checklist, log, rigs


@dataclass(frozen=True)
class TickedStep:
    """A step of the checklist with its tick, if it has one."""

    step: ChecklistStep
    tick: checklist.Tick | None


@dataclass(frozen=True)
class BuildTables:
    """What a person builds a rig by: its wires, when each was ticked as in, and the parts to have at hand."""

    rig: Rig
    wires: tuple[ScheduleLine, ...]
    ticked: Mapping[str, datetime]
    parts: tuple[PartLine, ...]


def tables_of(session: Session, slug: str) -> BuildTables:
    """The wiring schedule and the parts list of a rig. Raises NotFound."""
    stored = rigs.rig_named(session, slug)
    ticked = {name: tick.at for name, tick in checklist.ticks(session, stored.id).items()}
    return BuildTables(stored.rig, schedule(stored.rig), ticked, parts_list(stored.rig))


def table(session: Session, slug: str, name: Literal["schedule", "parts"]) -> str:
    """The wiring schedule, or the parts list, as CSV. Raises NotFound."""
    tables = tables_of(session, slug)
    return schedule_csv(tables.wires) if name == "schedule" else parts_csv(tables.parts)


def checklist_of(session: Session, slug: str) -> list[TickedStep]:
    """The checklist of a rig as it is wired now. A tick belongs to what the step said: another wire is
    another step."""
    stored = rigs.rig_named(session, slug)
    ticks = checklist.ticks(session, stored.id)
    return [TickedStep(step, ticks.get(step.id)) for step in steps_of(stored.rig)]


def tick_wire(session: Session, slug: str, wire_id: str, ticked: bool) -> None:
    """Tick a wire of the schedule as in, or take its tick back. Raises NotFound for one that the rig has not
    (any more)."""
    stored = rigs.rig_named(session, slug)
    line = next((line for line in schedule(stored.rig) if line.id == wire_id), None)
    if line is None:
        raise NotFound("This wire is not on the rig's schedule any more: it goes elsewhere now.")
    if ticked:
        checklist.tick(session, stored.id, wire_id, f"{line.start} to {line.end}", "")
    else:
        checklist.take_back(session, stored.id, wire_id)


def tick(session: Session, slug: str, step_id: str, ticked: bool, by: str) -> None:
    """Tick a step, or take its tick back. The second person's step asks who it was.

    Raises: NotFound for a step that this rig does not have (any more); BadInput for ``by``.
    """
    stored = rigs.rig_named(session, slug)
    step = next((step for step in steps_of(stored.rig) if step.id == step_id), None)
    if step is None:
        raise NotFound("This step is not on the rig's checklist any more: its wiring has changed.")
    if not ticked:
        checklist.take_back(session, stored.id, step_id)
        return
    if step.second and not by.strip():
        raise BadInput("Say who looked: this step is somebody else's to tick.", "by")
    checklist.tick(session, stored.id, step_id, step.text, by.strip())
    done = checklist.ticks(session, stored.id)
    if all(step.id in done for step in steps_of(stored.rig)):
        log.write_entry(session, stored.id, "wiring", "Checklist before power: every step ticked")


@dataclass(frozen=True)
class WatchProgram:
    """A rig's watch program in one language, with the name of its file; ``languages`` are those that the
    board runs."""

    language: str
    languages: tuple[str, ...]
    name: str
    text: str


def watch_program(session: Session, slug: str, language: str = "") -> WatchProgram:
    """The watch program of a rig; without a language, in the first that its board runs."""
    rig = rigs.rig_named(session, slug).rig
    chosen = language or next(iter(rig.board.programs), "cpp")
    text = writing.program(rig, chosen)
    name = f"{watch.identifier(rig.title)}_watch.{writing.SUFFIXES[chosen]}"
    return WatchProgram(chosen, rig.board.programs, name, text)
