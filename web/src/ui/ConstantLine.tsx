import { useQuery } from "@tanstack/react-query";
import { type FormEvent, useId, useState } from "react";
import { Overlay, Popover } from "react-bootstrap";
import { Link } from "react-router";
import { api, ask, type Constant, Refused } from "../api/client";
import { keys } from "../api/keys";
import { useAct } from "../hooks/act";
import { usePlace } from "../hooks/place";
import { useLength } from "../hooks/settings";
import { editable, joined, moment, shown, THIN, typedIn } from "../model/format";
import styles from "./ConstantLine.module.css";
import { Glyph } from "./Glyph";

export function fromWhere(constant: Constant): string {
  const when = constant.made_at ? `, ${moment(constant.made_at)}` : "";
  return `${constant.source}${when}`;
}

/** A constant as its own two lines: value ± unit, and under it where it comes from. Opens what is known of it. */
export function ConstantLine({ constant }: { constant: Constant }) {
  const length = useLength();
  const [target, setTarget] = useState<HTMLElement | null>(null);
  const id = useId();
  const value = shown(constant.value, constant.unit, constant.plus_minus, length);
  return (
    <li className={styles.constant}>
      <button
        type="button"
        id={`constant-${constant.name}`}
        aria-expanded={target !== null}
        aria-controls={id}
        onClick={(event) => setTarget(target ? null : event.currentTarget)}
      >
        <Glyph of={constant.provenance} />
        <span className={styles.named}>
          <span>{constant.label}</span>
          <span className={`${styles.constantValue} role-${constant.provenance}`}>{joined(value)}</span>
        </span>
        <span className={styles.constantSource}>
          {constant.stale ? <span className="stale">stale: {constant.stale}</span> : fromWhere(constant)}
          {constant.warning && <span className="stale">; warning: {constant.warning}</span>}
        </span>
      </button>
      <Overlay
        target={target}
        show={target !== null}
        placement="left"
        flip
        popperConfig={{ modifiers: [{ name: "preventOverflow", options: { padding: 8, altAxis: true } }] }}
        rootClose
        onHide={() => {
          target?.focus();
          setTarget(null);
        }}
      >
        <Popover id={id} role="dialog" aria-label={constant.label}>
          <Popover.Body>
            <About constant={constant} onDone={() => setTarget(null)} />
          </Popover.Body>
        </Popover>
      </Overlay>
    </li>
  );
}

const NAMED = 6;

/** Constants by what they are called; the first few where they are many. */
function namedIn(names: string[], constants: Constant[]): string {
  const labels = names.map((name) => constants.find((each) => each.name === name)?.label ?? name.replaceAll("_", " "));
  return labels.length <= NAMED
    ? labels.join(", ")
    : `${labels.slice(0, NAMED - 1).join(", ")} and ${labels.length - NAMED + 1} more`;
}

function About({ constant, onDone }: { constant: Constant; onDone: () => void }) {
  const place = usePlace();
  const length = useLength();
  const path = { slug: place.rig.slug, sensor: place.sensor.id, name: constant.name };
  const history = useQuery({
    queryKey: keys.constantHistory(path.slug, path.sensor, path.name),
    queryFn: () => ask(api.GET("/api/rigs/{slug}/sensors/{sensor}/constants/{name}/history", { params: { path } })),
  });
  return (
    <div className={styles.about}>
      <p>
        <Glyph of={constant.provenance} /> <b>{constant.label}</b> is {constant.provenance}: {fromWhere(constant)}.
      </p>
      {constant.stale && <p className="stale">It no longer holds: {constant.stale}.</p>}
      {constant.warning && <p className="stale">It was chosen all the same: {constant.warning}.</p>}
      {constant.rests_on.length > 0 && <p>Worked out from {namedIn(constant.rests_on, place.constants)}.</p>}
      {constant.plus_minus !== null && <p>± is 95{THIN}%.</p>}
      {constant.recording_id !== null && (
        <p>
          <Link to={`/${path.slug}/watch?sensor=${path.sensor}&recording=${constant.recording_id}`}>
            Open the recording behind it
          </Link>
        </p>
      )}
      {constant.low !== null && constant.high !== null && <Type constant={constant} onDone={onDone} />}
      {(history.data?.length ?? 0) > 1 && (
        <>
          <b>Before</b>
          <ul className="ticks">
            {history.data?.slice(1, 6).map((old) => {
              const value = shown(old.value, old.unit, old.plus_minus, length);
              return (
                <li key={old.made_at}>
                  {joined(value)}, {old.provenance}, {moment(old.made_at)}
                </li>
              );
            })}
          </ul>
        </>
      )}
    </div>
  );
}

/** Typing a constant: a hand reading with its ±, or a choice. */
function Type({ constant, onDone }: { constant: Constant; onDone: () => void }) {
  const place = usePlace();
  const act = useAct();
  const length = useLength();
  const isLength = constant.unit === "mm";
  const [text, setText] = useState(editable(constant.value, isLength ? length : undefined));
  const [spread, setSpread] = useState("");
  const [fault, setFault] = useState("");
  const [seen] = useState(constant.id);
  const [refused, setRefused] = useState(false); // for another value that stands there by now
  const id = useId();
  const measured = constant.typed_as === "measured";
  const read = (from: string) => typedIn(from, constant.unit, length);
  const save = async (event: FormEvent) => {
    event.preventDefault();
    const value = read(text);
    const plusMinus = spread.trim() ? read(spread) : null;
    if (value === null) return setFault(`“${text}” is not a number.`);
    if (spread.trim() && (plusMinus === null || plusMinus < 0))
      return setFault(`± “${spread}” is not a number of 0 or more.`);
    try {
      await ask(
        api.PUT("/api/rigs/{slug}/sensors/{sensor}/constants/{name}", {
          params: { path: { slug: place.rig.slug, sensor: place.sensor.id, name: constant.name } },
          body: { value, plus_minus: plusMinus, note: "", seen: refused ? constant.id : seen },
        }),
      );
      void act.attempt(Promise.resolve(true), `${constant.label} is set.`);
      onDone();
    } catch (error) {
      setFault(error instanceof Refused ? error.message : "It was not saved.");
      setRefused(error instanceof Refused && error.code === "conflict");
    }
  };
  const unit = isLength ? length : constant.unit;
  return (
    <form onSubmit={save} className={styles.typeConstant} noValidate>
      <label htmlFor={`${id}-value`}>{measured ? "You measured" : "You choose"}</label>
      <span>
        <input
          id={`${id}-value`}
          inputMode="decimal"
          value={text}
          onChange={(event) => setText(event.target.value)}
          aria-invalid={fault !== ""}
          aria-describedby={`${id}-fault`}
        />
        {measured && (
          <>
            {" ± "}
            <input
              aria-label="plus or minus"
              inputMode="decimal"
              className={styles.narrow}
              value={spread}
              placeholder="±"
              onChange={(event) => setSpread(event.target.value)}
            />
          </>
        )}{" "}
        {unit}
      </span>
      <p id={`${id}-fault`} className="field-fault" role="alert">
        {fault}
      </p>
      <button type="submit" className="act">
        Set it
      </button>
    </form>
  );
}
