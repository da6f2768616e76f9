"""All wiring checks of a rig: each finding is a sentence with its numbers, on the wire it concerns, with a
fix where there is one."""

from __future__ import annotations

from collections.abc import Iterator, Mapping

from tickstone.core.constants import Values
from tickstone.core.rigs.catalogue import part_of
from tickstone.core.rigs.part import PinSpec, Role
from tickstone.core.rigs.rig import Output, Rig, Wire
from tickstone.core.wiring import analogue, geometry, levels, power, signals
from tickstone.core.wiring.assign import complete
from tickstone.core.wiring.findings import HARMFUL, Assurance, Report, Result, WiringFinding
from tickstone.core.wiring.places import pin_named
from tickstone.errors import BadInput

MOST_MENDS = 60  # a rig has fewer wires than this; a fix that undoes another must not go on for ever


def check(rig: Rig, measured: Mapping[str, Values] | None = None) -> Report:
    """Check a whole rig.

    Parameters: rig; measured, constants of its sensors as they stand, by sensor, where they are at hand
    (without them the usual ones and the rig's own record are taken). Returns: Report, faults first.
    """
    rig, known = complete(rig), measured or {}
    anew = signals.Anew(rig)
    results: list[Result] = [
        *signals.check_doubled(rig),
        *power.check_budgets(rig),
        *power.check_supply_grounds(rig),
        *power.check_pins(rig),
        *signals.check_timers(rig),
        *signals.check_bus(rig),
    ]
    for wire in rig.wires:
        results += _wire(rig, wire, part_of(rig.part(wire.sensor)).pin(wire.pin), anew)
    for part in rig.fitted:
        results += [*analogue.check_load(rig, part.id), *_remarks(rig, part.id)]
    results += [
        *power.check_back_feed(rig),
        *geometry.check_beams(rig, known),
        *geometry.check_line(rig, known),
    ]
    findings = sorted(
        (r for r in results if isinstance(r, WiringFinding)), key=lambda f: f.severity != "fault"
    )
    return Report(tuple(findings), tuple(r for r in results if isinstance(r, Assurance)))


def _wire(rig: Rig, wire: Wire, spec: PinSpec, anew: signals.Anew) -> Iterator[Result]:
    if spec.role is Role.SUPPLY:
        yield from power.check_supply(rig, wire, spec)
        return
    if spec.role is Role.GROUND:
        yield from power.check_ground(rig, wire)
        return
    yield from signals.check_place(rig, wire, spec, anew)
    pin = pin_named(rig, wire.to)
    if pin is None:
        return
    if spec.role is Role.INPUT:
        yield from levels.check_to_part(rig, wire, spec)
    elif spec.role is Role.OUTPUT:
        yield from levels.check_to_board(rig, wire, spec)
        yield from analogue.check_range(rig, wire, spec)
        yield from _jitter(rig, wire, spec)
    elif spec.role is Role.OPEN:
        yield from levels.check_open(rig, wire, spec, pin)
        if not spec.bus:
            yield from signals.check_pull_up(rig, wire, spec)


def _jitter(rig: Rig, wire: Wire, spec: PinSpec) -> Iterator[Result]:
    """A general-purpose computer times an echo badly in a program of its own."""
    if rig.board.jitter_us >= 20 and spec.shortest_us is not None and "capture" in spec.needs:
        off_mm = 0.343 * rig.board.jitter_us / 2
        yield WiringFinding(
            "echo-jitter",
            "hint",
            wire.sensor,
            wire.pin,
            f"A program on this board times an edge about {rig.board.jitter_us:g} µs early or late: "
            f"{off_mm:.0f} mm of distance by echo. The kernel's own time stamps, which the watch program "
            "takes, are better; a small board beside it is best.",
            f"±{off_mm:.0f} mm from timing",
            {"jitter_us": rig.board.jitter_us, "off_mm": off_mm},
        )


def _remarks(rig: Rig, part_id: str) -> Iterator[Result]:
    part = rig.part(part_id)
    for remark in part_of(part).remarks:
        yield WiringFinding("part", "hint", part_id, "", remark, "look at the part")
    if isinstance(part, Output) and part.kind == "motor-driver":
        yield WiringFinding(
            "motor-noise",
            "hint",
            part_id,
            "motor supply",
            "Motors disturb readings: 100 nF across each motor, a bulk capacitor at the driver, grounds "
            "joined at one point, motor leads twisted. Then look whether everything still reads well with "
            "the motors running.",
            "motor noise",
        )


def mend(rig: Rig, kind_id: str, part_id: str, pin: str) -> tuple[Rig, str]:
    """The rig with the fix of one finding applied, and what was done. Raises BadInput when there is no such
    fix."""
    for finding in check(rig).findings:
        if (finding.kind, finding.sensor, finding.pin) == (kind_id, part_id, pin) and finding.fix:
            return finding.fix.rig, finding.fix.sentence
    raise BadInput("There is no such fault on this rig any more.", "kind")


def mended(rig: Rig) -> Rig:
    """The rig with every fault mended that has a fix."""
    for _ in range(MOST_MENDS):
        fix = next((f.fix for f in check(rig).faults if f.fix), None)
        if fix is None:
            break
        rig = fix.rig
    return rig


def verdict(report: Report) -> str:
    """The heading: what would happen if power came on now."""
    burning = [f for f in report.faults if f.kind in HARMFUL]
    if burning:
        return f"{_number(len(burning))} wire{'s' if len(burning) > 1 else ''} would harm the board"
    if report.faults:
        return f"{_number(len(report.faults))} wire{'s' if len(report.faults) > 1 else ''} would not work"
    return "Nothing burns, and every wire can be read"


def _number(count: int) -> str:
    words = ("No", "One", "Two", "Three", "Four", "Five", "Six", "Seven", "Eight", "Nine")
    return words[count] if count < len(words) else str(count)
