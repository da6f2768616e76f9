"""What follows from where parts sit: lengths of wires, beams that meet or meet the floor, the line against
the row."""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping
from itertools import combinations

from tickstone.core import ranging
from tickstone.core.constants import Values
from tickstone.core.rigs.kinds import kind
from tickstone.core.rigs.rig import FittedPart, Rig, Sensor, Wire
from tickstone.core.rigs.usual import usual_values
from tickstone.core.wiring.findings import Assurance, Result, WiringFinding

SLACK = 1.3  # wires run along the frame, not straight
END_MM = 60.0  # for both ends
STEP_MM = 10.0
UNPLACED_MM = 200.0
NEAR_FLOOR = 0.9  # of the ranger's reach


def sensor_values(rig: Rig, sensor: Sensor, measured: Mapping[str, Values]) -> Values:
    """Constants of a sensor: what is known of it, else what is usual and what the rig's record tells."""
    return measured.get(sensor.id) or usual_values(kind(sensor.kind), rig, sensor)


def wire_length_mm(rig: Rig, wire: Wire) -> float:
    """A length to cut a wire to, mm: along the frame from the board to the part, with its ends, in steps of
    10 mm."""
    mount = rig.part(wire.sensor).mount
    if mount is None:
        return UNPLACED_MM
    way = abs(mount.x_mm - rig.geometry.board_x_mm) + abs(mount.y_mm - rig.geometry.board_y_mm)
    return STEP_MM * math.ceil((SLACK * way + END_MM) / STEP_MM)


def check_beams(rig: Rig, measured: Mapping[str, Values]) -> Iterator[Result]:
    """Rangers that hear each other, and beams that meet the floor within their reach."""
    rangers = [s for s in rig.sensors if "cone" in {spec.name for spec in kind(s.kind).constants}]
    for sensor in rangers:
        yield from _floor(rig, sensor, measured)
    for sensor, other in combinations(rangers, 2):
        yield from _crosstalk(rig, sensor, other, measured)


def _floor(rig: Rig, sensor: Sensor, measured: Mapping[str, Values]) -> Iterator[Result]:
    values = sensor_values(rig, sensor, measured)
    if sensor.mount is None or sensor.mount.height_mm is None:
        return
    height, cone, reach = values["height"].value, values["cone"].value, values["farthest"].value
    meets = ranging.floor_from_mm(height, cone)
    if meets < NEAR_FLOOR * reach:
        yield WiringFinding(
            "floor-strike",
            "hint",
            sensor.id,
            "",
            f"{sensor.name} sits {height:.0f} mm high: its {cone:g}° beam meets the floor from "
            f"{meets:.0f} mm on. A rough floor answers from there; set its farthest to "
            f"{meets:.0f} mm, mount it higher, or tip it up.",
            f"sees the floor past {meets:.0f} mm",
            {"height_mm": height, "cone_deg": cone, "floor_from_mm": meets},
        )
    else:
        yield Assurance("floor-strike", sensor.id, f"meets the floor only past {meets:.0f} mm")


def _crosstalk(rig: Rig, sensor: Sensor, other: Sensor, measured: Mapping[str, Values]) -> Iterator[Result]:
    a, b = sensor.mount, other.mount
    if a is None or b is None:
        return
    turned = abs((a.heading_deg - b.heading_deg + 180.0) % 360.0 - 180.0)
    cones = (
        sensor_values(rig, sensor, measured)["cone"].value + sensor_values(rig, other, measured)["cone"].value
    ) / 2
    apart = math.hypot(a.x_mm - b.x_mm, a.y_mm - b.y_mm)
    if turned <= cones:
        yield WiringFinding(
            "crosstalk",
            "hint",
            other.id,
            "",
            f"{sensor.name} and {other.name} look {turned:.0f}° apart with beams of "
            f"{cones:g}°, {apart:.0f} mm from each other: each hears the other's ping. Let "
            "them fire in turn, as the watch program does.",
            f"hears {sensor.name}",
            {"turned_deg": turned, "beam_deg": cones, "apart_mm": apart},
        )


def check_line(rig: Rig, measured: Mapping[str, Values]) -> Iterator[Result]:
    """The tape's width against the pitch of a row of line sensors."""
    width = rig.geometry.line_mm
    for sensor in rig.sensors:
        values = sensor_values(rig, sensor, measured)
        if width is None or "pitch" not in values or values["sensors"].value < 2:
            continue
        pitch, row = values["pitch"].value, values["pitch"].value * (values["sensors"].value - 1)
        numbers = {"line_mm": width, "pitch_mm": pitch, "row_mm": row}
        if width < pitch:
            yield WiringFinding(
                "line-width",
                "hint",
                sensor.id,
                "",
                f"The line is {width:g} mm wide and the sensors of {sensor.name} sit {pitch:g} mm apart: "
                f"between two of them the line is seen by none. Take tape of {math.ceil(pitch)} mm or more, "
                "or set them closer.",
                f"line {width:g} mm, pitch {pitch:g} mm",
                numbers,
            )
        elif width > row:
            yield WiringFinding(
                "line-width",
                "hint",
                sensor.id,
                "",
                f"The line is {width:g} mm wide, wider than the whole row of {sensor.name} ({row:g} mm): its "
                "edges cannot be told.",
                f"line {width:g} mm, row {row:g} mm",
                numbers,
            )
        else:
            yield Assurance("line-width", sensor.id, f"line {width:g} mm over a pitch of {pitch:g} mm")


def check_possible(rig: Rig) -> list[tuple[str, str]]:
    """Sizes that cannot be, as (field, sentence)."""
    results = []
    sizes = rig.geometry
    for name in ("length_mm", "width_mm", "wheel_mm", "track_mm", "wheelbase_mm", "cog_height_mm", "line_mm"):
        size = getattr(sizes, name)
        if size is not None and not 0 < size <= 100_000:
            results.append(
                (f"geometry.{name}", f"{name} must be above 0 and at most 100 m, not {size:g} mm.")
            )
    if sizes.track_mm is not None and sizes.width_mm is not None and sizes.track_mm > 2 * sizes.width_mm:
        results.append(
            (
                "geometry.track_mm",
                f"The track of {sizes.track_mm:g} mm does not go with a vehicle {sizes.width_mm:g} mm wide.",
            )
        )
    if (
        sizes.front_mm is not None
        and sizes.length_mm is not None
        and not 0 <= sizes.front_mm <= sizes.length_mm
    ):
        results.append(
            (
                "geometry.front_mm",
                f"The bumper cannot be {sizes.front_mm:g} mm before the axle of a vehicle "
                f"{sizes.length_mm:g} mm long.",
            )
        )
    for part in rig.fitted:
        results += _mount_faults(part)
    return results


FARTHEST_MM = 100_000.0


def _mount_faults(part: FittedPart) -> list[tuple[str, str]]:
    mount, results = part.mount, []
    if mount is None:
        return []
    for name in ("x_mm", "y_mm"):
        if abs(getattr(mount, name)) > FARTHEST_MM:
            results.append((f"{part.id}.mount.{name}", f"{part.name}: {name} lies more than 100 m away."))
    if mount.height_mm is not None and not 0 <= mount.height_mm <= FARTHEST_MM:
        results.append(
            (
                f"{part.id}.mount.height_mm",
                f"{part.name}: height_mm must be from 0 to 100 m, not {mount.height_mm:g} mm.",
            )
        )
    if not -360 <= mount.heading_deg <= 360:
        results.append(
            (
                f"{part.id}.mount.heading_deg",
                f"{part.name}: heading_deg must be from −360 to 360, not {mount.heading_deg:g}.",
            )
        )
    return results
