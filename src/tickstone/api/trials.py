"""Runs that were kept with a rig: kept, listed, repeated exactly, held beside each other."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Any

from fastapi import APIRouter
from pydantic import BaseModel, Field

from tickstone.actions import driving, trials
from tickstone.api.drive import DriveAsked, RunModel, run_model
from tickstone.api.errors import REFUSALS
from tickstone.api.models import Done, Name
from tickstone.api.needs import Shop
from tickstone.core.behaviours.catalogue import behaviour

router = APIRouter(prefix="/api/rigs/{slug}/trials", tags=["drive"], responses=REFUSALS)


class TrialLine(BaseModel):
    """A kept run: what was asked for, its verdict, and why it failed (empty when it did not)."""

    number: int
    at: datetime
    note: str
    behaviour: str
    title: str
    world: str
    given: dict[str, float]
    seconds: float
    seed: int
    verdict: str
    why: str


class TrialAsked(DriveAsked):
    """A run to be kept, with a note."""

    note: Annotated[str, Field(max_length=200)] = ""


class DifferenceModel(BaseModel):
    """A number that is not the same in two runs; null where a run has none."""

    what: str
    sensor: str
    name: str
    label: str
    unit: str
    before: Any
    after: Any


@router.get("")
def every(shop: Shop, slug: Name) -> list[TrialLine]:
    """The kept runs of a rig, newest first."""
    with shop.database.transaction() as session:
        kept = trials.all_of(session, slug)
    return [
        TrialLine(
            number=trial.number,
            at=trial.at,
            note=trial.note,
            behaviour=trial.behaviour,
            title=behaviour(trial.behaviour).title,
            world=trial.world["name"],
            given=trial.asked["given"],
            seconds=trial.asked["seconds"],
            seed=trial.asked["seed"],
            verdict=trial.verdict,
            why=trial.why,
        )
        for trial in kept
    ]


@router.post("")
def keep(shop: Shop, slug: Name, body: TrialAsked) -> Done:
    """Work a run out and keep it; the answer's id is its number."""
    asked = driving.Asked(**body.model_dump(exclude={"note"}))
    with shop.database.transaction() as session:
        request = driving.requested(session, slug, asked)
    driven = driving.drive(request)
    with shop.change(slug) as session:
        return Done(id=trials.keep(session, slug, driven, body.note))


@router.get("/{number}")
def again(shop: Shop, slug: Name, number: int) -> RunModel:
    """A kept run, repeated exactly: with the rig, the constants, the world and the seed it was made of."""
    with shop.database.transaction() as session:
        request = trials.again(session, slug, number)
    return run_model(driving.drive(request))


@router.get("/{number}/beside/{before}")
def beside(shop: Shop, slug: Name, number: int, before: int) -> list[DifferenceModel]:
    """What is not the same in two kept runs."""
    with shop.database.transaction() as session:
        differences = trials.beside(session, slug, number, before)
    return [DifferenceModel(**vars(each)) for each in differences]


@router.post("/{number}/put-away")
def put_away(shop: Shop, slug: Name, number: int) -> Done:
    """Put a kept run away."""
    with shop.change(slug) as session:
        trials.put_away(session, slug, number, True)
    return Done()


@router.post("/{number}/take-out")
def take_out(shop: Shop, slug: Name, number: int) -> Done:
    """Take a run out again that was archived."""
    with shop.change(slug) as session:
        trials.put_away(session, slug, number, False)
    return Done()
