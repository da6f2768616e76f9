"""Power: the right rail, a shared ground, budgets of supplies and of the board's pins, lamps, what feeds
back."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator
from dataclasses import replace

from tickstone.core.rigs.catalogue import part_of, pin_of
from tickstone.core.rigs.part import Draw, PinSpec, Role
from tickstone.core.rigs.rig import GROUND, Rig, Supply, Wire
from tickstone.core.wiring.assign import lamp_resistor
from tickstone.core.wiring.findings import NEAR, Assurance, Fix, Result, WiringFinding, plain_ohms, rewire
from tickstone.core.wiring.places import end_of, grounds, own_supplies, power_pins, supplies_for, volts_at
from tickstone.core.wording import significant

LITTLE_MA = 25.0  # what wants its own supply but draws no more than this may hang on the board all the same
BOARD = "the board"  # all its rails together


def check_supply(rig: Rig, wire: Wire, spec: PinSpec) -> Iterator[Result]:
    """Whether a supply pin is on a rail or supply that suits it."""
    draw, name, end = spec.draw, rig.part(wire.sensor).name, end_of(rig, wire)
    if draw is None:
        return
    able = own_supplies(rig, spec) if draw.own else supplies_for(rig, spec)
    fix = (
        rewire(
            rig,
            f"Move wire to {able[0]}",
            f"Take the {wire.pin} of {name} to {able[0]}.",
            replace(wire, to=able[0]),
        )
        if able
        else None
    )
    fix = fix or (_new_supply(rig, wire, draw) if draw.own else None)
    volts = volts_at(rig, end)
    span = f"{draw.low_v:g} to {draw.high_v:g} V"
    if volts is None or volts[0] <= 0:
        lack = "" if able else f", and this rig has none of {span}: add a supply"
        yield WiringFinding(
            "supply",
            "fault",
            wire.sensor,
            wire.pin,
            f"The {wire.pin} of {name} is on no supply{lack}.",
            "no supply",
            {},
            fix,
        )
    elif volts[0] < draw.low_v - NEAR or volts[1] > draw.high_v + NEAR:
        gives = f"{volts[0]:g} V" if volts[0] == volts[1] else f"{volts[0]:g} V, {volts[1]:g} V when full"
        yield WiringFinding(
            "supply",
            "fault",
            wire.sensor,
            wire.pin,
            f"{name} wants {span} at its {wire.pin}, but {end} gives {gives}.",
            f"{volts[1]:g} V, wants {span}",
            {"supply_v": volts[0], "highest_v": volts[1], "low_v": draw.low_v, "high_v": draw.high_v},
            fix,
        )
    elif draw.own and rig.board.rail(end) is not None and draw.ma > LITTLE_MA:
        yield WiringFinding(
            "fed-from-board",
            "fault",
            wire.sensor,
            wire.pin,
            f"{name} draws up to {draw.ma:g} mA from the board's {end}: its regulator cannot give that, and "
            "the dips reset the board. Feed it from a supply of its own, grounds joined.",
            f"{draw.ma:g} mA from the board",
            {"drawn_ma": draw.ma},
            fix,
        )
    else:
        yield Assurance("supply", wire.sensor, f"{wire.pin} {volts[0]:.1f} V, {draw.ma:g} mA")


def _new_supply(rig: Rig, wire: Wire, draw: Draw) -> Fix | None:
    name = f"{rig.part(wire.sensor).name} supply"
    if rig.supply(name) is not None:
        return None
    fresh = replace(
        rig, supplies=(*rig.supplies, Supply(name, draw.usual_v, draw.full_v, max(1.5 * draw.ma, 100.0)))
    )
    return rewire(
        fresh,
        "Add a supply",
        f"Add a {draw.usual_v:g} V supply for {rig.part(wire.sensor).name}, minus to ground.",
        replace(wire, to=name),
    )


def check_ground(rig: Rig, wire: Wire) -> Iterator[Result]:
    """Whether a ground pin ends on the board's ground."""
    name, ground = rig.part(wire.sensor).name, next(iter(sorted(grounds(rig))), GROUND)
    if end_of(rig, wire) in grounds(rig):
        yield Assurance("common-ground", wire.sensor, "ground shared with the board")
        return
    yield WiringFinding(
        "common-ground",
        "fault",
        wire.sensor,
        wire.pin,
        f"The {wire.pin} of {name} is not on the board's ground: no reading can be trusted.",
        "ground not shared",
        {},
        rewire(
            rig,
            "Join the grounds",
            f"Take the {wire.pin} of {name} to the {ground} rail.",
            replace(wire, to=ground),
        ),
    )


