"""Where a rig stands: how much is settled at each station, and what is the next thing worth doing."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from tickstone.core.calibration import catalogue
from tickstone.core.constants import Provenance, Value
from tickstone.core.decisions import catalogue as deciding
from tickstone.core.decisions.decision import chosen_by
from tickstone.core.wiring.findings import WiringFinding

STATIONS = ("wire", "watch", "convert", "calibrate", "decide", "drive", "log")


@dataclass(frozen=True)
class Facts:
    """What is known about a rig just now. ``values`` are the constants of the selected sensor."""

    sensor: str
    values: Mapping[str, Value]
    counted: frozenset[str]
    findings: Sequence[WiringFinding]
    connected: bool
    recording: bool
    recordings: int
    stones: int
    changed_since_stone: int
    procedures: Sequence[str] = ()
    decisions: Sequence[str] = ()
    drafts: Sequence[tuple[str, int]] = ()  # open calibrations: procedure, and how many steps are held
    done: frozenset[str] = frozenset()  # procedures that have been accepted
    unticked: int = 0  # steps of the checklist before first power that are still to do


@dataclass(frozen=True)
class NextStep:
    """The next thing worth doing: ``action`` is a code for the screen, ``label`` its button."""

    station: str
    sentence: str
    action: str
    label: str
    details: Mapping[str, str] = field(default_factory=dict)


@dataclass(frozen=True)
class StationStanding:
    """``settled`` of ``total`` constants are measured or chosen; ``notch`` says what is wrong here (empty =
    nothing)."""

    station: str
    settled: int
    total: int
    notch: str
    next: NextStep


def standing(facts: Facts) -> list[StationStanding]:
    """The standing of every station, in working order."""
    steps = list(_steps(facts))
    result = []
    for station in STATIONS:
        own = [
            value
            for value in facts.values.values()
            if value.station == station and value.name in facts.counted
        ]
        settled = [v for v in own if v.provenance in (Provenance.MEASURED, Provenance.CHOSEN) and not v.stale]
        stale = [v.label for v in own if v.stale]
        notch = f"{', '.join(stale)} no longer holds" if stale else ""
        faults = [f for f in facts.findings if f.severity == "fault"]
        if station == "wire" and faults:
            notch = faults[0].sentence
        here = next((step for step in steps if step.station == station), steps[0])
        blocking = steps[0] if steps[0].action == "fix" else here
        result.append(StationStanding(station, len(settled), len(own), notch, blocking))
    return result


def _steps(facts: Facts) -> list[NextStep]:
    values = facts.values
    steps: list[NextStep] = []
    for finding in sorted(facts.findings, key=lambda finding: finding.fix is None):
        if finding.severity == "fault" and finding.fix:
            where = {"kind": finding.kind, "sensor": finding.sensor, "pin": finding.pin}
            sentence = finding.fix.sentence
            steps.append(
                NextStep("wire", sentence[0].lower() + sentence[1:], "fix", finding.fix.label, where)
            )
        elif finding.severity == "fault":
            steps.append(NextStep("wire", finding.sentence, "none", ""))
    if facts.unticked and not facts.connected:
        left = "the last step" if facts.unticked == 1 else f"{facts.unticked} steps"
        steps.append(
            NextStep("wire", f"before first power, the checklist: {left} to do.", "go-checklist", "Checklist")
        )
    if not facts.connected:
        steps.append(NextStep("watch", "connect the board, or the stand-in.", "connect", "Connect"))
    elif not facts.recordings and not facts.recording:
        steps.append(
            NextStep("watch", "record half a minute, so that the noise is known.", "record", "Record")
        )
    steps += _calibrate(facts)
    steps += _decide(facts)
    humidity = values.get("humidity")
    if humidity is not None and humidity.provenance is Provenance.ASSUMED:
        steps.append(
            NextStep(
                "convert",
                f"type the air's humidity; until then {humidity.value:g} % is assumed.",
                "type-humidity",
                "Type humidity",
            )
        )
    if facts.changed_since_stone:
        number = facts.stones + 1
        changed = f"{facts.changed_since_stone} constant{'s' if facts.changed_since_stone > 1 else ''}"
        verb = "is" if facts.changed_since_stone == 1 else "are"
        since = f"changed since stone {facts.stones}" if facts.stones else f"{verb} settled"
        steps.append(
            NextStep("log", f"cut stone {number}: {changed} {since}.", "cut-stone", f"Cut stone {number}")
        )
    steps.append(
        NextStep("log", "nothing is waiting. Record again when something on the rig changes.", "none", "")
    )
    return steps


def _calibrate(facts: Facts) -> list[NextStep]:
    if not facts.procedures:
        return []
    for name, held in facts.drafts:
        if held:
            title, where = catalogue.procedure(name).title, {"procedure": name}
            count = "one is" if held == 1 else f"{held} are"
            return [
                NextStep("calibrate", f"go on with “{title}”: {count} held.", "go-calibrate", "Go on", where)
            ]
    own = [v for name, v in facts.values.items() if v.station == "calibrate" and name in facts.counted]
    stale = next((v for v in own if v.stale), None)
    if stale is not None:
        return [NextStep("calibrate", f"calibrate again: {stale.stale}.", "go-calibrate", "Calibrate")]
    assumed = [v.label for v in own if v.provenance is Provenance.ASSUMED]
    open_ones = [name for name in facts.procedures if name not in facts.done]
    if assumed and open_ones:
        text = ", ".join(assumed[:3]) + (" and more" if len(assumed) > 3 else "")
        title, where = catalogue.procedure(open_ones[0]).title, {"procedure": open_ones[0]}
        return [
            NextStep(
                "calibrate",
                f"“{title}” comes next; only assumed so far: {text}.",
                "go-calibrate",
                f"Begin {title[0].lower()}{title[1:]}",
                where,
            )
        ]
    return []


def _decide(facts: Facts) -> list[NextStep]:
    """A choice that no longer holds comes first; then the sensor's first decision while it is open."""
    decisions = [deciding.decision(name) for name in facts.decisions]
    for decision in decisions:
        stale = next((value for value in chosen_by(decision, facts.values) if value.stale), None)
        if stale is not None:
            where = {"decision": decision.id}
            sentence = f"choose again, {decision.title.lower()}: {stale.stale}."
            return [NextStep("decide", sentence, "go-decide", "Choose again", where)]
    if decisions and not chosen_by(decisions[0], facts.values):
        return [NextStep("decide", decisions[0].begin, "go-decide", "Choose", {"decision": decisions[0].id})]
    return []
