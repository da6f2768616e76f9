import type { KeyboardEvent } from "react";
import type { Finding, Rig } from "../api/client";
import {
  BAND_COLOURS,
  type Harness,
  harness,
  layout,
  ohms,
  type PlacedWire,
  WIDTH,
  WIRE_COLOURS,
} from "../model/harness";
import { Glyph } from "../ui/Glyph";

interface Props {
  rig: Rig;
  selected: string;
  onPick: (sensor: string) => void;
  onFix: (finding: Finding) => void;
}

/** The harness: rails above, the board's pins as a comb, sensors, and the wires between them in their real colours. */
export function HarnessDrawing({ rig, selected, onPick, onFix }: Props) {
  const drawn = harness(rig, selected);
  return (
    <svg
      className="harness"
      viewBox={`0 0 ${WIDTH} ${drawn.height}`}
      role="group"
      aria-label="Harness: the board's pins on the left, sensors on the right"
    >
      {drawn.rails.map((rail) => (
        <g key={rail.name}>
          <text x="0" y={rail.y + 5} className="rail-name">
            {rail.name}
          </text>
          <line x1={layout.rail.left} x2={WIDTH} y1={rail.y} y2={rail.y} className="casing" strokeWidth="6" />
          <line
            x1={layout.rail.left}
            x2={WIDTH}
            y1={rail.y}
            y2={rail.y}
            stroke={railColour(rail.volts)}
            strokeWidth="4"
          />
        </g>
      ))}
      <Comb drawn={drawn} title={rig.rig.board.title} />
      {drawn.wires.map((placed) => (
        <Lead key={`${placed.wire.sensor}-${placed.wire.pin}`} placed={placed} bold={placed.wire.sensor === selected} />
      ))}
      {drawn.sensors.map((sensor) => (
        <SensorBox key={sensor.id} rig={rig} sensor={sensor} selected={sensor.id === selected} onPick={onPick} />
      ))}
      {drawn.wires.map((placed) => (
        <Part key={`${placed.wire.sensor}-${placed.wire.pin}`} placed={placed} drawn={drawn} />
      ))}
      {rig.findings
        .filter((finding) => finding.severity === "fault")
        .map((finding) => {
          const placed = drawn.wires.find((one) => one.wire.sensor === finding.sensor && one.wire.pin === finding.pin);
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
  );
}

function railColour(volts: number): string {
  if (volts === 0) return WIRE_COLOURS.black ?? "";
  return (volts > 4 ? WIRE_COLOURS.red : WIRE_COLOURS.orange) ?? "";
}

function Comb({ drawn, title }: { drawn: Harness; title: string }) {
  const { comb } = layout;
  return (
    <g>
      <rect x="0.5" y={comb.top} width={comb.width - 9} height={drawn.combHeight} className="board" />
      <text x="10" y={comb.top - 10} className="small">
        {title}
      </text>
      {drawn.pins.map((pin) => (
        <g key={pin.name} className={pin.used ? undefined : "free"}>
          <title>{pin.abilities.join(", ")}</title>
          <text x={comb.width - 28} y={pin.y + 5} textAnchor="end" className="pin-name">
            {pin.name}
          </text>
          <rect x={comb.width - 18} y={pin.y - 7} width="18" height="14" className="pin" />
        </g>
      ))}
      {drawn.folded && (
        <text x={comb.width - 28} y={drawn.folded.y + 2} textAnchor="end" className="small">
          {drawn.folded.count} more pins
        </text>
      )}
    </g>
  );
}

function Lead({ placed, bold }: { placed: PlacedWire; bold: boolean }) {
  const { wire, path } = placed;
  const width = bold ? 5 : 3;
  const missing = wire.to === "";
  return (
    <g fill="none" strokeLinejoin="round">
      <title>{`${wire.pin}: ${wire.colour} wire to ${wire.to || "nowhere yet"}`}</title>
      <path d={path} className="casing" strokeWidth={width + 2} strokeDasharray={missing ? "5 4" : undefined} />
      <path
        d={path}
        stroke={WIRE_COLOURS[wire.colour]}
        strokeWidth={width}
        strokeDasharray={missing ? "5 4" : undefined}
      />
    </g>
  );
}

function SensorBox({
  rig,
  sensor,
  selected,
  onPick,
}: {
  rig: Rig;
  sensor: Harness["sensors"][number];
  selected: boolean;
  onPick: (sensor: string) => void;
}) {
  const { left, width } = layout.sensor;
  const known = rig.sensors.find((one) => one.id === sensor.id);
  const press = (event: KeyboardEvent) => {
    if (event.key === "Enter" || event.key === " ") onPick(sensor.id);
  };
  return (
    <g className={`sensor${selected ? " selected" : ""}`}>
      <rect x={left} y={sensor.y} width={width} height={sensor.height} className="sensor-box" />
      <g role="button" tabIndex={0} aria-pressed={selected} onClick={() => onPick(sensor.id)} onKeyDown={press}>
        <rect x={left + 100} y={sensor.y + 4} width={width - 104} height="66" fill="transparent" />
        <text x={left + width - 12} y={sensor.y + 26} textAnchor="end" className="sensor-name">
          {known?.name}
        </text>
        {wrapped(known?.kind_title ?? "").map((line, i) => (
          <text key={line} x={left + width - 12} y={sensor.y + 48 + i * 19} textAnchor="end" className="small">
            {line}
          </text>
        ))}
      </g>
      {sensor.pins.map((pin) => (
        <g key={pin.name}>
          <rect x={left - 9} y={pin.y - 7} width="18" height="14" className="pin" />
          <text x={left + 18} y={pin.y + 5} className="pin-name">
            {pin.name}
          </text>
        </g>
      ))}
    </g>
  );
}

function wrapped(text: string): string[] {
  const words = text.split(", ");
  return words.length > 1 ? [`${words[0]},`, words.slice(1).join(", ")] : words;
}

/** A part in the wire: a divider's two resistors, or a pull-up, with their bands. */
function Part({ placed, drawn }: { placed: PlacedWire; drawn: Harness }) {
  const { divider, pull_up: pullUp } = placed.wire;
  const { x0, x1, y } = placed.run;
  if (divider) {
    const tap = x0 + 22;
    const ground = y + 66;
    return (
      <g className="part">
        <line x1={tap} x2={tap} y1={y} y2={ground} className="part-lead" />
        <circle cx={tap} cy={y} r="4.5" className="joint" />
        <Resistor x={tap + 62} y={y} bands={divider.top_bands} />
        <text x={tap + 62} y={y - 14} textAnchor="middle" className="part-text">
          {ohms(divider.top_ohm)}
        </text>
        <Resistor x={tap} y={y + 32} bands={divider.bottom_bands} upright />
        <text x={tap + 16} y={y + 38} className="part-text">
          {ohms(divider.bottom_ohm)} to ground
        </text>
        <path d={`M${tap - 12} ${ground}h24m-20 5h16m-12 5h8`} className="part-lead" />
      </g>
    );
  }
  if (pullUp) {
    const x = x1 - 36;
    const rail = drawn.rails.find((one) => one.name === pullUp.rail)?.y ?? y - 60;
    return (
      <g className="part">
        <line x1={x} x2={x} y1={y} y2={rail} className="part-lead" />
        <circle cx={x} cy={y} r="4.5" className="joint" />
        <circle cx={x} cy={rail} r="4.5" className="joint" />
        <Resistor x={x} y={y - 40} bands={pullUp.bands} upright />
        <text x={x - 14} y={y - 35} textAnchor="end" className="part-text">
          {ohms(pullUp.ohms)}
        </text>
      </g>
    );
  }
  return null;
}

function Resistor({ x, y, bands, upright }: { x: number; y: number; bands: readonly string[]; upright?: boolean }) {
  return (
    <g transform={`translate(${x} ${y})${upright ? " rotate(90)" : ""}`}>
      <title>{bands.join(", ")}</title>
      <rect x="-20" y="-8" width="40" height="16" rx="3" className="resistor" />
      {Object.entries(bands).map(([place, band]) => (
        <rect
          key={place}
          x={-14 + Number(place) * 8 + (Number(place) === bands.length - 1 ? 3 : 0)}
          y="-8"
          width="4"
          height="16"
          fill={BAND_COLOURS[band]}
        />
      ))}
    </g>
  );
}

const FAULT = { width: 268, height: 44, right: 588 };

/** A fault sits on the wire it concerns, with its fix as a button. */
function Fault({ at, finding, onFix }: { at: PlacedWire; finding: Finding; onFix: (finding: Finding) => void }) {
  const x = Math.min(at.run.x0 + 8, FAULT.right - FAULT.width);
  return (
    <foreignObject x={x} y={at.run.y - FAULT.height / 2} width={FAULT.width} height={FAULT.height}>
      <div className="fault-tag">
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
