"""What to do about a reading that is missing: hold the last, skip it, or stop; and after which time to stop
in any case. A dropout is never "clear"."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from tickstone.core.constants import Values
from tickstone.core.decisions.decision import (
    Alternative,
    Choice,
    Decided,
    Decision,
    Evidence,
    Question,
    standing,
)
from tickstone.core.figures import Plot, PlotLine, Table
from tickstone.core.wording import fixed

Array = npt.NDArray[np.float64]
Bools = npt.NDArray[np.bool_]

POLICIES = ("hold the last, then stop", "skip it, then stop", "stop at once")
HOLD, SKIP, AT_ONCE = range(3)
STOP_AFTER_S = 0.3  # stated time after which a run of dropouts stops the vehicle
ROUNDING_S = 1e-9  # by which two times may differ and be the same
SHORTER = 2.0  # times the longest single run that a healthy recording has
DRAWN_S = 6.0


def runs_of(times_s: Array, valid: Bools) -> list[tuple[float, float]]:
    """The runs of missing readings, (from, to), s: from the last good reading to the next good one (or the
    end).

    >>> runs_of(np.array([0.0, 1.0, 2.0, 3.0]), np.array([True, False, False, True]))
    [(0.0, 3.0)]
    """
    edges = np.diff(np.concatenate([[True], valid, [True]]).astype(np.int8))
    starts, ends = np.flatnonzero(edges == -1), np.flatnonzero(edges == 1)
    ends = np.minimum(ends, times_s.size - 1)
    return list(zip(times_s[np.maximum(starts - 1, 0)].tolist(), times_s[ends].tolist(), strict=True))


def stopping(runs: list[tuple[float, float]], policy: int, after_s: float) -> list[tuple[float, float]]:
    """Those of the runs, (from, to), s, at which the vehicle is told to stop: ``output`` stops at the
    same."""
    return [run for run in runs if policy == AT_ONCE or run[1] - run[0] > after_s + ROUNDING_S]


def output(times_s: Array, values: Array, valid: Bools, policy: int, after_s: float) -> tuple[Array, Bools]:
    """What goes on to the decision at each row, and where the vehicle is told to stop, shapes (n,).

    Held values stand in for missing ones until ``after_s`` from the last good reading; skipped ones are NaN,
    so that no filter sees them. From then on, or at once, it is to stop.
    """
    rows = np.arange(values.size)
    good: npt.NDArray[np.int64] = np.where(valid, rows, -1)
    last: npt.NDArray[np.int64] = np.maximum.accumulate(good)
    age = np.where(last >= 0, times_s - times_s[last.clip(0)], np.inf)
    stop = ~valid & ((age > after_s + ROUNDING_S) | (policy == AT_ONCE))
    held = np.where(last >= 0, values[last.clip(0)], np.nan)
    missing = ~valid
    out = np.where(missing, held if policy == HOLD else np.nan, values)
    return np.where(stop, np.nan, out), stop


class DropoutPolicy(Decision):
    """Hold, skip, or fail safe."""

    id = "dropouts"
    title = "Missing readings"
    begin = "choose what a missing reading does."

    def sets(self, values: Values) -> tuple[str, ...]:
        return ("dropout_policy", "dropout_after")

    def work(self, question: Question, values: Values) -> Decided:
        evidence = question.evidence[0] if question.evidence else None
        runs = [] if evidence is None else runs_of(evidence.times_s, evidence.valid)
        speed = values["drive_speed"].value if "drive_speed" in values else 0.0
        policy = int(standing("dropout_policy", question, values, float(HOLD)))
        after = standing("dropout_after", question, values, STOP_AFTER_S)
        stops = stopping(runs, policy, after)
        of = f" of “{evidence.name}”" if evidence is not None else ""
        count = f"{len(stops)} time{'' if len(stops) == 1 else 's'}"
        heading = (
            "A missing reading is never “clear”: hold the last, then stop"
            if evidence is None
            else f"Nothing is missing{of}"
            if not runs
            else f"It would not have stopped: no run of missing readings lasts {after:g} s"
            if not stops
            else f"It would have stopped {count} in {fixed(evidence.hours * 60, 1)} min"
        )
        notes = [
            f"{POLICIES[policy][0].upper()}{POLICIES[policy][1:]}; a dropout is never “clear” and never a "
            "number for a filter."
        ]
        if speed:
            notes.append(f"At {speed:g} m/s it goes {fixed(1000 * speed * after)} mm blind before it stops.")
        if runs:
            longest = max(to - since for since, to in runs)
            notes.append(
                f"{len(runs)} run{'s' if len(runs) > 1 else ''} of missing readings; the longest lasts "
                f"{fixed(1000 * longest)} ms."
            )
        if len(runs) > 1 and evidence is not None and len(stops) > 2:
            notes.append(
                "A run of dropouts while moving is itself a finding: a slanted or soft "
                "wall just before impact."
            )
        return Decided(
            heading,
            "choose it.",
            (
                Choice(
                    "dropout_policy",
                    float(policy),
                    float(HOLD),
                    "the last output is held only until then",
                    options=POLICIES,
                ),
                Choice(
                    "dropout_after",
                    after,
                    STOP_AFTER_S,
                    "a stated time; common practice",
                    (Alternative("usual", STOP_AFTER_S, "assumed"),),
                    step=0.05,
                ),
            ),
            notes=tuple(notes),
            plots=()
            if evidence is None or not evidence.times_s.size
            else (_plot(evidence, runs, policy, after),),
            tables=() if evidence is None or not runs else (_table(evidence, runs, after),),
            used=() if evidence is None else (evidence.id,),
        )


def _table(evidence: Evidence, runs: list[tuple[float, float]], after: float) -> Table:
    rows = []
    for place, name in enumerate(POLICIES):
        stops = stopping(runs, place, after)
        out, stop = output(evidence.times_s, evidence.converted, evidence.valid, place, after)
        held = int((~evidence.valid & np.isfinite(out)).sum())
        rows.append((name, str(len(stops)), str(held), str(int(stop.sum()))))
    return Table(
        "Each rule on this recording", ("rule", "stops", "readings held", "readings stopped at"), tuple(rows)
    )


def _plot(evidence: Evidence, runs: list[tuple[float, float]], policy: int, after: float) -> Plot:
    """The stretch about the longest run: readings, and what goes on to the decision."""
    middle = (
        max(runs, key=lambda item: item[1] - item[0]) if runs else (evidence.times_s[0], evidence.times_s[0])
    )
    centre = (middle[0] + middle[1]) / 2
    first, last = np.searchsorted(evidence.times_s, [centre - DRAWN_S / 2, centre + DRAWN_S / 2])
    part = slice(int(first), int(last))
    out, stop = output(evidence.times_s, evidence.converted, evidence.valid, policy, after)
    times = evidence.times_s[part]

    def line(label: str, values: Array) -> list[PlotLine]:
        """A line with its gaps left open."""
        known = np.isfinite(values)
        cuts = np.flatnonzero(np.diff(known.astype(np.int8))) + 1
        pieces = [
            (t, v)
            for t, v in zip(np.split(times, cuts), np.split(values, cuts), strict=True)
            if np.isfinite(v).all() and v.size
        ]
        return [PlotLine(label, tuple(zip(t.tolist(), v.tolist(), strict=True))) for t, v in pieces]

    floor = float(np.nanmin(evidence.converted[part])) if np.isfinite(evidence.converted[part]).any() else 0.0
    lines = [*line("what goes on", out[part]), *line("stop", np.where(stop[part], floor, np.nan))]
    return Plot(
        "The longest run, and what goes on to the decision", "time", "s", "reading", "", lines=tuple(lines)
    )


DECISIONS = (DropoutPolicy(),)
