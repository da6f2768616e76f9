import { type KeyboardEvent, useState } from "react";
import { Overlay, Popover } from "react-bootstrap";
import type { Finding, Rig } from "../../api/client";
import type { Point } from "../../hooks/useDrag";
import { ohms } from "../../model/format";
import {
  BAND_COLOURS,
  type Harness,
  layout,
  type PlacedPart,
  type PlacedWire,
  twoLines,
  WIDTH,
  WIRE_COLOURS,
  type Wire,
} from "../../model/harness";
import { Glyph } from "../../ui/Glyph";
import styles from "./HarnessDrawing.module.css";
import { InWires } from "./InWires";
import { type Moving, useWireMove } from "./useWireMove";

interface Props {
  rig: Rig;
  selected: string;
  onPick: (part: string) => void;
  onFix: (finding: Finding) => void;
  onMove: (wire: Wire, to: string) => void;
}

const key = (wire: { sensor: string; pin: string }) => `${wire.sensor}-${wire.pin}`;

/** The harness: rails above, the board's pins as a comb, parts, and the wires between them in their real colours. */
export function HarnessDrawing({ rig, selected, onPick, onFix, onMove }: Props) {
  const move = useWireMove(rig, selected, onMove);
  const { drawn, moving } = move;
  const faults = rig.findings.filter((finding) => finding.severity === "fault" && finding.pin);
  const wires = new Map(drawn.wires.map((placed) => [key(placed.wire), placed]));
  return (
    <>
      <div className={styles.hand}>
        <svg
          data-drawing="harness"
          className={`${styles.harness}${moving ? ` ${styles.moving}` : ""}`}
          viewBox={`0 0 ${WIDTH} ${drawn.height}`}
          role="group"
          aria-label="Harness: the board's pins on the left, sensors on the right"
          {...move.over}
        >
          <Rails drawn={drawn} />
          <Comb drawn={drawn} able={move.able} over={moving?.to ?? ""} />
          {[...drawn.wires]
            .sort((a, b) => Number(a.wire.sensor === selected) - Number(b.wire.sensor === selected))
            .map((placed) => (
              <Lead key={key(placed.wire)} placed={placed} bold={placed.wire.sensor === selected} />
            ))}
          {drawn.parts.map((part) => (
            <PartBox key={part.id} rig={rig} part={part} selected={part.id === selected} onPick={onPick} />
          ))}
          {drawn.wires.map((placed) => (
            <Parts key={key(placed.wire)} rig={rig} placed={placed} />
          ))}
          {drawn.wires.map((placed) => (
            <WireEnd key={key(placed.wire)} rig={rig} placed={placed} move={move} />
          ))}
          {moving?.at && <Carried moving={moving} at={moving.at} y={wires.get(key(moving.wire))?.run.y ?? 0} />}
          {faults.map((finding) => {
            const placed = wires.get(key(finding));
            return (
              placed && (
                <Fault
                  key={`${finding.kind}-${finding.sensor}-${finding.pin}`}
                  at={placed}
                  finding={finding}
                  onFix={onFix}
                />
              )
            );
          })}
        </svg>
      </div>
      <p className={styles.harnessSaid} aria-live="polite">
        {moving
          ? `${name(rig, moving.wire)}: ${moving.to ? `let go for ${moving.to}` : "let go on a pin that can take it"}. ${
              moving.at ? "" : "Arrows choose, Enter puts it there, Escape leaves it."
            }`
          : "Drag a wire's end to another pin, or focus it, press Enter and choose with the arrows."}
      </p>
    </>
  );
}

function Rails({ drawn }: { drawn: Harness }) {
  return drawn.rails.map((rail) => {
    const line = { x1: layout.rail.left, x2: WIDTH, y1: rail.y, y2: rail.y };
    return (
      <g key={rail.name}>
        <text x="0" y={rail.y + 5} className={styles.railName}>
          {rail.name}
        </text>
        <line {...line} className={styles.casing} strokeWidth="6" />
        <line {...line} stroke={railColour(rail.volts)} strokeWidth="4" />
      </g>
    );
  });
}

interface WireEndProps {
  rig: Rig;
  placed: PlacedWire;
  move: ReturnType<typeof useWireMove>;
}

/** The end of a wire at the board, by which it is moved. */
function WireEnd({ rig, placed: { wire, end }, move }: WireEndProps) {
  if (!end) return null;
  return (
    <circle
      cx={end.x - 9}
      cy={end.y}
      r="8"
      className={styles.wireEnd}
      data-handle
      role="button"
      tabIndex={0}
      aria-label={`${name(rig, wire)} on ${wire.to}: move it`}
      aria-pressed={move.moving !== null && key(move.moving.wire) === key(wire)}
      onKeyDown={(event) => move.keys(event, wire)}
      onBlur={move.blur}
      onPointerDown={(event) => move.grab(event, wire)}
    />
  );
}

