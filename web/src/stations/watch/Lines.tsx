import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, ask, type Schemas, sent, type Whole } from "../../api/client";
import { useBench } from "../../hooks/bench";
import { few, figure, plainDecimals, typed } from "../../model/format";
import { Verdict } from "../../ui/Verdict";
import { isOn } from "./said";

type Label = Whole<Schemas["LabelModel"]>;
type Target = Schemas["TargetModel"];
const TIMES = [
  { value: "time:1", title: "the board’s time, µs" },
  { value: "time:1000", title: "the board’s time, ms" },
  { value: "time:1000000", title: "the board’s time, s" },
];

/** What comes on the line and what each label means: guessed, and said otherwise where a person knows better. */
export function Lines() {
  const bench = useBench();
  const { slug } = bench.rig;
  const on = isOn(bench.now);
  const lines = useQuery({
    queryKey: ["r", slug, "lines"],
    queryFn: () => ask(api.GET("/api/rigs/{slug}/lines", { params: { path: { slug } } })),
    refetchInterval: on ? 1000 : false,
  });
  const labels = lines.data?.labels ?? [];
  const unknown = labels.filter((one) => one.meaning === null);
  const said = !labels.length
    ? "No labels have come yet"
    : unknown.length
      ? `${unknown.length} of ${labels.length} labels mean nothing yet`
      : `All ${labels.length} labels are understood`;
  return (
    <>
      <Verdict
        next={
          <p className="next">
            <span>
              {on
                ? "Labels are guessed from their words and units; what you say is remembered for this rig."
                : "Connect a board to see its lines."}
            </span>
            <button type="button" className="act" onClick={() => bench.show({ view: null })}>
              Back to the readings
            </button>
          </p>
        }
      >
        {said}
      </Verdict>
      {labels.length > 0 && (
        <table className="labels">
          <thead>
            <tr>
              <th>label</th>
              <th>last</th>
              <th>means</th>
              <th>raw = number ×</th>
              <th>
                <span className="visually-hidden">guessed or said</span>
              </th>
            </tr>
          </thead>
          <tbody>
            {labels.map((label) => (
              <LabelLine key={label.label} label={label} targets={lines.data?.targets ?? []} />
            ))}
          </tbody>
        </table>
      )}
      <h2>As it comes</h2>
      <ol className="heard">
        {[...(lines.data?.heard ?? [])]
          .reverse()
          .slice(0, 16)
          .map((line, place) => (
            // biome-ignore lint/suspicious/noArrayIndexKey: lines repeat; they are their place
            <li key={place} className={line.why ? "odd" : undefined}>
              <code>{line.text}</code>
              {line.why && <span> {line.why}</span>}
            </li>
          ))}
      </ol>
    </>
  );
}

function LabelLine({ label, targets }: { label: Label; targets: Target[] }) {
  const bench = useBench();
  const path = { params: { path: { slug: bench.rig.slug } } };
  const { meaning } = label;
  const target = targets.find((one) => one.sensor === meaning?.sensor && one.channel === meaning.channel);
  const say = (asked: Partial<Schemas["LabelAsked"]>) =>
    void bench.attempt(
      ask(
        api.PUT("/api/rigs/{slug}/lines", {
          ...path,
          body: sent<Schemas["LabelAsked"]>({ ...asked, label: label.label }),
        }),
      ),
    );
  const choose = (value: string) => {
    if (value === "") return;
    if (value === "ignored") return say({ role: "ignored" });
    if (value.startsWith("time:")) return say({ role: "time", unit_us: Number(value.slice(5)) });
    const [sensor = "", channel = ""] = value.split("|");
    say({ role: "channel", sensor, channel, factor: 1, zero: 0 });
  };
  const now =
    meaning === null
      ? ""
      : meaning.role === "time"
        ? `time:${meaning.unit_us ?? 1000}`
        : meaning.role === "ignored"
          ? "ignored"
          : `${meaning.sensor}|${meaning.channel}`;
  return (
    <tr>
      <th scope="row">
        <code>{label.label}</code>
      </th>
      <td className="figures">
        {label.last === null ? "—" : figure(label.last, plainDecimals(label.last))} {label.unit}
      </td>
      <td>
        <select aria-label={`What ${label.label} means`} value={now} onChange={(event) => choose(event.target.value)}>
          <option value="">nobody knows</option>
          {targets.map((one) => (
            <option key={`${one.sensor}|${one.channel}`} value={`${one.sensor}|${one.channel}`}>
              {one.title}
              {one.unit && `, ${one.unit}`}
            </option>
          ))}
          {TIMES.map((one) => (
            <option key={one.value} value={one.value}>
              {one.title}
            </option>
          ))}
          <option value="ignored">nothing: leave it out</option>
        </select>
      </td>
      <td>
        {meaning?.role === "channel" && (
          <Factor
            key={`${meaning.sensor}${meaning.channel}${meaning.factor}`}
            label={label.label}
            factor={meaning.factor}
            zero={meaning.zero}
            unit={target?.unit ?? ""}
            onChange={(factor) => say({ ...meaning, factor })}
          />
        )}
      </td>
      <td>
        {label.guessed ? (
          <small>{meaning ? "guessed" : ""}</small>
        ) : (
          <button
            type="button"
            className="plain"
            onClick={() =>
              void bench.attempt(
                ask(api.POST("/api/rigs/{slug}/lines/guess", { ...path, body: { label: label.label } })),
              )
            }
          >
            Guess again
          </button>
        )}
      </td>
    </tr>
  );
}

interface FactorProps {
  label: string;
  factor: number;
  zero: number;
  unit: string;
  onChange: (factor: number) => void;
}

/** What a printed number is multiplied by to be the raw one: kept when the field is left. */
function Factor({ label, factor, zero, unit, onChange }: FactorProps) {
  const [text, setText] = useState(String(Number(factor.toPrecision(6))));
  const read = typed(text);
  const wrong = read === null || read === 0;
  const keep = () => {
    if (!wrong && read !== factor) onChange(read);
  };
  return (
    <>
      <input
        aria-label={`${label} times`}
        inputMode="decimal"
        value={text}
        aria-invalid={wrong}
        onChange={(event) => setText(event.target.value)}
        onBlur={keep}
        onKeyDown={(event) => event.key === "Enter" && keep()}
      />{" "}
      {zero !== 0 && <small>+ {few(zero)} </small>}
      <small>{unit}</small>
      {wrong && (
        <span className="field-fault" role="alert">
          A number other than 0.
        </span>
      )}
    </>
  );
}
