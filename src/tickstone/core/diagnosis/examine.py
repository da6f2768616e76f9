"""Look at a record for every kind of fault, and leave out what another finding explains."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace

from tickstone.core.diagnosis import amounts, creep, halls, lines, mains, nothing, pose, rows, scales, turning
from tickstone.core.diagnosis.finding import ACCUSES, SUREST, Finding, ramp
from tickstone.core.diagnosis.record import Record

# What a fault makes of the readings may look like another one: (fault, looks like, on the same signal alone).
EXPLAINS = (
    ("garbled", "spikes", False),
    ("garbled", "dropouts", False),
    ("garbled", "jitter", False),
    ("garbled", "missed", False),
    ("reset", "jitter", False),
    ("reset", "dropouts", False),
    ("reset", "missed", False),
    ("reset", "chatter", False),
    ("jitter", "missed", False),
    ("stuck", "drift", True),
    ("stuck", "inverted", False),
    ("stuck", "swapped", False),
    ("clipped", "stuck", True),
    ("clipped", "wrong-scale", False),
    ("clipped", "drift", True),
    ("clipped", "inverted", False),
    ("clipped", "swapped", False),
    ("clipped", "spikes", True),
    ("flicker", "jitter", True),
    ("flicker", "spikes", True),
    ("dropouts", "spikes", True),
    ("dropouts", "clipped", True),
    ("wrong-scale", "drift", False),
    ("inverted", "swapped", False),
    ("swapped", "inverted", False),
    ("drift", "clipped", True),
)
LESS = 0.6  # of its strength is left to what another finding explains
PLAIN, UNPLAIN = 0.5, 0.45  # the least strength that accuses, and what is left at most to what is explained
# How often findings of such strength are right, of recordings with faults of every severity and of others
# that are healthy, or only look as if there was a fault (docs/diagnosis.md shows it for others than those).
OF_STRENGTH = (
    (0.0, 0.0),
    (0.3, 0.2),
    (0.4, 0.35),
    (0.45, 0.65),
    (PLAIN, ACCUSES),
    (0.55, 0.84),
    (0.65, 0.9),
    (0.75, 0.95),
    (0.9, 0.97),
    (SUREST, SUREST),
)


def examine(record: Record) -> list[Finding]:
    """Findings of a record, the surest first; among equals the one that is found first.

    Parameters: record, with one or more streams; 200 000 rows of six signals take well under a second.
    Returns: findings, also those too faint to accuse; a healthy record has none that accuses.
    """
    findings = list(lines.find_lines(record))
    for stream in record.streams:
        for signal in stream.signals:
            if signal.known.size:
                findings += nothing.find_dropouts(stream, signal)
                findings += amounts.find_spikes(stream, signal)
                findings += amounts.find_stuck(record, stream, signal)
                findings += amounts.find_clipped(stream, signal)
                findings += turning.find_pulses(record, stream, signal)
                findings += mains.find_flicker(stream, signal)
                findings += creep.find_drift(record, stream, signal)
                findings += scales.find_scale(record, stream, signal)
        findings += rows.find_in_row(record, stream)
        findings += pose.find_in_pose(stream)
        findings += halls.find_in_halls(stream)
    told = sorted(_together(_weighed(findings)), key=lambda finding: -finding.confidence)
    return [replace(finding, confidence=round(ramp(finding.confidence, *OF_STRENGTH), 3)) for finding in told]


def _together(findings: Iterable[Finding]) -> list[Finding]:
    """One finding for all channels of a stream that have the same fault: the surest, which names the
    others."""
    surest: dict[tuple[str, str], Finding] = {}
    for finding in sorted(findings, key=lambda item: -item.confidence):
        key = finding.kind, finding.stream
        first = surest.get(key)
        if first is None:
            surest[key] = finding
        elif _plain(finding) == _plain(first) and finding.channel != first.channel:
            start, end = min(first.start_s, finding.start_s), max(first.end_s, finding.end_s)
            also = first.also if finding.channel in first.also else (*first.also, finding.channel)
            surest[key] = replace(first, start_s=start, end_s=end, also=also)
    return list(surest.values())


def _weighed(findings: list[Finding]) -> Iterable[Finding]:
    """Findings with less confidence where a surer one, or one that accounts for more, explains them."""
    for finding in findings:
        if any(_explains(other, finding) for other in findings if _plain(other)):
            yield replace(finding, confidence=round(min(LESS * finding.confidence, UNPLAIN), 3))
        else:
            yield finding


def _plain(finding: Finding) -> bool:
    """Whether its strength is enough to accuse."""
    return finding.confidence >= PLAIN


def _explains(cause: Finding, finding: Finding) -> bool:
    if cause is finding or cause.confidence < 0.8 * finding.confidence:
        return False
    for kind, like, same in EXPLAINS:
        if (kind, like) == (cause.kind, finding.kind) and (
            not same or (cause.stream, cause.channel) == (finding.stream, finding.channel)
        ):
            # two that explain each other: the surer one stands
            mutual = (like, kind) in {(a, b) for a, b, _ in EXPLAINS}
            return not mutual or cause.confidence > finding.confidence
    return False
