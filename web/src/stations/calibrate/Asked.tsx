import { type FormEvent, useEffect, useId, useRef, useState } from "react";
import { Refused } from "../../api/client";
import { useAct } from "../../hooks/act";
import { useLive } from "../../hooks/live";
import { usePlace } from "../../hooks/place";
import { useLength, useSettings } from "../../hooks/settings";
import { numberOn, useShown, useZero } from "../../hooks/useInstrument";
import { type Field, type Procedure, useCalls, type Want } from "../../hooks/useProcedure";
import { editable, figure, type LengthUnit, typedIn } from "../../model/format";
import styles from "./Asked.module.css";
import { called, lengthOf } from "./wanted";

/** What must be typed for a want before it is held, or all there is of one that is only typed. */
export function Asked({ procedure, want }: { procedure: Procedure; want: Want }) {
  const act = useAct();
  const length = useLength();
  const { letterKeys } = useSettings();
  const calls = useCalls(procedure.procedure);
  const id = useId();
  const [texts, setTexts] = useState<Record<string, string>>(() => begun(want, procedure, length));
  const [fault, setFault] = useState<{ field: string; text: string } | null>(null);
  const [sending, setSending] = useState(false);
  const { connected } = useLive();
  const send = async (event: FormEvent) => {
    event.preventDefault();
    const truth: Record<string, number> = {};
    for (const field of want.fields) {
      const read = readField(field, texts[field.name] ?? "", length);
      if (read.fault) return setFault({ field: field.name, text: read.fault });
      if (read.value !== null) truth[field.name] = read.value;
    }
    setFault(null);
    setSending(true); // nothing is typed into a form that the next one is about to replace
    try {
      if (want.watched) await calls.hold(procedure.hands_free && procedure.steps.length > 0 ? "" : want.key, truth);
      else {
        await calls.typed(want.key, truth);
        await act.attempt(Promise.resolve(true), `${want.label} is noted.`);
      }
    } catch (error) {
      const refused = error instanceof Refused ? error : null;
      setFault({ field: refused?.path ?? "", text: refused?.message ?? "It could not be sent." });
    } finally {
      setSending(false);
    }
  };
  return (
    <form onSubmit={send} noValidate aria-label={called(want.label, lengthOf(want), length)}>
      <b className={styles.askedLabel}>{called(want.label, lengthOf(want), length)}</b>
      {lengthOf(want) === null && <small>{want.do}</small>}
      {want.fields.map((field) => (
        <AskedField
          key={field.name}
          field={field}
          id={`${id}-${field.name}`}
          text={texts[field.name] ?? ""}
          fault={fault?.field === field.name}
          disabled={sending}
          faultId={`${id}-fault`}
          onText={(text) => setTexts((now) => ({ ...now, [field.name]: text }))}
        />
      ))}
      <button type="submit" className="act" disabled={sending || (want.watched && !connected)}>
        {want.watched ? "Hold" : "Keep"} {called(want.label, lengthOf(want), length)}{" "}
        {letterKeys && want.watched && !want.fields.length && <kbd>H</kbd>}
      </button>
      <p id={`${id}-fault`} className="field-fault" role="alert">
        {fault?.text}
      </p>
    </form>
  );
}

/** What a form begins with: what is usual, as it was typed for the last step of the same kind. What is read off anew each
 * time begins empty: it must never be the reading before. */
function begun(want: Want, procedure: Procedure, length: LengthUnit): Record<string, string> {
  const before = procedure.steps.at(-1)?.truth ?? {};
  const texts: Record<string, string> = {};
  for (const field of want.fields) {
    const again = field.name === "true_mm" || field.typical === null ? undefined : before[field.name];
    const keep = field.choices.length && field.needed ? undefined : (again ?? field.typical);
    if (field.typical !== null || !field.needed || again !== undefined)
      texts[field.name] =
        keep === null || keep === undefined ? "" : editable(keep, field.unit === "mm" ? length : undefined);
  }
  return texts;
}

/** A field as a number in its own unit; nothing typed is null where it may be left out. */
export function readField(field: Field, text: string, length: LengthUnit): { value: number | null; fault: string } {
  if (!text.trim()) return { value: null, fault: field.needed ? `${field.label}: a number is missing.` : "" };
  if (field.choices.length) return { value: Number(text), fault: "" };
  const value = typedIn(text, field.unit, length);
  if (value === null) return { value, fault: `${field.label}: “${text}” is not a number.` };
  return { value, fault: "" };
}

interface CountedProps {
  name: string;
  counting: boolean;
  onCount: () => void;
  onWhole: (text: string) => void;
}

/** Counts while the rig is connected, from where the mark is set down; the field takes the whole ones. */
function Counted({ name, counting, onCount, onWhole }: CountedProps) {
  const { sensor } = usePlace();
  const { connected } = useLive();
  const shown = useShown(sensor, name);
  const zero = useZero(sensor, name);
  const whole = numberOn(shown, "whole");
  const take = useRef(onWhole);
  take.current = onWhole;
  useEffect(() => {
    if (counting && whole) take.current(editable(whole));
  }, [counting, whole]);
  if (!connected) return <small>Connect the rig, and it counts them.</small>;
  return (
    <p className={styles.counted}>
      <button
        type="button"
        className="act"
        onClick={() => {
          onCount();
          zero("It counts from here.");
        }}
      >
        {counting ? "Count from here again" : "Count from here"}
      </button>
      {counting && <b>{`${figure(numberOn(shown, name) ?? 0, 2)} counted`}</b>}
    </p>
  );
}

interface FieldProps {
  field: Field;
  id: string;
  text: string;
  fault: boolean;
  disabled: boolean;
  faultId: string;
  onText: (text: string) => void;
}

function AskedField({ field, id, text, fault, disabled, faultId, onText }: FieldProps) {
  const length = useLength();
  const [counting, setCounting] = useState(false);
  const common = { id, disabled, "aria-invalid": fault, "aria-describedby": faultId };
  return (
    <>
      <label htmlFor={id}>
        {field.label}
        {!field.needed && <small> (if you know it)</small>}
      </label>
      <span className={styles.holdField}>
        {field.choices.length ? (
          <select {...common} value={text} onChange={(event) => onText(event.target.value)}>
            <option value="">{field.needed ? "choose" : "not said"}</option>
            {field.choices.map((choice, i) => (
              <option key={choice} value={i}>
                {choice}
              </option>
            ))}
          </select>
        ) : (
          <input
            {...common}
            inputMode="decimal"
            value={text}
            onChange={(event) => {
              setCounting(false); // what is typed stands
              onText(event.target.value);
            }}
          />
        )}{" "}
        {field.unit === "mm" ? length : field.unit}
      </span>
      {field.counted_by && (
        <Counted name={field.counted_by} counting={counting} onCount={() => setCounting(true)} onWhole={onText} />
      )}
    </>
  );
}