def check_supply_grounds(rig: Rig) -> Iterator[Result]:
    """Every supply beside the board must have its minus on the board's ground."""
    for supply in rig.supplies:
        if supply.grounded:
            continue
        user = next((w for w, _ in power_pins(rig, Role.SUPPLY) if end_of(rig, w) == supply.name), None)
        joined = replace(
            rig, supplies=tuple(replace(s, grounded=True) if s is supply else s for s in rig.supplies)
        )
        yield WiringFinding(
            "common-ground",
            "fault",
            user.sensor if user else "",
            user.pin if user else "",
            f"The minus of {supply.name} is not joined to the board's ground: signals have no common level.",
            f"{supply.name}: ground not shared",
            {},
            Fix("Join the grounds", f"Join the minus of {supply.name} to the board's ground.", joined),
        )


def drawn_from(rig: Rig) -> dict[str, float]:
    """What every rail and supply has to give in all, mA, by name: parts on it, and lamps and sounders through
    the pins (those from the board's logic rail)."""
    results: dict[str, float] = defaultdict(float)
    for wire, spec in power_pins(rig, Role.SUPPLY):
        if spec.draw is not None and end_of(rig, wire):
            results[end_of(rig, wire)] += spec.draw.ma
    through = sum(ma for _, _, ma in pin_loads(rig))
    if through:
        logic = next((r.name for r in rig.board.rails if r.volts == rig.board.logic_v), "")
        results[logic] += through
    return dict(results)


def check_budgets(rig: Rig) -> Iterator[Result]:
    """What the parts draw against what each rail and supply gives; all the board's rails together against the
    board."""
    drawn = drawn_from(rig)
    board_total = sum(ma for name, ma in drawn.items() if rig.board.rail(name) is not None)
    limits = [(BOARD, board_total, rig.board.supply_ma)]
    limits += [(r.name, drawn.get(r.name, 0.0), r.ma) for r in rig.board.rails if r.ma is not None]
    limits += [(s.name, drawn.get(s.name, 0.0), s.ma) for s in rig.supplies]
    for name, ma, allowed in limits:
        users = [
            w
            for w, _ in power_pins(rig, Role.SUPPLY)
            if end_of(rig, w) == name or (name == BOARD and rig.board.rail(end_of(rig, w)))
        ]
        if ma > allowed + NEAR:
            greedy = max(users, key=lambda w: d.ma if (d := pin_of(rig, w).draw) else 0.0, default=None)
            yield WiringFinding(
                "supply-budget",
                "fault",
                greedy.sensor if greedy else "",
                greedy.pin if greedy else "",
                f"All parts together draw {ma:.0f} mA from {name}; it can give {allowed:g} mA. The most is "
                f"drawn by {rig.part(greedy.sensor).name if greedy else 'the pins'}.",
                f"{ma:.0f} of {allowed:g} mA",
                {"drawn_ma": ma, "allowed_ma": allowed},
            )
        elif name == BOARD:
            for part in rig.fitted:
                yield Assurance("supply-budget", part.id, f"{significant(ma, 4)} of {allowed:g} mA in all")


def pin_loads(rig: Rig) -> list[tuple[Wire, PinSpec, float]]:
    """What the board's own pins have to give, mA: through a lamp's resistor, or to a sounder."""
    results = []
    for output in rig.outputs:
        for spec in part_of(output).pins:
            wire = next((w for w in rig.wires_of(output.id) if w.pin == spec.name), None)
            if wire is None:
                continue
            if spec.lamp is not None and wire.series is not None:
                over = max(rig.board.logic_v - spec.lamp.forward_v, 0.0)
                results.append((wire, spec, 1000.0 * over / wire.series.ohms))
            elif spec.ma:
                results.append((wire, spec, spec.ma))
    return results


