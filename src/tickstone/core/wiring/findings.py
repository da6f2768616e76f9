"""What a wiring check says: findings with their fixes, and what was found to be in order."""

from __future__ import annotations

from dataclasses import dataclass, field, replace

from tickstone.core.rigs.rig import Rig, Wire

NEAR = 1e-9
HARMFUL = (
    "level-too-high",
    "supply",
    "supply-budget",
    "lamp-current",
    "pin-current",
    "pins-current",
    "fed-from-board",
    "back-feed",
)


@dataclass(frozen=True)
class Fix:
    """What to change: a label for the button, the sentence, and the rig as it will be."""

    label: str
    sentence: str
    rig: Rig


def rewire(rig: Rig, label: str, sentence: str, wire: Wire) -> Fix:
    """A fix that changes one wire; one that a person's fix has placed stays there."""
    moved = wire.to != rig.wire(wire.sensor, wire.pin).to
    return Fix(label, sentence, rig.with_wire(replace(wire, fixed=wire.fixed or moved)))


@dataclass(frozen=True)
class WiringFinding:
    """``severity`` is fault or hint; ``numbers`` are those of the sentence, with their unit in the name."""

    kind: str
    severity: str
    sensor: str
    pin: str
    sentence: str
    short: str
    numbers: dict[str, float] = field(default_factory=dict)
    fix: Fix | None = None


@dataclass(frozen=True)
class Assurance:
    """A check that holds, in a few words with its numbers."""

    kind: str
    sensor: str
    sentence: str


Result = WiringFinding | Assurance


@dataclass(frozen=True)
class Report:
    """All findings, faults first, and what was found to be in order."""

    findings: tuple[WiringFinding, ...]
    assurances: tuple[Assurance, ...]

    @property
    def faults(self) -> tuple[WiringFinding, ...]:
        """The findings that must be mended before power."""
        return tuple(finding for finding in self.findings if finding.severity == "fault")


def plain_ohms(ohms: float) -> str:
    """A resistance as people write it: 4.7 kΩ."""
    for unit, size in (("MΩ", 1e6), ("kΩ", 1e3)):
        if ohms >= size:
            return f"{ohms / size:g}\u2009{unit}"
    return f"{ohms:g}\u2009Ω"


def plain_farads(farads: float) -> str:
    """A capacitance as people write it: 100 nF."""
    for unit, size in (("µF", 1e-6), ("nF", 1e-9)):
        if farads >= size * 0.999:
            return f"{farads / size:g}\u2009{unit}"
    return f"{farads / 1e-12:g}\u2009pF"
