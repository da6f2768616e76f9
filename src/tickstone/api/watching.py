"""What Watch can do beside looking: say what a label means, set an instrument to zero, check with the motors
running."""

from __future__ import annotations

from typing import Annotated, Literal

from fastapi import APIRouter
from pydantic import BaseModel, Field

from tickstone.actions import labelling, motor_check, rigs
from tickstone.api.errors import REFUSALS
from tickstone.api.meanings import MeaningModel, TargetModel, targets_of
from tickstone.api.models import Body, Done, Name, number
from tickstone.api.needs import Shop

router = APIRouter(prefix="/api/rigs/{slug}", tags=["watch"], responses=REFUSALS)

Label = Annotated[str, Field(min_length=1, max_length=120)]


class LabelAsked(MeaningModel):
    label: Label


class ForgetAsked(Body):
    label: Label


class LabelModel(BaseModel):
    """A label on the line; ``meaning`` is null where nobody knows it, ``guessed`` where nobody said so."""

    label: str
    unit: str
    last: float | None
    count: int
    meaning: MeaningModel | None
    guessed: bool


class HeardModel(BaseModel):
    text: str
    why: str


class LinesModel(BaseModel):
    """What is on the line: the labels, the channels they can stand for, the last lines as they came."""

    labels: list[LabelModel]
    targets: list[TargetModel]
    heard: list[HeardModel]


@router.get("/lines")
def lines(shop: Shop, slug: Name) -> LinesModel:
    """What is on the line, and how it is understood."""
    intake = shop.live(slug).intake
    with shop.database.transaction() as session:
        rig = rigs.current(session, slug)
    labels = [
        LabelModel(
            label=label.name,
            unit=label.unit,
            last=number(label.last),
            count=label.count,
            meaning=MeaningModel.of(label.meaning),
            guessed=label.guessed,
        )
        for label in intake.labels
    ]
    heard = [HeardModel(text=line.text, why=line.why) for line in intake.heard]
    return LinesModel(labels=labels, targets=targets_of(rig), heard=heard)


@router.put("/lines")
def say(shop: Shop, slug: Name, body: LabelAsked) -> LinesModel:
    """Say what a label means; it is remembered for the rig."""
    shop.still(slug, "saying what a label means")
    meaning = body.meaning()
    with shop.change(slug) as session:
        labelling.say(session, slug, body.label, meaning)
    return lines(shop, slug)


@router.post("/lines/guess")
def guess_again(shop: Shop, slug: Name, body: ForgetAsked) -> LinesModel:
    """Let a label be guessed again."""
    shop.still(slug, "guessing a label again")
    with shop.change(slug) as session:
        labelling.guess_again(session, slug, body.label)
    return lines(shop, slug)


@router.post("/sensors/{sensor}/instruments/{name}/zero")
def zero(shop: Shop, slug: Name, sensor: Name, name: Name) -> Done:
    """Set an instrument to zero: a new trip, the first line of an angle."""
    shop.live(slug).view.zero(sensor, name)
    return Done()


class CheckAsked(Body):
    """``rest`` keeps the last seconds with motors off; ``running`` holds the last seconds against them."""

    step: Literal["rest", "running"]


class JudgedModel(BaseModel):
    sensor: str
    sentence: str
    bad: bool


class CheckModel(BaseModel):
    """How far the check has come; ``lines`` are its answer once there is one."""

    seconds: float
    at_rest: bool
    verdict: str
    remedy: str
    lines: list[JudgedModel]


@router.post("/motor-check")
def check_with_motors(shop: Shop, slug: Name, body: CheckAsked) -> CheckModel:
    """One step of the check with motors."""
    live = shop.live(slug)
    with shop.database.transaction() as session:
        rig = rigs.current(session, slug)
    if body.step == "rest":
        motor_check.at_rest(live, rig)
        return CheckModel(seconds=motor_check.SECONDS, at_rest=True, verdict="", remedy="", lines=[])
    answer = motor_check.running(live, rig)
    shop.note(slug, f"Checked with motors: {answer.verdict}. {answer.remedy}".rstrip())
    models = [
        JudgedModel(sensor=judged.sensor, sentence=judged.sentence, bad=judged.bad) for judged in answer.lines
    ]
    return CheckModel(
        seconds=motor_check.SECONDS, at_rest=True, verdict=answer.verdict, remedy=answer.remedy, lines=models
    )
