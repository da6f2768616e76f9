"""A rig as it travels: its document, its parts with their questions, what the checks say."""

from __future__ import annotations

from pydantic import BaseModel, ConfigDict

from tickstone.actions.wiring import CheckedRig
from tickstone.core.constants import Values
from tickstone.core.rigs import boards
from tickstone.core.rigs.catalogue import known, part_of
from tickstone.core.rigs.kinds import KINDS, kind
from tickstone.core.rigs.outputs import OUTPUTS
from tickstone.core.rigs.part import OptionSpec, PinSpec
from tickstone.core.rigs.rig import FittedPart, Mount, Output, Pin, Rig, Sensor, Wire
from tickstone.core.rigs.usual import usual_values
from tickstone.core.wiring.assign import complete
from tickstone.core.wiring.geometry import wire_length_mm
from tickstone.core.wiring.in_wires import InWire, parts_in_wires
from tickstone.core.wiring.places import all_pins, supplies_for
from tickstone.core.wiring.schedule import part_in_wire

OUTPUT_FAMILY = "output"


class RawModel(BaseModel):
    """A raw number as Watch shows it; ``choices`` names its values where it has few."""

    name: str
    label: str
    unit: str
    digits: int
    choices: list[str]


class SensorModel(BaseModel):
    """A sensor as the stations show it. ``fades``: its value sinks while no pulse comes."""

    id: str
    name: str
    kind: str
    kind_title: str
    quantity: str
    unit: str
    low: float
    high: float
    digits: int
    raw_label: str
    raw_unit: str
    raw_digits: int
    procedures: list[str]
    decisions: list[str]
    cautions: list[str]
    asks: list[RawModel]
    instruments: list[str]
    fades: bool


class OptionValueModel(BaseModel):
    value: str
    label: str


class OptionModel(BaseModel):
    """A question about a part: choices, or a number from low to high."""

    name: str
    label: str
    usual: str | float
    choices: list[OptionValueModel]
    unit: str
    low: float
    high: float
    whole: bool
    clue: str

    @staticmethod
    def of(spec: OptionSpec) -> OptionModel:
        """A question as the screens show it."""
        return OptionModel(
            name=spec.name,
            label=spec.label,
            usual=spec.usual,
            unit=spec.unit,
            low=spec.low,
            high=spec.high,
            choices=[OptionValueModel(value=option.value, label=option.label) for option in spec.choices],
            whole=spec.whole,
            clue=spec.clue,
        )


class KindModel(BaseModel):
    """Something that can be fitted; ``family`` is what it senses, or output."""

    id: str
    title: str
    family: str
    options: list[OptionModel]
    clues: list[str]
    cautions: list[str]


class PinModel(BaseModel):
    """A pin of a part: its role, and the places that can take it, best first."""

    name: str
    role: str
    places: list[str]


class PartModel(BaseModel):
    """A fitted part, sensor or output, with its answers; those not given are the usual ones. ``shape`` is
    what a plan draws: a cone with its angle and reach, or a row with its pitch."""

    id: str
    name: str
    kind: str
    kind_title: str
    output: bool
    options: dict[str, str | float]
    questions: list[OptionModel]
    mount: Mount | None
    pins: list[PinModel]
    clues: list[str]
    cautions: list[str]
    cone_deg: float | None = None
    reach_mm: float | None = None
    floor_from_mm: float | None = None
    height_mm: float | None = None
    row: int | None = None
    pitch_mm: float | None = None


class DrawnPart(BaseModel):
    """A part as a small drawing of its rig shows it; ``family`` is what it senses, or output."""

    id: str
    name: str
    kind: str
    family: str
    mount: Mount | None
    cone_deg: float | None
    reach_mm: float | None
    row: int | None
    pitch_mm: float | None


class DrawnSizes(BaseModel):
    """Sizes of a vehicle, mm; null is not known."""

    model_config = ConfigDict(from_attributes=True)

    length_mm: float | None
    width_mm: float | None
    front_mm: float | None
    wheel_mm: float | None
    track_mm: float | None


class DrawnRig(BaseModel):
    """What a small drawing of a rig shows: its sizes, and its parts where they sit."""

    geometry: DrawnSizes
    parts: list[DrawnPart]


class WireModel(BaseModel):
    """What a wire needs beyond its document: its length, and the part in it in words."""

    sensor: str
    pin: str
    length_mm: float
    part: str


class WirePartModel(BaseModel):
    """A part in a wire: what it is, in words, and why it is there."""

    model_config = ConfigDict(from_attributes=True)

    sensor: str
    pin: str
    what: InWire
    words: str
    because: str


class FixModel(BaseModel):
    label: str
    sentence: str


class FindingModel(BaseModel):
    kind: str
    severity: str
    sensor: str
    pin: str
    sentence: str
    short: str
    numbers: dict[str, float]
    fix: FixModel | None


class AssuranceModel(BaseModel):
    kind: str
    sensor: str
    sentence: str


class BoardLine(BaseModel):
    kind: str
    title: str


class RigModel(BaseModel):
    slug: str
    revision: int
    parent: int | None
    why: str
    archived: bool
    rig: Rig
    pins: list[Pin]
    sensors: list[SensorModel]
    parts: list[PartModel]
    wires: list[WireModel]
    in_wires: list[WirePartModel]
    verdict: str
    findings: list[FindingModel]
    assurances: list[AssuranceModel]
    boards: list[BoardLine]
    version: int


