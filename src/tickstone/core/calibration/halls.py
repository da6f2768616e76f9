"""Three motor Halls: scheme, order and misplacement from a spin; a trial of wire orders; where sensors may
sit."""

from __future__ import annotations

import itertools
import math
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np

from tickstone.core import motor_halls
from tickstone.core.calibration.means import coverage
from tickstone.core.calibration.procedure import (
    Array,
    FittedConstant,
    FormField,
    Holding,
    Outcome,
    Procedure,
    Steps,
    Typed,
    Want,
    Window,
)
from tickstone.core.constants import Values
from tickstone.core.figures import Dot, Plot, Table
from tickstone.core.wording import fixed
from tickstone.errors import BadInput

CAUTIONS = (
    "Current-limited supply, wheel off the ground, lowest throttle; stop at once if it shudders or warms.",
    "Keep fingers, tools and loose wire away from the rotor: its magnets pull.",
)
LEAST_CYCLES = 12
NAMES = ("h1", "h2", "h3")


def sectors_of(window: Window) -> tuple[Array, Array]:
    """Codes (4·H1 + 2·H2 + H3) and the times, s, at which each began; a code that only repeats is left
    out."""
    levels = np.stack([window.channels[name] for name in NAMES])
    known = np.isfinite(levels).all(axis=0)
    codes = (levels[:, known] * np.array([[4], [2], [1]])).sum(axis=0)
    times = window.times_s[known]
    fresh = np.concatenate([[True], codes[1:] != codes[:-1]]) if codes.size else np.zeros(0, bool)
    return codes[fresh], times[fresh]


@dataclass(frozen=True)
class DecodedSpin:
    """A spin decoded: its scheme and direction, how many states belong to none or jump, lines that never
    change, how far each sensor sits from its place with the sds, electrical °, how many states, and which."""

    scheme: str
    direction: str
    invalid: int
    skipped: int
    stuck: list[str]
    places: list[float]
    sds: list[float]
    n: int
    seen: list[str]