/** The wire that is held, from its part to the pointer. */
function Carried({ moving, at, y }: { moving: Moving; at: Point; y: number }) {
  return (
    <line
      x1={at.x}
      y1={at.y}
      x2={layout.part.left}
      y2={y}
      stroke={WIRE_COLOURS[moving.wire.colour]}
      strokeWidth="4"
      strokeDasharray="8 5"
    />
  );
}

function name(rig: Rig, wire: Wire): string {
  return `${rig.parts.find((part) => part.id === wire.sensor)?.name ?? wire.sensor} ${wire.pin}`;
}

function railColour(volts: number): string {
  if (volts === 0) return WIRE_COLOURS.black ?? "";
  return (volts > 4 ? WIRE_COLOURS.red : WIRE_COLOURS.orange) ?? "";
}

function Comb({ drawn, able, over }: { drawn: Harness; able: string[]; over: string }) {
  const { comb } = layout;
  return (
    <g>
      {drawn.blocks.map((block) => (
        <g key={block.title}>
          <rect x="0.5" y={block.top} width={comb.width - 9} height={block.height} className={styles.board} />
          <text x="2" y={block.top - 8} className="small">
            {block.title}
          </text>
        </g>
      ))}
      {drawn.pins.map((pin) => {
        const state = pin.name === over ? ` ${styles.over}` : able.includes(pin.name) ? ` ${styles.able}` : "";
        return (
          <g key={pin.name} className={`${styles.combPin}${pin.used ? "" : ` ${styles.free}`}${state}`}>
            <title>{pin.abilities.join(", ")}</title>
            <text x={comb.width - 28} y={pin.y + 5} textAnchor="end" className={styles.pinName}>
              {pin.name}
            </text>
            <rect x={comb.width - 18} y={pin.y - 7} width="18" height="14" className={styles.pin} />
          </g>
        );
      })}
      {drawn.folded && (
        <text x={comb.width - 28} y={drawn.folded.y + 4} textAnchor="end" className="small">
          {drawn.folded.count} more {drawn.folded.count === 1 ? "pin" : "pins"}
        </text>
      )}
    </g>
  );
}

function Lead({ placed, bold }: { placed: PlacedWire; bold: boolean }) {
  const { wire, path } = placed;
  const width = bold ? 5 : 3;
  const dash = wire.to === "" ? "5 4" : undefined;
  return (
    <g fill="none" strokeLinejoin="round">
      <title>{`${wire.pin}: ${wire.colour} wire to ${wire.to || "nowhere yet"}`}</title>
      <path d={path} className={styles.casing} strokeWidth={width + 2} strokeDasharray={dash} />
      <path d={path} stroke={WIRE_COLOURS[wire.colour]} strokeWidth={width} strokeDasharray={dash} />
    </g>
  );
}

interface PartBoxProps {
  rig: Rig;
  part: PlacedPart;
  selected: boolean;
  onPick: (part: string) => void;
}

function PartBox({ rig, part, selected, onPick }: PartBoxProps) {
  const { left, width } = layout.part;
  const known = rig.parts.find((fitted) => fitted.id === part.id);
  const press = (event: KeyboardEvent) => {
    if (event.key === "Enter" || event.key === " ") onPick(part.id);
  };
  return (
    <g className={`${styles.sensor}${selected ? ` ${styles.selected}` : ""}`}>
      <rect x={left} y={part.y} width={width} height={part.height} className={styles.sensorBox} />
      <g role="button" tabIndex={0} aria-pressed={selected} onClick={() => onPick(part.id)} onKeyDown={press}>
        <rect x={left + 92} y={part.y + 2} width={width - 94} height={part.head + 56} fill="transparent" />
        {part.title.map((line, i) => (
          <text
            key={line}
            x={left + width - 10}
            y={part.y + 20 + 19 * i}
            textAnchor="end"
            className={styles.sensorName}
          >
            {line}
          </text>
        ))}
        {twoLines(known?.kind_title ?? "", 24).map((line, i) => (
          <text
            key={line}
            x={left + width - 10}
            y={part.y + (part.head || 19) + 18 + 16 * i}
            textAnchor="end"
            className="small"
          >
            {line}
          </text>
        ))}
      </g>
      {part.power && (
        <text x={left + 16} y={part.y + part.height - 8} className="small">
          {part.power}
        </text>
      )}
      {part.pins.map((pin) => (
        <g key={pin.name}>
          <rect x={left - 9} y={pin.y - 7} width="18" height="14" className={styles.pin} />
          <text x={left + 16} y={pin.y + 5} className={styles.pinName}>
            {pin.name}
          </text>
        </g>
      ))}
    </g>
  );
}

