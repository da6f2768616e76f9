"""When to raise the alarm about tilt: the angle at which it would tip over, less all that makes the angle
late or wrong."""

from __future__ import annotations

from tickstone.core import motion
from tickstone.core.constants import Values
from tickstone.core.decisions.decision import Choice, Decided, Decision, Question, standing
from tickstone.core.figures import Table
from tickstone.core.noise import step_noise
from tickstone.core.wording import fixed

SIGMAS = 3.0
USUAL_NOISE_DEG = 0.5
ROUND_DEG = 0.5
PARTS = ("fusion lag", "noise", "held back")


class Tipping(Decision):
    """The alarm angle of a vehicle that may tip over sideways."""

    id = "tilt"
    title = "Tilt alarm"
    begin = "choose when to raise the alarm about tilt."
    inputs = ("track", "cog_height", "tilt_rate", "fusion_lag", "held_back")
    rests_on = (
        "level_roll",
        "level_pitch",
        "axis_up",
        "axis_forward",
        "offset_x",
        "offset_y",
        "offset_z",
        "zero_x",
        "zero_y",
        "zero_z",
    )
    cautions = ("Try it by hand, with the load that it will carry: a high load tips sooner.",)

    def sets(self, values: Values) -> tuple[str, ...]:
        return ("tilt_alarm",)

    def work(self, question: Question, values: Values) -> Decided:
        tip = motion.tip_over_deg(values["track"].value, values["cog_height"].value)
        noise = (
            step_noise(question.evidence[0].converted[question.evidence[0].valid])
            if question.evidence
            else None
        )
        sigma = USUAL_NOISE_DEG if noise is None else noise
        costs = (
            values["tilt_rate"].value * values["fusion_lag"].value,
            SIGMAS * sigma,
            values["held_back"].value,
        )
        most = tip - sum(costs)
        suggested = max(ROUND_DEG, ROUND_DEG * int(most / ROUND_DEG))
        alarm = standing("tilt_alarm", question, values, suggested)
        left = tip - alarm - costs[0] - costs[1]
        why_not = (
            ""
            if most > 0
            else "Nothing is left: a wider track, a lower load, a quicker filter or a slower turn."
        )
        heading = (
            f"It tips at {fixed(tip, 1)}°, sooner than an alarm could come"
            if most <= 0
            else f"An alarm at {fixed(alarm, 1)}° comes too late: it tips at {fixed(tip, 1)}°"
            if left < 0
            else f"An alarm at {fixed(alarm, 1)}° comes {fixed(left, 1)}° before it tips"
        )
        rows = [
            ("it tips at", f"{fixed(tip, 1)}°", f"{fixed(motion.grade_pct(tip))} %"),
            *(
                (f"less for {name}", f"\u2212{fixed(item, 1)}°", "")
                for name, item in zip(PARTS, costs, strict=True)
            ),
            ("alarm at most", f"{fixed(most, 1)}°", f"{fixed(motion.grade_pct(most))} %" if most > 0 else ""),
        ]
        noted = f"Noise {fixed(sigma, 2)}° (1 σ, three allowed) " + (
            "is only usual: no recording is looked at."
            if noise is None
            else f"of “{question.evidence[0].name}”."
        )
        return Decided(
            heading,
            "choose it, and try it by hand.",
            (
                Choice(
                    "tilt_alarm", alarm, suggested, f"at most {fixed(most, 1)}° by the sum", step=ROUND_DEG
                ),
            ),
            why_not=why_not,
            good=left >= 0 and most > 0,
            notes=(noted, "This is the vehicle standing. A bump, a bend or a swinging load tips it sooner."),
            tables=(Table("From tipping over to the alarm", ("", "angle", "slope"), tuple(rows)),),
            used=tuple(evidence.id for evidence in question.evidence),
        )


DECISIONS = (Tipping(),)