class HallSpin(Procedure[DecodedSpin]):
    """Which scheme and order three Halls give, which way it turns, and how far each sits from its place."""

    id = "hall-spin"
    takes = DecodedSpin
    title = "Steady spin"
    prepare = ("Spin it evenly: by its controller, by hand with a flick, or with a drill by the shaft.",)
    cautions = CAUTIONS
    seconds = 3.0

    def wants(self, steps: Steps[DecodedSpin], values: Values) -> tuple[Want, ...]:
        return (Want("spin", "steady spin", "Keep it turning at one speed."),)

    def judge(
        self,
        window: Window,
        want: Want | None,
        truth: Mapping[str, float],
        steps: Steps[DecodedSpin],
        values: Values,
    ) -> Holding:
        codes, times = sectors_of(window)
        if codes.size < 7:
            return Holding(False, "It hardly turns: spin it.")
        rate = (codes.size - 1) / 6.0 / max(float(times[-1] - times[0]), 1e-9)
        shown = f"{60 * rate / values['pole_pairs'].value:.0f} rpm"
        if codes.size < 6 * LEAST_CYCLES:
            return Holding(False, f"{codes.size // 6} of {LEAST_CYCLES} electrical turns.", figure=shown)
        cycles = times[::6]
        half = cycles.size // 2
        change = abs(float(np.diff(cycles[half:]).mean() / np.diff(cycles[: half + 1]).mean()) - 1)
        if change > 0.08:
            return Holding(
                False, f"Its speed changed by {100 * change:.0f} % just now: keep it steady.", figure=shown
            )
        return Holding(True, "", held_s=window.span_s, figure=shown)

    def take(self, window: Window, key: str, values: Values) -> DecodedSpin:
        codes, times = sectors_of(window)
        if codes.size < 6 * 4:
            raise BadInput("A spin needs at least four electrical turns.", "channel")
        scheme = max(("120", "60"), key=lambda item: int(np.isin(codes, motor_halls.SEQUENCES[item]).sum()))
        decoded = motor_halls.decode(codes, scheme)
        stuck = [name for i, name in enumerate(NAMES) if np.ptp((codes.astype(int) >> (2 - i)) & 1) == 0]
        places, sds = _places(codes, times, scheme, decoded.direction == "reverse")
        return DecodedSpin(
            scheme,
            decoded.direction,
            decoded.invalid_codes,
            decoded.skipped,
            stuck,
            places,
            sds,
            int(codes.size),
            sorted({f"{int(code):03b}" for code in codes}),
        )

    def of_mark(self, label: str, truth: Mapping[str, Any] | None) -> tuple[str, dict[str, float]] | None:
        return ("spin", {}) if label.strip().lower() in ("spin", "steady spin") else None

    def fit(self, steps: Steps[DecodedSpin], values: Values) -> Outcome:
        if not steps:
            return Outcome(
                "Scheme and order are taken as usual",
                "A few seconds of steady spin will do.",
                "Hold one spin.",
            )
        spin = steps[0].taken
        if spin.stuck:
            name = spin.stuck[0].upper()
            why = f"{name} never changes: its wire, its supply, or it sits where no magnet passes."
            return Outcome(f"{name} is dead", why, why)
        total = spin.n
        if spin.invalid > 0.05 * total or spin.skipped > 0.05 * total:
            why = (
                f"{spin.invalid} of {total} states belong to no scheme and "
                f"{spin.skipped} jump: a wire is loose, a sensor is inverted, or it "
                "spins too fast for the program. Mend it and spin again."
            )
            return Outcome("The states do not follow each other", why, why)
        scheme, forward = spin.scheme, spin.direction == "forward"
        order = motor_halls.SEQUENCES[scheme]
        sentences = [f"{code:03b}" for code in (order if forward else tuple(reversed(order)))]
        places, sds = spin.places, spin.sds
        worst = int(np.argmax(np.abs(places)))
        pairs = values["pole_pairs"].value
        constants = (
            FittedConstant("scheme", float(scheme), None),
            *(
                FittedConstant(f"place_h{i + 1}", place, sd)
                for i, (place, sd) in enumerate(zip(places, sds, strict=True))
            ),
        )
        notes = []
        if not forward:
            notes.append(
                "That is backwards by the usual order: turned the other way, or two outputs are changed over."
            )
        if int(scheme) != int(values["scheme"].value):
            notes.append(f"The rig says {values['scheme'].value:.0f}°: this spin says {scheme}°.")
        dots = tuple(
            Dot(i + 1, place, 2 * sd, label=f"H{i + 1}")
            for i, (place, sd) in enumerate(zip(places, sds, strict=True))
        )
        rows = tuple(
            (
                f"H{i + 1}",
                f"{fixed(place, 1)} ± {2 * sd:.1f}° electrical",
                f"{fixed(place / pairs, 2)}° on the can",
            )
            for i, (place, sd) in enumerate(zip(places, sds, strict=True))
        )
        far = abs(places[worst])
        return Outcome(
            f"{scheme}° scheme, {spin.direction}: {' '.join(sentences)}",
            f"{'Good' if far < 5 else 'Fair' if far < 10 else 'Rough'}: H{worst + 1} sits farthest off, by "
            f"{fixed(places[worst], 1)}° electrical, {fixed(places[worst] / pairs, 2)}° on the can.",
            constants=constants,
            notes=tuple(notes),
            plots=(
                Plot(
                    "How far each sits from its place", "sensor", "", "electrical angle", "°", dots, zero=True
                ),
            ),
            tables=(Table("Places", ("sensor", "off by", "which is"), rows),),
        )