def check_pins(rig: Rig) -> Iterator[Result]:
    """Currents of the board's pins, one by one and all together; lamps without a resistor."""
    for wire, spec in ((w, pin_of(rig, w)) for w in rig.wires):
        if spec.lamp is None or wire.series is not None:
            continue
        part, name = lamp_resistor(rig, spec), rig.part(wire.sensor).name
        if part is None:
            yield WiringFinding(
                "level-too-low",
                "fault",
                wire.sensor,
                wire.pin,
                f"{name} {wire.pin} needs {spec.lamp.forward_v:g} V to light; this board's pins give "
                f"{rig.board.logic_v:g} V.",
                f"needs {spec.lamp.forward_v:g} V",
                {"forward_v": spec.lamp.forward_v, "gives_v": rig.board.logic_v},
            )
            continue
        yield WiringFinding(
            "lamp-current",
            "fault",
            wire.sensor,
            wire.pin,
            f"{name} {wire.pin} has no resistor: nothing limits the current through the lamp and the pin.",
            "no resistor",
            {"forward_v": spec.lamp.forward_v},
            rewire(
                rig,
                f"Put {plain_ohms(part.ohms)} in",
                f"Put {plain_ohms(part.ohms)} in the {wire.pin} wire.",
                replace(wire, series=part),
            ),
        )
    loads = pin_loads(rig)
    for wire, spec, ma in loads:
        name = rig.part(wire.sensor).name
        if ma > rig.board.pin_ma + NEAR:
            part = lamp_resistor(rig, spec)
            fix = (
                rewire(
                    rig,
                    f"Put {plain_ohms(part.ohms)} in",
                    f"Put {plain_ohms(part.ohms)} in the {wire.pin} wire.",
                    replace(wire, series=part),
                )
                if part
                else None
            )
            yield WiringFinding(
                "pin-current",
                "fault",
                wire.sensor,
                wire.pin,
                f"{name} {wire.pin} takes {ma:.0f} mA from {wire.to or 'its pin'}; a pin of this board gives "
                f"{rig.board.pin_ma:g} mA.",
                f"{ma:.0f} of {rig.board.pin_ma:g} mA",
                {"ma": ma, "pin_ma": rig.board.pin_ma},
                fix,
            )
        else:
            yield Assurance("pin-current", wire.sensor, f"{wire.pin} {ma:.1f} of {rig.board.pin_ma:g} mA")
    total = sum(ma for _, _, ma in loads)
    if total > rig.board.pins_ma + NEAR:
        worst = max(loads, key=lambda load: load[2])[0]
        yield WiringFinding(
            "pins-current",
            "fault",
            worst.sensor,
            worst.pin,
            f"All lamps and sounders together take {total:.0f} mA from the board's pins; together they give "
            f"{rig.board.pins_ma:g} mA. Take larger resistors, or a driver.",
            f"{total:.0f} of {rig.board.pins_ma:g} mA",
            {"ma": total, "pins_ma": rig.board.pins_ma},
        )


def check_back_feed(rig: Rig) -> Iterator[Result]:
    """A part on a supply that stays on while the board is off pushes current into its unpowered pins."""
    if not rig.supplies or rig.board_from != "USB":
        return
    for sensor in rig.sensors:
        part = part_of(sensor)
        supply = part.supply
        wire = next((w for w in rig.wires_of(sensor.id) if supply and w.pin == supply.name), None)
        if wire is None or rig.supply(end_of(rig, wire)) is None:
            continue
        for signal in (w for w in rig.wires_of(sensor.id) if not pin_of(rig, w).power and w.to):
            yield WiringFinding(
                "back-feed",
                "hint",
                sensor.id,
                signal.pin,
                f"{sensor.name} stays on {end_of(rig, wire)} when the board is unplugged, and pushes current "
                f"into its unpowered {signal.to}: power the board first, or from the same supply.",
                "feeds an unpowered board",
            )
