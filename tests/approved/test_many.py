"""Many simulated recordings, calibrations, choices and rigs, a line each: what is said of them, as it was
approved. The fault that was put in, or the truth, stands beside what was found."""

from __future__ import annotations

import io
from dataclasses import replace

import numpy as np

from tests import approved
from tests.core.decisions.seen import plain_seen, row_seen, values_of
from tests.simulated.calibrations import SIMULATIONS, outcome_of
from tests.simulated.faults import FAULTS
from tests.simulated.scenes import EXTREMES, SCENES, Scene
from tests.simulated.score import FAINT, MODERATE, as_file, looking_alike, seeded, simulated
from tickstone.core.constants import Values
from tickstone.core.decisions.catalogue import DECISIONS
from tickstone.core.decisions.decision import Question, States
from tickstone.core.diagnosis.examine import examine
from tickstone.core.rigs.catalogue import known
from tickstone.core.rigs.kinds import KINDS
from tickstone.core.rigs.kinds.base import Ambient
from tickstone.core.rigs.rig import Output
from tickstone.core.rigs.templates import TEMPLATES, template
from tickstone.core.wiring.assign import complete, place_free
from tickstone.core.wiring.checks import check
from tickstone.core.worked import work
from tickstone.errors import BadInput
from tickstone.formats.examined import columns_record, record_of
from tickstone.formats.opening import open_readings

FAULTY_SEEDS, HEALTHY_SEEDS = range(200, 212), range(200, 206)
FAINT_SEEDS = range(220, 224)
SEEDS = range(11, 15)


def findings_of(scene: Scene) -> list[tuple[object, ...]]:
    if scene.garbled:
        record = record_of(open_readings(io.BytesIO(as_file(scene).encode("utf-8", "surrogateescape"))))
    else:
        record = columns_record(scene.columns, scene.time, scene.marks)
    return [(f.kind, f.channel, f.confidence, f.start_s, f.end_s, f.evidence) for f in examine(record)]


def test_findings_of_many_recordings() -> None:
    made = {f"{kind}, {seed}": findings_of(simulated(kind, seed)) for kind in FAULTS for seed in FAULTY_SEEDS}
    made |= {
        f"healthy {name}, {seed}": findings_of(make(seeded(name, seed)))
        for name, make in (SCENES | EXTREMES).items()
        for seed in HEALTHY_SEEDS
    }
    made |= {
        f"{kind}, {seed}, {severity}": findings_of(simulated(kind, seed, severity))
        for kind in FAULTS
        for severity in (MODERATE, FAINT)
        for seed in FAINT_SEEDS
    }
    made |= {f"{name}, {seed}": findings_of(scene) for name, seed, scene in looking_alike(FAINT_SEEDS)}
    approved.check("many-findings", made)


def test_many_calibrations() -> None:
    made = {}
    for name in SIMULATIONS:
        for seed in SEEDS:
            outcome, truth = outcome_of(name, seed)
            constants = [(one.name, one.value, one.sd) for one in outcome.constants]
            made[f"{name}, {seed}"] = [
                truth,
                outcome.heading,
                outcome.verdict,
                constants,
                outcome.left,
                outcome.sigmas,
            ]
    approved.check("many-calibrations", made)


def test_many_readings_worked() -> None:
    """A dozen readings of each kind anywhere in its reach, with constants a little off the usual ones."""
    made = {}
    for what in KINDS.values():
        rng = seeded("worked", what.id)
        for number in range(12):
            values: Values = {
                name: replace(
                    one, value=one.value * float(rng.uniform(0.9, 1.1)) if one.value % 1 else one.value
                )
                for name, one in values_of(what.id).items()
            }
            asked = {
                ask.name: float(
                    round(
                        rng.uniform(ask.low, ask.high)
                        if rng.random() < 0.5
                        else ask.typical * rng.uniform(0.5, 2.0)
                    )
                )
                for ask in what.working.asks(values)
            }
            air = float(rng.uniform(-10, 40)) if number % 3 == 0 else None
            try:
                found = work(what, values, asked, Ambient(air if air is None else np.array(air)))
                made[f"{what.id}, {number}"] = [asked, found.value, found.sd, found.sentence, found.shares]
            except BadInput as refused:
                made[f"{what.id}, {number}"] = [asked, refused.message]
    approved.check("many-worked", made)