def _places(codes: Array, times: Array, scheme: str, reverse: bool) -> tuple[list[float], list[float]]:
    """How far each sensor sits from its place, electrical degrees, the mean of all three being none, with
    sds.

    The share of each sector in whole cycles gives where each of its six edges falls; an edge belongs to the
    sensor that changes there, and both edges of a sensor are its place (a latch that switches unevenly moves
    them apart, not both).
    """
    forward = motor_halls.SEQUENCES[scheme]
    order = tuple(reversed(forward)) if reverse else tuple(forward)
    starts = np.flatnonzero(codes == order[0])
    whole = [place for place in starts if place + 6 < codes.size and tuple(codes[place : place + 6]) == order]
    if len(whole) < 3:
        return [0.0, 0.0, 0.0], [math.inf, math.inf, math.inf]
    edges = np.array([times[place : place + 7] for place in whole])
    angles = 360.0 * (edges[:, :6] - edges[:, :1]) / (edges[:, 6:] - edges[:, :1])
    off = angles - 60.0 * np.arange(6)
    changes = [int(order[i - 1]) ^ int(order[i]) for i in range(6)]
    by_sensor = np.stack(
        [off[:, [i for i in range(6) if changes[i] == bit]].mean(axis=1) for bit in (4, 2, 1)], axis=1
    )
    by_sensor -= by_sensor.mean(axis=1, keepdims=True)
    if reverse:
        by_sensor = -by_sensor
    freedom = len(whole) - 1
    sd = by_sensor.std(axis=0, ddof=1) / math.sqrt(len(whole)) * coverage(freedom)
    return by_sensor.mean(axis=0).tolist(), np.maximum(sd, 0.02).tolist()


PHASES = tuple("".join(order) for order in itertools.permutations("ABC"))
OUTCOMES = (
    "runs forward, smoothly",
    "runs backward, smoothly",
    "stalls or only twitches",
    "shudders, draws high current",
    "runs, but roughly",
)
FORWARD, BACKWARD = 0.0, 1.0


class WireOrders(Typed):
    """Which phase wires belong to which outputs: with the Halls as they are, one of six orders runs forward,
    one backward."""

    id = "wire-order"
    title = "Wire orders"
    prepare = (
        "Leave the three Hall wires as they are; change only the three phase wires.",
        "Supply limited to an ampere or so, lowest throttle, wheel off the ground. Off before each change.",
        "Of all 36 pairings 6 run properly, 3 each way: with the Halls fixed, one of 6 each way.",
    )
    cautions = CAUTIONS

    def wants(self, steps: Steps[None], values: Values) -> tuple[Want, ...]:
        result = any(step.truth["outcome"] == FORWARD for step in steps)
        field = FormField("outcome", "What it does", "", None, 0, len(OUTCOMES) - 1, OUTCOMES)
        warm = FormField("amps", "Current", "A", None, 0, 100, needed=False)
        do = "Power off; wire the phases so; lowest throttle for a second; note what it does."
        return tuple(
            Want(order, f"phases {order}", do, (field, warm), watched=False, more=result) for order in PHASES
        )

    def fit(self, steps: Steps[None], values: Values) -> Outcome:
        forward = [step.key for step in steps if step.truth["outcome"] == FORWARD]
        backward = [step.key for step in steps if step.truth["outcome"] == BACKWARD]
        tried = f"{len(steps)} of 6 orders tried"
        rows = tuple(
            (
                step.key,
                OUTCOMES[int(step.truth["outcome"])],
                f"{step.truth['amps']:g} A" if "amps" in step.truth else "",
            )
            for step in steps
        )
        table = (Table("What each did", ("phases", "outcome", "current"), rows),) if rows else ()
        for some, way in ((forward, "forward"), (backward, "backward")):
            if len(some) > 1:
                why = (
                    f"{' and '.join(some)} both run {way}: only one of six does. Try them again, at the "
                    "same low throttle."
                )
                return Outcome("Two orders cannot both be right", why, why, repeat=tuple(some), tables=table)
        if forward:
            text = f"; {backward[0]} runs backward" if backward else ""
            quiet = next(
                (step.truth["amps"] for step in steps if step.key == forward[0] and "amps" in step.truth),
                None,
            )
            more = (
                []
                if quiet is None
                else [
                    (
                        f"{step.key} draws {step.truth['amps']:g} A, less than {forward[0]}: look again "
                        "which of them is smooth."
                    )
                    for step in steps
                    if step.key != forward[0] and step.truth.get("amps", math.inf) < 0.8 * quiet
                ]
            )
            return Outcome(
                f"Phases {forward[0]} run forward{text}",
                "Good: mark the wires now. Some controllers learn the order themselves; this one need not.",
                constants=(FittedConstant("phase_order", float(PHASES.index(forward[0]) + 1), None),),
                notes=tuple(more),
                tables=table,
            )
        if len(steps) == len(PHASES):
            why = (
                "None runs forward: a Hall is dead or inverted, or the scheme is the other one. Do the "
                "steady spin first."
            )
            return Outcome("No order runs forward", why, why, tables=table)
        if backward:
            a, b, c = tuple(backward[0])
            hint = (
                f"{backward[0]} runs backward: one that runs forward keeps one wire and changes the other "
                "two, or none of them."
            )
            return Outcome(
                f"{tried}; one runs backward",
                hint,
                "Find the order that runs forward.",
                tables=table,
                notes=(f"Try {a}{c}{b}, {c}{b}{a} and {b}{a}{c} next.",),
            )
        return Outcome(
            tried, "One of six runs forward, one backward.", "Find the order that runs forward.", tables=table
        )


