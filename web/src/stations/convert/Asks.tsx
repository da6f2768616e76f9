import { useEffect, useState } from "react";
import type { Schemas } from "../../api/client";
import { useSettings } from "../../hooks/settings";
import { countsInto } from "../../model/units";
import { NumberField } from "../../ui/NumberField";
import shared from "./shared.module.css";

type Ask = Schemas["AskModel"];

const STEPS = 1000;

/** Where a number stands on its slider, 0 to STEPS, and back: by ratio for numbers that span decades. */
function slide(ask: Ask) {
  const [low, high] = [ask.slide_low, ask.slide_high];
  if (!ask.logarithmic)
    return {
      at: (value: number) => ((value - low) / (high - low)) * STEPS,
      value: (at: number) => low + (at / STEPS) * (high - low),
    };
  return {
    at: (value: number) => (Math.log(Math.max(value, low) / low) / Math.log(high / low)) * STEPS,
    value: (at: number) => low * (high / low) ** (at / STEPS),
  };
}

function rounded(value: number, digits: number): number {
  return Number(value.toFixed(digits));
}

interface Props {
  asks: Ask[];
  /** What was set since the last answer. */
  set: Record<string, number> | null;
  onTake: (name: string, value: number) => void;
}

/** The raw numbers: typed, dragged, or chosen. */
export function Asks({ asks: answered, set, onTake }: Props) {
  const asks = answered.map((ask) => ({ ...ask, value: set?.[ask.name] ?? ask.value }));
  return (
    <div
      className={`${shared.asks}${asks.length > 2 ? ` ${shared.asksMany}` : ""}`}
      style={asks.length > 2 ? { gridTemplateRows: `repeat(${Math.ceil(asks.length / 2)}, auto)` } : undefined}
    >
      {asks.map((ask) =>
        ask.choices.length > 0 ? (
          <Choice key={ask.name} ask={ask} onTake={onTake} />
        ) : (
          <Slider key={ask.name} ask={ask} onTake={onTake} />
        ),
      )}
    </div>
  );
}

function Slider({ ask, onTake }: { ask: Ask; onTake: (name: string, value: number) => void }) {
  const settings = useSettings();
  const way = slide(ask);
  const [held, setHeld] = useState<number | null>(null); // a slider answers the hand at once, and then the address
  useEffect(() => {
    setHeld((now) => (now !== null && rounded(way.value(now), ask.digits) === ask.value ? null : now));
  });
  const at = Math.round(Math.min(STEPS, Math.max(0, way.at(ask.value))));
  const into = countsInto(ask.unit, ask.volts, settings);
  return (
    <div className={shared.ask}>
      <span className={shared.askLabel} aria-hidden="true">
        {ask.label}
      </span>
      <input
        type="range"
        className={shared.graduated}
        aria-label={`Drag ${ask.label}`}
        aria-valuetext={`${rounded(into.to(ask.value), 4)} ${into.unit}`}
        min={0}
        max={STEPS}
        value={held ?? at}
        onChange={(event) => {
          const next = Number(event.target.value);
          setHeld(next);
          onTake(ask.name, rounded(way.value(next), ask.digits));
        }}
        onPointerUp={() => setHeld(null)}
      />
      <NumberField
        label={ask.label}
        hideLabel
        value={ask.value}
        unit={ask.unit}
        into={into}
        low={ask.low}
        high={ask.high}
        onChange={(value) => onTake(ask.name, into.unit === "V" ? Math.round(value) : value)}
      />
    </div>
  );
}

function Choice({ ask, onTake }: { ask: Ask; onTake: (name: string, value: number) => void }) {
  return (
    <fieldset className={`${shared.ask} ${shared.askChoice}`}>
      <legend className={shared.askLabel}>{ask.label}</legend>
      {ask.choices.map((choice, value) => (
        <button
          key={choice}
          type="button"
          className="act"
          aria-pressed={ask.value === value}
          onClick={() => onTake(ask.name, value)}
        >
          {choice}
        </button>
      ))}
    </fieldset>
  );
}