def choices_of(name: str, asked: Question, values: Values) -> list[object]:
    try:
        found = DECISIONS[name].work(asked, values)
    except BadInput as refused:
        return [refused.message]
    choices = [(one.name, one.value, one.suggested, one.warning) for one in found.choices]
    return [
        found.heading,
        found.next,
        found.good,
        found.why_not,
        choices,
        found.notes,
        [(one.title, one.rows) for one in found.tables],
        [one.flags for one in (found.drawing.rows if isinstance(found.drawing, States) else ())],
    ]


def test_many_choices() -> None:
    made = {}
    for seed in range(8):
        rng = seeded("choices", seed)
        mean, gap, spread = rng.uniform(80, 300), rng.uniform(60, 500), rng.uniform(4, 60)
        ground = rng.normal(mean, spread, (3, 200)).round()
        line = rng.normal(mean + gap, spread * rng.uniform(0.5, 2), (3, 200)).round()
        lamp = row_seen(line + rng.uniform(0, 90), ground + rng.uniform(0, 120), "lamp", 2, light="lamp")
        near, rate = rng.uniform(90, 300), float(rng.choice([10.0, 20.0, 50.0]))
        push = np.concatenate(
            [
                np.linspace(1600, near, int(rng.integers(60, 300))),
                np.full(100, near),
                np.linspace(near, 1500, 120),
            ]
        )
        push = np.where(
            rng.random(push.size) < rng.uniform(0, 0.1),
            np.nan,
            push + rng.normal(0, rng.uniform(1, 9), push.size),
        )
        moved = plain_seen(push, rate_hz=rate)
        spun = 60e6 / (np.linspace(30, rng.uniform(200, 2000), 240) + rng.normal(0, 2, 240))
        bounced = np.ravel([[1500.0, one - 1500.0] for one in spun]) if seed % 2 else spun
        leaning = np.concatenate(
            [rng.normal(0, rng.uniform(0.1, 1), 300), rng.normal(rng.uniform(10, 40), 0.6, 200)]
        )
        row = {"sensors": 3, "drive_speed": float(rng.uniform(0.1, 1.2))}
        drive = {"drive_speed": float(rng.uniform(0.1, 1.5))}
        rows = [row_seen(line, ground)]
        made |= {
            f"line, {seed}": choices_of("line", Question([*rows, lamp]), values_of("line-sensors", **row)),
            f"line alone, {seed}": choices_of("line", Question(rows, lamp), values_of("line-sensors", **row)),
            f"edge, {seed}": choices_of("edge", Question(rows), values_of("line-sensors", **row)),
            f"steering, {seed}": choices_of(
                "steering",
                Question(),
                values_of(
                    "line-sensors",
                    sensors=2 + seed % 4,
                    pitch=float(rng.uniform(8, 40)),
                    tape=float(rng.uniform(10, 40)),
                ),
            ),
            f"obstacle, {seed}": choices_of(
                "obstacle", Question([moved]), values_of("ultrasonic-ranger", **drive)
            ),
            f"obstacle near, {seed}": choices_of(
                "obstacle", Question([moved]), values_of("time-of-flight-ranger", **drive)
            ),
            f"filter, {seed}": choices_of("filter", Question([moved]), values_of("ultrasonic-ranger")),
            f"dropouts, {seed}": choices_of(
                "dropouts", Question([moved]), values_of("ultrasonic-ranger", **drive)
            ),
            f"turning, {seed}": choices_of(
                "turning",
                Question([plain_seen(bounced, asked={"period": bounced})]),
                values_of("hall-switch", magnets=1 + seed % 3),
            ),
            f"tilt, {seed}": choices_of(
                "tilt",
                Question([plain_seen(leaning, rate_hz=50)]),
                values_of(
                    "inertial-unit", track=float(rng.uniform(60, 300)), cog_height=float(rng.uniform(40, 300))
                ),
            ),
        }
    approved.check("many-choices", made)


def test_many_rigs() -> None:
    """Every template with each answer of each of its parts changed, wired as it then falls out."""
    made = {}
    for name in TEMPLATES:
        rig = template(name)
        for fitted in rig.fitted:
            for option in known(fitted).options:
                answers = [choice.value for choice in option.choices] or [option.low, option.high]
                for answer in answers:
                    other = replace(fitted, options={**fitted.options, option.name: answer})
                    place = "outputs" if isinstance(fitted, Output) else "sensors"
                    parts = tuple(other if one is fitted else one for one in getattr(rig, place))
                    report = check(place_free(complete(replace(rig, **{place: parts}))))
                    findings = [(f.kind, f.sensor, f.pin, f.short, f.numbers) for f in report.findings]
                    made[f"{name}, {fitted.id}, {option.name} {answer}"] = findings
    approved.check("many-rigs", made)
