"""Rigs to begin with: set-ups that people in this trade really build, each wired and without a fault."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

from tickstone.core.rigs import boards
from tickstone.core.rigs.catalogue import fit
from tickstone.core.rigs.rig import FittedPart, Geometry, Mount, Output, Rig, Sensor, Supply
from tickstone.core.wiring.assign import assignment, complete
from tickstone.core.wiring.checks import mended
from tickstone.errors import BadInput

Answers = dict[str, str | float]


def rig_of(
    title: str,
    purpose: str,
    board: str,
    parts: Sequence[FittedPart],
    supplies: tuple[Supply, ...] = (),
    geometry: Geometry | None = None,
    board_from: str = "USB",
) -> Rig:
    """A rig of these parts, every pin wired where the board can take it, with the parts in the wires that it
    needs."""
    bare = Rig(
        title,
        purpose,
        boards.board(board),
        tuple(p for p in parts if isinstance(p, Sensor)),
        (),
        tuple(p for p in parts if isinstance(p, Output)),
        supplies,
        geometry or Geometry(),
        board_from,
    )
    return mended(assignment(complete(bare), explain=False).rig)


def _part(
    kind: str, part_id: str, name: str = "", mount: Mount | None = None, **options: str | float
) -> FittedPart:
    return replace(fit(kind, part_id, name or part_id.replace("-", " "), options), mount=mount)


def _ranger(mount: Mount | None = None) -> FittedPart:
    return _part("ultrasonic-ranger", "front-ranger", mount=mount)


BATTERY = Supply("battery", 7.4, 8.4, 3000.0)
SERVO_SUPPLY = Supply("servo supply", 5.0, 5.0, 2000.0)
CART = Geometry(420.0, 300.0, 260.0, 120.0, 240.0, 150.0, 19.0)


def fern() -> Rig:
    """Fern, a greenhouse tray cart that follows tape: line row, front ranger, wheel Hall, inertial unit,
    battery, air."""
    return rig_of(
        "Fern",
        "greenhouse tray cart",
        "small-5v",
        (
            _ranger(Mount(240.0, 0.0, 120.0)),
            _part("air-temperature", "air", mount=Mount(40.0, 90.0, 180.0)),
            _part("line-sensors", "line-row", mount=Mount(215.0, 0.0, 8.0), count=5),
            _part("hall-switch", "wheel", mount=Mount(0.0, 110.0, 40.0), magnets=2),
            _part("inertial-unit", "tilt", mount=Mount(-20.0, 0.0, 90.0)),
            _part(
                "battery-divider",
                "battery-gauge",
                "battery gauge",
                Mount(-90.0, 40.0, 60.0),
                top_ohm=22_000.0,
            ),
            _part("motor-driver", "wheels", mount=Mount(-40.0, 0.0, 50.0)),
        ),
        (BATTERY,),
        replace(CART, board_x_mm=20.0),
        "battery",
    )


def heron() -> Rig:
    """Heron, a tow-path cargo trailer with a hub motor: motor Halls, wheel magnet, a ranger that looks
    back."""
    return rig_of(
        "Heron",
        "tow-path cargo trailer",
        "wide-3v3",
        (
            _part("motor-halls", "hub", "hub motor", Mount(0.0, 0.0, 150.0)),
            _part("hall-switch", "wheel", mount=Mount(0.0, 260.0, 120.0)),
            _part(
                "triangulation-ranger",
                "rear-ranger",
                "rear ranger",
                Mount(-560.0, 0.0, 380.0, 180.0),
                reach="far",
            ),
        ),
        geometry=Geometry(1150.0, 620.0, 500.0, 406.0, 560.0, 420.0, board_x_mm=180.0),
    )


def plume() -> Rig:
    """Plume, a bench tube where a fan holds a float at a set height under a ranger."""
    return rig_of(
        "Plume",
        "float in a tube",
        "small-5v",
        (
            _part("ultrasonic-ranger", "top-ranger", "top ranger"),
            _part("air-temperature", "air"),
            _part("motor-driver", "fan", motors="1", stall_ma=900.0),
        ),
        (Supply("fan supply", 9.0, 9.5, 2000.0),),
    )


@dataclass(frozen=True)
class Template:
    """A rig to begin with: its number in the list, what it is, and how it is made."""

    id: str
    title: str
    make: Callable[[str, str], Rig]


def _of(
    board: str, *parts: FittedPart, supplies: tuple[Supply, ...] = (), geometry: Geometry | None = None
) -> Callable[[str, str], Rig]:
    return lambda title, purpose: rig_of(title, purpose, board, parts, supplies, geometry)


_HIGH = Mount(120.0, 0.0, 300.0)
_LOW = Mount(150.0, 0.0, 6.0)

TEMPLATES = {
    item.id: item
    for item in (
        Template(
            "T01",
            "three-channel visible-light line module, thresholds in the program",
            _of(
                "small-5v",
                _part("line-sensors", "line-row", mount=_LOW, count=3, light="visible", made="bare"),
                *(_part("led", f"{side}-lamp", colour="yellow") for side in ("left", "middle", "right")),
                geometry=CART,
            ),
        ),
        Template(
            "T02",
            "Hall switch on an interrupt pin",
            _of("small-5v", _part("hall-switch", "wheel"), _part("led", "lamp", colour="red")),
        ),
        Template(
            "T03",
            "optical tachometer from an infrared comparator module",
            _of("small-5v", _part("comparator-switch", "tachometer")),
        ),
        Template(
            "T04",
            "one digital line sensor",
            _of("small-5v", _part("digital-line-sensor", "line"), _part("led", "lamp", colour="red")),
        ),
        Template(
            "T05",
            "three motor Halls on a brushless outrunner",
            _of("small-5v", _part("motor-halls", "motor", magnets=14)),
        ),
        Template(
            "T06",
            "ranger with red and green lamps, a wanderer that backs up and turns",
            _of(
                "small-5v",
                _ranger(_HIGH),
                _part("led", "red-lamp", colour="red"),
                _part("led", "green-lamp", colour="green"),
                _part("motor-driver", "wheels"),
                supplies=(BATTERY,),
                geometry=CART,
            ),
        ),
        Template(
            "T07",
            "ranger and servo that hold a set distance",
            _of("small-5v", _ranger(), _part("servo", "servo"), supplies=(SERVO_SUPPLY,)),
        ),
        Template(
            "T08", "6-axis inertial unit on a 5 V board", _of("small-5v", _part("inertial-unit", "tilt"))
        ),
        Template(
            "T09",
            "edge guard that stays on the table, by reflectance",
            _of(
                "small-5v",
                _part("line-sensors", "edge-row", mount=_LOW, count=2, made="bare"),
                _part("motor-driver", "wheels"),
                supplies=(BATTERY,),
                geometry=replace(CART, line_mm=None),
            ),
        ),
        Template(
            "T10",
            "analogue accelerometer through an on-board regulator",
            _of("small-5v", _part("analogue-accelerometer", "tilt", regulator="yes")),
        ),
        Template(
            "T11",
            "ranger with temperature calibration",
            _of("small-5v", _ranger(), _part("air-temperature", "air")),
        ),
        Template(
            "T12",
            "hand meter: two rangers, roller ruler, level, angle, tachometer, battery",
            _of(
                "wide-3v3",
                _part("triangulation-ranger", "ir-ranger"),
                _part("time-of-flight-ranger", "tof-ranger"),
                _part("rotary-encoder", "roller"),
                _part("inertial-unit", "level"),
                _part("comparator-switch", "tachometer"),
                _part("battery-divider", "battery-gauge", top_ohm=22_000.0),
                supplies=(BATTERY,),
            ),
        ),
        Template(
            "T13",
            "ranger with an eight-step LED bar",
            _of("small-5v", _ranger(), _part("led-bar", "bar", steps=8)),
        ),
        Template(
            "T14",
            "analogue accelerometer, six poses to g, then tilt",
            _of("wide-3v3", _part("analogue-accelerometer", "tilt", regulator="no")),
        ),
        Template(
            "T15",
            "five-sensor line board",
            _of(
                "small-5v",
                _part("line-sensors", "line-row", mount=_LOW, count=5),
                _part("motor-driver", "wheels"),
                supplies=(BATTERY,),
                geometry=CART,
            ),
        ),
        Template(
            "T16",
            "ranger that warns: too close, or safe",
            _of("small-5v", _ranger(), _part("buzzer", "buzzer"), _part("led", "near-lamp", colour="red")),
        ),
        Template(
            "T17",
            "wheel speedometer and trip meter, one magnet",
            _of("small-5v", _part("hall-switch", "wheel", magnets=1), geometry=Geometry(wheel_mm=650.0)),
        ),
        Template(
            "T18",
            "reflective encoder wheel",
            _of(
                "small-5v",
                _part("encoder", "encoder-wheel"),
                *(_part("led", f"lamp-{i}", colour="green") for i in range(1, 5)),
            ),
        ),
        Template(
            "T19",
            "ranger as a near switch",
            _of("small-5v", _ranger(), _part("led", "near-lamp", colour="yellow")),
        ),
        Template(
            "T20",
            "5 V echo into a 3.3 V computer, microphone and battery on a converter",
            _of(
                "computer-3v3",
                _ranger(),
                _part("microphone", "microphone"),
                _part("battery-divider", "battery-gauge", top_ohm=22_000.0),
                _part("i2c-adc", "adc"),
                supplies=(BATTERY,),
            ),
        ),
        Template(
            "T21",
            "6-axis inertial unit on the 3.3 V dual-core board",
            _of("wide-3v3", _part("inertial-unit", "tilt", regulator="no", accel="8", gyro="1000")),
        ),
    )
}


def template(template_id: str) -> Rig:
    """The rig of a template. Raises BadInput for field ``template``."""
    if template_id not in TEMPLATES:
        raise BadInput(f"template must be one of {', '.join(TEMPLATES)}, not {template_id!r}.", "template")
    result = TEMPLATES[template_id]
    return result.make(template_id, result.title)
