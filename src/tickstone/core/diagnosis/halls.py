"""Three motor Halls: a sensor that is inverted gives codes that its scheme does not have; one that never
changes is stuck."""

from __future__ import annotations

import numpy as np

from tickstone.core.diagnosis.finding import Finding, found
from tickstone.core.diagnosis.record import LEVEL, Flags, Stream
from tickstone.core.motor_halls import SEQUENCES

FEWEST_CHANGES = 30
STRANGE = 0.15  # of the codes that are not of the scheme: an inverted one makes a third
RIGHT = 0.02  # of them left when the sensor is turned over
WEIGHTS = (4, 2, 1)


def find_in_halls(stream: Stream) -> list[Finding]:
    """What is wrong with three Hall latches of a motor, by the codes that they give; ``scheme`` of the stream
    is the rig's."""
    levels = stream.of(LEVEL)
    if stream.scheme not in SEQUENCES or len(levels) != 3:
        return []
    present = np.logical_and.reduce([level.present for level in levels])
    highs = np.stack([level.values[present] > 0.5 for level in levels])
    times = stream.times_s[present]
    changes = (highs[:, 1:] != highs[:, :-1]).sum(axis=1) if times.size else np.zeros(3, int)
    if changes.sum() < FEWEST_CHANGES:
        return []
    span = float(times[0]), float(times[-1])
    for place, signal in enumerate(levels):
        if changes[place] == 0 and np.delete(changes, place).min() >= FEWEST_CHANGES / 3:
            others = " and ".join(other.name for other in levels if other is not signal)
            text = (
                f"it stays {'high' if highs[place, 0] else 'low'} while {others} change "
                f"{int(changes.sum())} times."
            )
            return [found("stuck", stream.key, signal.name, LEVEL, span, 0.9, text)]
    strange = _strange(highs, stream.scheme)
    if strange < STRANGE:
        return []
    for place, signal in enumerate(levels):
        turned = highs.copy()
        turned[place] = ~turned[place]
        if _strange(turned, stream.scheme) < RIGHT:
            text = (
                f"{100 * strange:.0f} % of the codes do not occur in the {stream.scheme}° scheme; with "
                f"{signal.name} turned over all do."
            )
            return [
                found(
                    "inverted",
                    stream.key,
                    signal.name,
                    LEVEL,
                    span,
                    0.88,
                    text,
                    "the board is made for the other scheme",
                )
            ]
    return []


def _strange(highs: Flags, scheme: str) -> float:
    """Share of rows whose code the scheme does not have."""
    codes = np.tensordot(WEIGHTS, highs.astype(int), axes=1)
    return float((~np.isin(codes, SEQUENCES[scheme])).mean())