def sensor_model(rig: Rig, sensor_id: str) -> SensorModel:
    """A sensor as the stations show it."""
    sensor = rig.sensor(sensor_id)
    what = kind(sensor.kind)
    return SensorModel(
        id=sensor.id,
        name=sensor.name,
        kind=sensor.kind,
        kind_title=what.title,
        quantity=what.quantity.name,
        unit=what.quantity.unit,
        low=what.quantity.low,
        high=what.quantity.high,
        digits=what.quantity.digits,
        raw_label=what.raw.label,
        raw_unit=what.raw.unit,
        raw_digits=what.raw.digits,
        procedures=list(what.procedures),
        decisions=list(what.decisions),
        cautions=list(what.cautions),
        instruments=list(what.instruments),
        fades=what.fades is not None,
        asks=[
            RawModel(
                name=ask.name, label=ask.label, unit=ask.unit, digits=ask.digits, choices=list(ask.choices)
            )
            for ask in what.working.asks(usual_values(what, rig, sensor))
        ],
    )


def catalogue() -> list[KindModel]:
    """Everything that can be fitted."""
    results = [(item.id, item.title, item.family, item) for item in KINDS.values()]
    kinds = [(*line[:3], line[3].options, line[3].clues, line[3].cautions) for line in results]
    kinds += [
        (item.id, item.title, OUTPUT_FAMILY, item.options, item.clues, item.cautions)
        for item in OUTPUTS.values()
    ]
    return [
        KindModel(
            id=i,
            title=t,
            family=f,
            options=[OptionModel.of(o) for o in options],
            clues=list(clues),
            cautions=list(cautions),
        )
        for i, t, f, options, clues, cautions in kinds
    ]


def _places(rig: Rig, spec: PinSpec) -> list[str]:
    if spec.power:
        return supplies_for(rig, spec) or [rail.name for rail in rig.board.rails if rail.volts == 0]
    pins = all_pins(rig)
    return list(dict.fromkeys(pin.name for need in spec.needs for pin in pins if need in pin.abilities))


def _part_model(rig: Rig, part: FittedPart, settled: Values) -> PartModel:
    values = {name: value.value for name, value in settled.items()}
    what = known(part)
    rows = int(values["sensors"]) if "sensors" in values and "pitch" in values else None
    beam = "cone" in values
    return PartModel(
        id=part.id,
        name=part.name,
        kind=part.kind,
        kind_title=what.title,
        output=isinstance(part, Output),
        options=part.options,
        questions=[OptionModel.of(spec) for spec in what.options],
        mount=part.mount,
        pins=[PinModel(name=p.name, role=p.role.value, places=_places(rig, p)) for p in part_of(part).pins],
        clues=list(what.clues),
        cautions=list(what.cautions),
        cone_deg=values.get("cone") if beam else None,
        reach_mm=values.get("farthest"),
        floor_from_mm=values.get("floor_from"),
        height_mm=values.get("height") if beam else part.mount.height_mm if part.mount else None,
        row=rows,
        pitch_mm=values.get("pitch") if rows else None,
    )


def drawn_rig(rig: Rig) -> DrawnRig:
    """A rig as a small drawing shows it, by what its own record tells."""
    parts = []
    for part in rig.fitted:
        sensor = isinstance(part, Sensor)
        values = usual_values(kind(part.kind), rig, part) if isinstance(part, Sensor) else {}
        shape = _part_model(rig, part, values)
        parts.append(
            DrawnPart(
                id=part.id,
                name=part.name,
                kind=part.kind,
                family=kind(part.kind).family if sensor else OUTPUT_FAMILY,
                mount=part.mount,
                cone_deg=shape.cone_deg,
                reach_mm=shape.reach_mm,
                row=shape.row,
                pitch_mm=shape.pitch_mm,
            )
        )
    return DrawnRig(geometry=DrawnSizes.model_validate(rig.geometry), parts=parts)


def _wire_model(rig: Rig, wire: Wire) -> WireModel:
    return WireModel(
        sensor=wire.sensor, pin=wire.pin, length_mm=wire_length_mm(rig, wire), part=part_in_wire(wire)
    )


def rig_model(checked: CheckedRig, version: int) -> RigModel:
    """A rig at its current revision, with what the checks say."""
    result = checked.stored
    findings = [
        FindingModel(
            kind=f.kind,
            severity=f.severity,
            sensor=f.sensor,
            pin=f.pin,
            sentence=f.sentence,
            short=f.short,
            numbers=f.numbers,
            fix=FixModel(label=f.fix.label, sentence=f.fix.sentence) if f.fix else None,
        )
        for f in checked.report.findings
    ]
    rig = complete(result.rig)
    titles = [BoardLine(kind=b.kind, title=b.title) for b in boards.BOARDS.values()]
    own = rig.board.title if rig.board.kind == boards.OWN else "my own board …"
    return RigModel(
        slug=result.slug,
        revision=result.revision,
        parent=result.parent,
        why=result.why,
        archived=result.archived,
        rig=rig,
        pins=list(all_pins(rig)),
        sensors=[sensor_model(rig, s.id) for s in rig.sensors],
        parts=[_part_model(rig, part, checked.values.get(part.id, {})) for part in rig.fitted],
        wires=[_wire_model(rig, wire) for wire in rig.wires],
        in_wires=[WirePartModel.model_validate(part) for part in parts_in_wires(rig)],
        verdict=checked.verdict,
        findings=findings,
        assurances=[
            AssuranceModel(kind=a.kind, sensor=a.sensor, sentence=a.sentence)
            for a in checked.report.assurances
        ],
        boards=[*titles, BoardLine(kind=boards.OWN, title=own)],
        version=version,
    )
