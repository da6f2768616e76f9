"""The obstacle guard: the reading at which a vehicle must begin to stop, the votes that keep single spikes
from stopping it, and how often both would be wrong."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from tickstone.core import ranging, sound
from tickstone.core.checks import check_between, check_order
from tickstone.core.constants import Provenance, Values
from tickstone.core.deciding import StopDistance
from tickstone.core.decisions import filter_choice, votes
from tickstone.core.decisions.decision import (
    Alternative,
    Choice,
    Decided,
    Decision,
    Evidence,
    Floor,
    Grip,
    Question,
    standing,
)
from tickstone.core.decisions.stopping import needed_stop
from tickstone.core.figures import Table
from tickstone.core.instruments import bar_edges_mm
from tickstone.core.noise import step_noise
from tickstone.core.wording import fixed, rate, significant

COMMON_MM = (90.0, 100.0, 600.0)  # common practice: thresholds people type in
SPEEDS = (0.5, 1.0, 1.5, 2.0)
AIRS_C = (0.0, 20.0, 40.0)
ENOUGH_FOR_A_RATE = 3.0  # nothing seen in T hours only says: fewer than 3/T an hour (95 %)
ROUND_MM = 5.0
ARROW_S = 0.5  # the speed is drawn as the distance it covers in so long


class Obstacle(Decision):
    """Trip and clear of a ranger."""

    id = "obstacle"
    title = "Obstacle guard"
    begin = "choose where the cart must begin to stop."
    inputs = (
        "drive_speed",
        "braking",
        "ping_interval",
        "votes",
        "votes_of",
        "reaction",
        "gap",
        "hysteresis",
        "set_back",
        "approaches",
        "bar_far",
    )
    rests_on = ("offset", "sound", "scale", "a", "b", "c", "filter_kind", "filter_amount")
    cautions = ("Try it first with the wheels off the ground, then slowly against something soft.",)

    def sets(self, values: Values) -> tuple[str, ...]:
        return ("trip", "clear")

    def work(self, question: Question, values: Values) -> Decided:
        needed, of = votes.check_votes(values["votes"].value, values["votes_of"].value)
        evidence = question.evidence[0] if question.evidence else None
        sigma, from_what, lag_s = self._noise(evidence, values)
        speed = values["drive_speed"].value
        stop = needed_stop(values, sigma, lag_s)
        reach = values["farthest"].value
        suggested = float(np.ceil(stop.trip_mm / ROUND_MM) * ROUND_MM)
        trip = standing("trip", question, values, suggested)
        clear = standing("clear", question, values, trip + values["hysteresis"].value)
        if "trip" in question.picked:
            check_between(trip, max(_nearest(values), 1.0), reach, "trip")
            check_order(trip, clear, "trip", "clear")
        notes = [*_sentences(stop, values, reach)]
        tables = [_changes(values, sigma, lag_s, trip)]
        if evidence is not None:
            tables.insert(0, _odds(evidence, values, votes.Guard(trip, clear, needed, of), sigma))
            lost = int((~evidence.valid).sum())
            if lost:
                notes.append(
                    f"{lost} of {evidence.valid.size} readings were dropouts or out of reach: "
                    "never take them for clear."
                )
        if "air" in values:
            tables.append(_airs(trip, values, question.air_measured))
        tables.append(_words(trip, clear))
        why_not = ""
        if stop.trip_mm > reach:
            why_not = (
                f"{fixed(stop.trip_mm)} mm is beyond the reach of {fixed(reach)} mm: drive "
                "slower or brake harder."
            )
        known = values.get("trip")
        choices = (
            Choice(
                "trip",
                trip,
                suggested,
                f"{fixed(stop.trip_mm)} mm needed at {speed:g} m/s",
                tuple(Alternative("usual", item, "assumed") for item in COMMON_MM),
            ),
            Choice("clear", clear, suggested + values["hysteresis"].value, "trip and hysteresis"),
        )
        spare = trip - stop.trip_mm
        return Decided(
            _heading(stop, trip if known is not None or "trip" in question.picked else None, reach, speed),
            "drag or nudge the ochre tick, then choose.",
            choices,
            why_not=why_not,
            good=spare > -0.5 and not why_not,
            notes=(f"Noise {fixed(sigma, 1)} mm (1 σ, three allowed) from {from_what}.", *notes),
            tables=tuple(tables),
            drawing=Floor(
                stop.trip_mm,
                stop.clear_mm,
                stop.parts_mm,
                reach,
                COMMON_MM,
                _nearest(values),
                bar_edges_mm(values),
                _grips(stop, values),
            ),
            used=() if evidence is None else (evidence.id,),
        )

    def _noise(self, evidence: Evidence | None, values: Values) -> tuple[float, str, float]:
        """σ of a reading, mm, what it is from, and the lag of the chosen filter, s."""
        sigma, text = None, ""
        if evidence is not None:
            sigma, text = (
                step_noise(evidence.converted[evidence.valid]),
                f"{int(evidence.valid.sum())} readings of “{evidence.name}”",
            )
        if sigma is None:
            sigma, text = usual_noise_mm(values), "what is usual: no recording is looked at"
        filtered = filter_choice.chosen(values)
        if filtered is None:
            return sigma, text, 0.0
        interval = values["ping_interval"].value
        return sigma * filtered.noise_ratio, f"{text}, filtered", filtered.lag_samples * interval


def _grips(stop: StopDistance, values: Values) -> tuple[Grip, ...]:
    """The gap and the reaction at their far ends, and the speed as an arrow from the bumper on: as far as the
    cart goes in ARROW_S."""
    parts, speed = stop.parts_mm, values["drive_speed"].value
    grips = [
        Grip("drive_speed", parts["blind"], 1.0 / (1000.0 * ARROW_S), 0.01),
        Grip("gap", parts["blind"], 1.0, 1.0),
    ]
    if speed > 0:
        waits = parts["reaction"] - 1000.0 * speed * values["reaction"].value  # for readings and the filter
        begins = parts["blind"] + parts["gap"] + parts["braking"] + waits
        grips.append(Grip("reaction", begins, 1.0 / (1000.0 * speed), 0.005))
    return tuple(grips)


def _nearest(values: Values) -> float:
    """Nearer than this the reading means nothing, mm."""
    return values["nearest"].value if "nearest" in values else 0.0


def usual_noise_mm(values: Values) -> float:
    """σ of a reading by the constants alone, mm: the jitter of an echo, or the noise of a ranger that tells
    mm."""
    if "jitter" in values and "sound" in values:
        return values["jitter"].value * values["sound"].value / 2000.0
    if "noise" in values and values["noise"].unit == "mm":
        return values["noise"].value
    return 5.0


def _heading(stop: StopDistance, trip: float | None, reach: float, speed: float) -> str:
    if stop.trip_mm > reach:
        return f"At {speed:g} m/s the cart cannot stop within the ranger's reach"
    if trip is None:
        return f"At {speed:g} m/s the cart must begin to stop at {fixed(stop.trip_mm)} mm"
    spare = trip - stop.trip_mm
    if spare < -0.5:
        return f"Tripping at {fixed(trip)} mm is {fixed(-spare)} mm too late at {speed:g} m/s"
    return (
        f"Tripping at {fixed(trip)} mm stops the cart {fixed(stop.parts_mm['gap'] + spare)} "
        "mm before it would touch"
    )


def _sentences(stop: StopDistance, values: Values, reach: float) -> list[str]:
    sentences = []
    late = [mm for mm in COMMON_MM if mm < stop.trip_mm]
    if late:
        sentences.append(f"The usual {_list(late)} would be too late at this speed.")
    if "cone" in values:
        wide = ranging.footprint_mm(stop.trip_mm, values["cone"].value)
        sentences.append(
            f"At the trip distance the beam is {fixed(wide)} mm wide; a post beside it is not seen."
        )
    near = _nearest(values)
    blind = near - values["set_back"].value
    if blind > 0:
        sentences.append(
            f"Nearer than {fixed(near)} mm the reading means nothing: the last {fixed(blind)} mm before the "
            "bumper are blind. Set it further back."
        )
    floor = values.get("floor_from")
    if floor is not None and floor.value < stop.clear_mm:
        sentences.append(
            f"The beam meets the floor from {fixed(floor.value)} mm on: mount it higher, or "
            "the floor may trip it."
        )
    if "bar_far" in values:
        edges = bar_edges_mm(values)
        sentences.append(
            f"An LED bar of {len(edges)} steps changes every {fixed(edges[0] - edges[1])} mm, "
            f"from {fixed(edges[0])} mm on."
        )
    if stop.trip_mm <= reach < stop.clear_mm:
        sentences.append("The clear distance is beyond its reach: once tripped it would never clear.")
    return sentences


def _list(values: Sequence[float]) -> str:
    sentences = [f"{value / 10:g} cm" for value in values]
    return sentences[0] if len(sentences) == 1 else ", ".join(sentences[:-1]) + " or " + sentences[-1]


def _odds(evidence: Evidence, values: Values, guard: votes.Guard, sigma: float) -> Table:
    filtered = filter_choice.chosen(values)
    readings = evidence.converted if filtered is None else filtered.over(evidence)
    there = votes.smoothed_truth(evidence.converted, evidence.valid)
    interval = evidence.interval_s or values["ping_interval"].value
    odds = votes.odds_on(
        evidence.times_s,
        readings,
        evidence.valid,
        guard,
        max(sigma, 1e-6),
        interval,
        there,
        0 if filtered is None else round(filtered.lag_samples),
    )
    approaches = values["approaches"].value
    counted = odds.counted
    bound = f": fewer than {rate(ENOUGH_FOR_A_RATE / counted.hours)} an hour" if counted.hours else ""
    return Table(
        f"{guard.needed} of {guard.of} votes" + ("" if filtered is None else f" after {filtered.label}"),
        ("", "estimated, an hour", f"counted in {fixed(counted.hours * 60, 1)} min of “{evidence.name}”"),
        (
            (
                "false trips",
                rate(odds.false_per_hour),
                f"{counted.false} of {counted.trips} trips" + ("" if counted.false else bound),
            ),
            (
                "late trips",
                f"{rate(approaches * odds.late_share)} at {approaches:g} approaches",
                f"{counted.late} of {counted.approaches} approaches",
            ),
        ),
    )


def _changes(values: Values, sigma: float, lag_s: float, trip: float) -> Table:
    """What another speed would need."""
    rows = []
    for factor in SPEEDS:
        speed = values["drive_speed"].value * factor
        stop = needed_stop(values, sigma, lag_s, speed)
        spare = trip - stop.trip_mm
        rows.append(
            (
                f"{significant(speed, 2)} m/s",
                f"{fixed(stop.trip_mm)} mm",
                f"{fixed(spare)} mm more than needed" if spare >= 0 else f"{fixed(-spare)} mm too late",
            )
        )
    return Table("At another speed", ("speed", "needed", "this trip"), tuple(rows))


def _airs(trip: float, values: Values, has_thermometer: bool) -> Table:
    """Where a trip chosen for today's air would really be in other air, if the air is not measured then."""
    humidity, now = values["humidity"].value, values["air"].value
    here = float(sound.speed_of_sound_cramer(now, humidity))
    rows = []
    for air in AIRS_C:
        really = trip * float(sound.speed_of_sound_cramer(air, humidity)) / here
        rows.append(
            (
                f"{fixed(air)} °C",
                f"{fixed(really)} mm",
                f"{fixed(abs(really - trip), 1)} mm {'nearer' if really < trip else 'farther'}",
            )
        )
    measured = has_thermometer or values["air"].provenance is Provenance.MEASURED
    title = "In other air, if it were not measured" if measured else "In other air: nobody measures it"
    return Table(title, ("air", "it trips at", "than it says"), tuple(rows))


def _words(trip: float, clear: float) -> Table:
    return Table(
        "What it says",
        ("reading", "words", "drive"),
        (
            (f"up to {fixed(trip)} mm", "too close", "stop"),
            (f"{fixed(trip)} to {fixed(clear)} mm", "as before", "as before"),
            (f"from {fixed(clear)} mm", "safe", "go on"),
            ("no echo, or out of reach", "no reading: not safe", "as before, then stop"),
        ),
    )


DECISIONS = (Obstacle(),)