class Spacings(Typed):
    """A planner: where three sensors may sit on a board of one's own."""

    id = "hall-spacing"
    title = "Spacing planner"
    prepare = ("Count the magnets in the can: pole pairs are half of them.",)

    def wants(self, steps: Steps[None], values: Values) -> tuple[Want, ...]:
        fields = (
            FormField("radius_mm", "The sensors’ radius", "mm", 15, 1, 1000),
            FormField("placement_mm", "Placed to within", "mm", 0.2, 0, 20, needed=False),
            FormField("spacing_deg", "A spacing you have in mind", "°", None, 0.1, 180, needed=False),
        )
        return (
            Want("board", "board", "Type the radius at which the sensors will sit.", fields, watched=False),
        )

    def fit(self, steps: Steps[None], values: Values) -> Outcome:
        pairs = int(values["pole_pairs"].value)
        if not steps:
            return Outcome(
                f"Where three sensors may sit, with {pairs} pole pairs", "Type the radius.", PLANNER
            )
        truth = steps[0].truth
        radius = truth["radius_mm"]
        spacings = motor_halls.valid_spacings(pairs, radius)
        compact = next(spacing for spacing in spacings if spacing.scheme == "120")
        per_mm = math.degrees(1.0 / radius) * pairs
        rows = tuple(
            (
                f"{spacing.mechanical_deg:.2f}°",
                f"{spacing.arc_mm:.2f} mm",
                f"{spacing.scheme}°",
                f"{spacing.electrical_deg:.0f}°",
            )
            for spacing in spacings
        )
        notes = [
            f"A millimetre out of place is {per_mm:.1f}° electrical at this radius, "
            "wherever the sensors sit.",
            "Bunched closely, a board whose whole angle is off by a share is off by "
            "little; spread wide, by more.",
        ]
        if "placement_mm" in truth:
            notes.insert(
                1,
                f"Placed to within {truth['placement_mm']:g} mm: up to "
                f"{per_mm * truth['placement_mm']:.1f}° electrical.",
            )
        heading = (
            f"The closest that works is {compact.mechanical_deg:.2f}° apart, "
            f"{compact.arc_mm:.1f} mm along the arc"
        )
        if "spacing_deg" in truth:
            check = motor_halls.check_spacing(pairs, truth["spacing_deg"])
            works = (
                f"works in the {check.scheme}° scheme"
                if check.valid
                else (
                    f"gives {check.electrical_deg:.0f}° electrical, which is neither scheme; the nearest is "
                    f"{check.nearest_valid_deg:.2f}°"
                )
            )
            heading = f"{truth['spacing_deg']:g}° {works}"
        return Outcome(
            heading,
            "60° schemes need a controller set for it, or the middle sensor inverted.",
            PLANNER,
            notes=tuple(notes),
            tables=(Table("Spacings that work", ("apart", "arc", "scheme", "electrical"), rows),),
        )


PLANNER = "A plan measures nothing: there is nothing to accept."
PROCEDURES = (HallSpin(), WireOrders(), Spacings())