/** Parts in the wire: a resistor in line, and one from a rail down to the wire, with their bands; touched, they say why
 * they are there. */
function Parts({ rig, placed }: { rig: Rig; placed: PlacedWire }) {
  const { inLine, shelved, run, wire } = placed;
  const [target, setTarget] = useState<SVGElement | null>(null);
  const mine = rig.in_wires.filter((part) => part.sensor === wire.sensor && part.pin === wire.pin);
  if (!mine.length || !(inLine || shelved)) return null;
  const spoken = mine.map((part) => `${part.words}, because ${part.because}`).join("; ");
  return (
    <g
      className={styles.inWire}
      role="button"
      tabIndex={0}
      aria-label={`In the wire of ${name(rig, wire)}: ${spoken}`}
      aria-expanded={target !== null}
      onClick={(event) => setTarget(target ? null : event.currentTarget)}
      onKeyDown={(event) => {
        if (event.key !== "Enter" && event.key !== " ") return;
        event.preventDefault();
        setTarget(target ? null : event.currentTarget);
      }}
    >
      <Overlay
        target={target}
        show={target !== null}
        placement="bottom"
        flip
        rootClose
        onHide={() => {
          target?.focus();
          setTarget(null);
        }}
      >
        <Popover role="dialog" aria-label={`In the wire of ${name(rig, wire)}`} className={styles.why}>
          <Popover.Body>
            <InWires parts={mine} onDone={() => setTarget(null)} />
          </Popover.Body>
        </Popover>
      </Overlay>
      {shelved && (
        <>
          <line x1={shelved.x} x2={shelved.x} y1={shelved.railY} y2={run.y} className={styles.partLead} />
          <circle cx={shelved.x} cy={shelved.railY} r="4.5" className={styles.joint} />
          <circle cx={shelved.x} cy={run.y} r="4.5" className={styles.joint} />
          <Resistor x={shelved.x} y={shelved.y} bands={shelved.bands} upright />
          <text x={shelved.x - 13} y={shelved.y + 5} textAnchor="end" className={styles.partText}>
            {ohms(shelved.ohms)}
          </text>
        </>
      )}
      {inLine && (
        <>
          <Resistor x={inLine.x} y={inLine.y} bands={inLine.bands} />
          <text x={inLine.x} y={inLine.y - 11} textAnchor="middle" className={styles.partText}>
            {ohms(inLine.ohms)}
          </text>
        </>
      )}
    </g>
  );
}

function Resistor({ x, y, bands, upright }: { x: number; y: number; bands: readonly string[]; upright?: boolean }) {
  return (
    <g transform={`translate(${x} ${y})${upright ? " rotate(90)" : ""}`}>
      <title>{bands.join(", ")}</title>
      <rect x="-26" y="-15" width="52" height="30" fill="transparent" />
      <rect x="-19" y="-7.5" width="38" height="15" rx="3" className={styles.resistor} />
      {Object.entries(bands).map(([place, band]) => (
        <rect
          key={place}
          x={-14 + Number(place) * 8 + (Number(place) === bands.length - 1 ? 3 : 0)}
          y="-7.5"
          width="4"
          height="15"
          fill={BAND_COLOURS[band]}
        />
      ))}
    </g>
  );
}

const FAULT = { height: 44, right: 588, letter: 8.4, button: 30, around: 46 };

/** A fault sits on the wire it concerns, with its fix as a button. */
function Fault({ at, finding, onFix }: { at: PlacedWire; finding: Finding; onFix: (finding: Finding) => void }) {
  const letters = finding.short.length + (finding.fix?.label.length ?? 0);
  const width = Math.ceil(letters * FAULT.letter) + FAULT.around + (finding.fix ? FAULT.button : 0);
  const x = Math.min(at.run.x0 + 8, FAULT.right - width);
  return (
    <foreignObject x={x} y={at.run.y - FAULT.height / 2} width={width} height={FAULT.height}>
      <div className={styles.faultTag}>
        <span>
          <Glyph of="fault" /> {finding.short}
        </span>
        {finding.fix && (
          <button type="button" title={finding.fix.sentence} onClick={() => onFix(finding)}>
            {finding.fix.label}
          </button>
        )}
      </div>
    </foreignObject>
  );
}
