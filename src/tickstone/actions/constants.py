"""The constants of a rig as they stand: what is stored, dressed by the catalogue, with defaults and derived
ones."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

from sqlalchemy.orm import Session

from tickstone.actions.live.rig import LiveRig
from tickstone.actions.rigs import rig_fields
from tickstone.core.calibration.surroundings import as_it_is_now
from tickstone.core.checks import check_between, check_not_negative
from tickstone.core.constants import ConstantSpec, Provenance, Value
from tickstone.core.rigs.kinds import kind, thermometers
from tickstone.core.rigs.rig import Rig, Sensor
from tickstone.core.rigs.usual import told_by_rig
from tickstone.errors import BadInput, Conflict
from tickstone.store import constants, log, rigs


def live_air(session: Session, stored: rigs.StoredRig, air_c: float, readings: int) -> Value | None:
    """The air as the rig's own sensor reads it just now, as uncertain as that sensor's offset; None where the
    rig has none."""
    own = thermometers(stored.rig)
    if not own:
        return None
    sensor = own[0].id
    sd = settled(session, stored, sensor)["offset"].sd
    return Value(
        "air", "air", "°C", round(air_c, 2), sd, Provenance.MEASURED, f"live, mean of {readings}", "convert"
    )


def settled(
    session: Session, stored: rigs.StoredRig, sensor: str, air: Value | None = None, rig: Rig | None = None
) -> dict[str, Value]:
    """All constants of a sensor by name, in catalogue order; ``air`` stands in for its air constant when it
    has one. ``rig`` is a rig of another day that may have the sensor where the present one has lost it."""
    home = stored.rig if rig is None or stored.rig.find_sensor(sensor) else rig
    fitted = home.sensor(sensor)
    sensor_id = rigs.sensor_ids(session, stored.id)[sensor]
    known = constants.latest(session, {sensor_id: rig_fields(home, sensor)})[sensor_id]
    return _settled(home, fitted, known, air)


def all_settled(session: Session, stored: rigs.StoredRig) -> dict[str, dict[str, Value]]:
    """The constants of every sensor of a rig."""
    ids = rigs.sensor_ids(session, stored.id)
    known = constants.latest(
        session, {ids[sensor.id]: rig_fields(stored.rig, sensor.id) for sensor in stored.rig.sensors}
    )
    return {sensor.id: _settled(stored.rig, sensor, known[ids[sensor.id]]) for sensor in stored.rig.sensors}


def _settled(
    home: Rig, fitted: Sensor, known: Mapping[str, Value], air: Value | None = None
) -> dict[str, Value]:
    what = kind(fitted.kind)
    specs = what.specs
    dressed = {name: constants.dressed(value, specs) for name, value in known.items() if name in specs}
    dressed = told_by_rig(home, fitted, what.constants) | dressed
    if air is not None and "air" in specs:
        dressed["air"] = replace(
            air, shown_at=specs["air"].shown_at, typed=(specs["air"].low, specs["air"].high)
        )
    return what.settled(dressed)


def as_of(
    session: Session, stored: rigs.StoredRig, sensor: str, number: int, rig: Rig | None = None
) -> dict[str, Value]:
    """The constants of a sensor as a stone holds them; what the stone does not know stands as it does today.
    ``rig`` as in ``settled``. Raises NotFound for a stone that the rig has not."""
    values = settled(session, stored, sensor, rig=rig)
    for line in log.stone(session, stored.id, number).lines:
        if line.sensor == sensor and line.name in values:
            values[line.name] = replace(
                values[line.name],
                value=line.value,
                unit=line.unit,
                sd=line.sd,
                provenance=Provenance(line.provenance),
                source=line.source,
                value_id=line.value_id,
            )
    return values


def standing(
    session: Session, slug: str, sensor: str, live: LiveRig
) -> list[tuple[Value, ConstantSpec | None]]:
    """The constants of a sensor as they hold just now, in the air and on the supply that are measured, each
    with what the catalogue says of it (None: nothing)."""
    stored = rigs.rig_named(session, slug)
    air_c = live.intake.air_c if live.connection.open else None
    supply_v = live.intake.supply_v if live.connection.open else None
    air = None if air_c is None else live_air(session, stored, air_c, live.intake.air_readings)
    specs = kind(stored.rig.sensor(sensor).kind).specs
    values = as_it_is_now(settled(session, stored, sensor, air), air_c, supply_v)
    return [(value, specs.get(value.name)) for value in values.values()]


def history(session: Session, slug: str, sensor: str, name: str) -> list[constants.OldValue]:
    """Every value that a constant ever had, newest first. Raises NotFound."""
    stored = rigs.rig_named(session, slug)
    sensor_id = rigs.sensor_ids(session, stored.id)[stored.rig.sensor(sensor).id]
    return constants.history(session, sensor_id, name)


def type_value(
    session: Session,
    slug: str,
    sensor: str,
    name: str,
    value: float,
    sd: float | None,
    note: str = "",
    seen: int | None = None,
) -> None:
    """A person types a constant: a hand reading where it can be measured, a choice otherwise. ``seen`` is the
    id of the value that stood there when it was typed, 0 for none (None: whatever stands).

    Raises BadInput for ``value`` when it lies outside what can be, and for ``name`` when nothing is typed
    there; Conflict when another value stands there by now.
    """
    stored = rigs.rig_named(session, slug)
    spec = spec_of(stored, sensor, name)
    check_between(value, spec.low, spec.high, "value")
    if sd is not None:
        check_not_negative(sd, "sd")
    if seen is not None:
        rigs.hold(session, stored.id)
        now = settled(session, stored, sensor)[name]
        if (now.value_id or 0) != seen:
            raise Conflict(
                f"{spec.label} was set to {now.value:g} {spec.unit} meanwhile".rstrip()
                + f" ({now.source}). Set it again to put yours in its place.",
                "seen",
            )
    measured = spec.typed_as is Provenance.MEASURED
    source = note.strip() or ("read by hand" if measured else "chosen by hand")
    new = constants.NewValue(
        name,
        value,
        spec.unit,
        (sd if sd is not None else spec.sd) if measured else None,
        spec.typed_as,
        source,
        {},
    )
    constants.add(session, stored.id, rigs.sensor_ids(session, stored.id)[sensor], new)
    text = f"{stored.rig.sensor(sensor).name}: {spec.label} set to {value:g} {spec.unit}".rstrip()
    log.write_entry(session, stored.id, "constant", f"{text}, {source}", sensor=sensor, name=name)


def spec_of(stored: rigs.StoredRig, sensor: str, name: str) -> ConstantSpec:
    """The catalogue's record of a constant. Raises BadInput for field ``name``."""
    for spec in kind(stored.rig.sensor(sensor).kind).constants:
        if spec.name == name:
            return spec
    raise BadInput(f"There is no constant {name!r} to set on this sensor.", "name")
