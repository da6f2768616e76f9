import { useState } from "react";
import { api, ask, type Mark, type Opened, type Schemas } from "../../api/client";
import { useAct } from "../../hooks/act";
import { usePlace } from "../../hooks/place";
import { duration, figure, THIN } from "../../model/format";
import { Before } from "../../ui/Before";
import { MarkForm } from "../../ui/MarkForm";

interface MarksProps {
  opened: Opened;
  cursor: number | undefined;
  span: [number, number] | undefined;
}

/** The marks of an open recording: found, changed, taken away, and set afterwards at the cursor or over the span. */
export function Marks({ opened, cursor, span }: MarksProps) {
  const { recording, marks, earlier } = opened;
  const place = usePlace();
  const act = useAct();
  const [open, setOpen] = useState<number | "new" | null>(null);
  const close = (which: number | "new") => setOpen((now) => (now === which ? null : now));
  const seconds = (value: number) => (Number.isFinite(value) ? value : null);
  const add = (body: Schemas["NewMark"]) =>
    ask(api.POST("/api/recordings/{recording_id}/marks", { params: { path: { recording_id: recording.id } }, body }));
  return (
    <section>
      <h2>Marks</h2>
      {marks.length > 0 && (
        <ul className="ticks">
          {marks.map((mark) => (
            <MarkLine
              key={mark.id}
              mark={mark}
              earlier={earlier}
              open={open === mark.id}
              onOpen={() => setOpen(mark.id)}
              onClose={() => close(mark.id)}
            />
          ))}
        </ul>
      )}
      {open === "new" ? (
        <MarkForm
          sensors={place.rig.sensors}
          selected={place.sensor}
          times={[
            { label: "From", value: (span?.[0] ?? cursor ?? 0).toFixed(2), needed: true },
            { label: "to", value: span?.[1].toFixed(2) ?? "", needed: false },
          ]}
          keep="Add mark"
          onLeave={() => close("new")}
          onKeep={async ({ times, ...words }) => {
            const [from = 0, to = Number.NaN] = times;
            if (await act.attempt(add({ ...words, t0_s: from, t1_s: seconds(to) }), "Marked.")) close("new");
          }}
        />
      ) : (
        <p>
          {marks.length === 0 && "None yet. Press M while it records, hold M for a span. "}
          <button type="button" className="act" onClick={() => setOpen("new")}>
            {span ? "Mark the span" : `Add a mark${cursor === undefined ? "" : ` at ${figure(cursor, 2)}${THIN}s`}`}
          </button>
        </p>
      )}
    </section>
  );
}

interface LineProps {
  mark: Mark;
  earlier: Opened["earlier"];
  open: boolean;
  onOpen: () => void;
  onClose: () => void;
}

const change = (mark: Mark, body: Schemas["MarkChange"]) =>
  ask(api.PATCH("/api/marks/{mark_id}", { params: { path: { mark_id: mark.id } }, body }));

function MarkLine({ mark, earlier, open, onOpen, onClose }: LineProps) {
  const place = usePlace();
  const act = useAct();
  if (open)
    return (
      <li>
        <ChangeMark mark={mark} earlier={earlier} onLeave={onClose} />
      </li>
    );
  return (
    <li>
      <button type="button" className="link" onClick={() => place.show({ t: mark.t0_s.toFixed(3) })}>
        {mark.label}
      </button>{" "}
      <small>{details(mark)}</small>
      <button type="button" className="plain" aria-label={`Change ${mark.label}`} onClick={onOpen}>
        Change
      </button>
      {mark.truth === null && (
        <button
          type="button"
          className="plain"
          aria-label={`Remove ${mark.label}`}
          onClick={() =>
            void act.attempt(
              change(mark, { archived: true }),
              "The mark is taken away.",
              () => void act.attempt(change(mark, { archived: false })),
            )
          }
        >
          Remove
        </button>
      )}
    </li>
  );
}

/** What a mark says beside its label. */
function details(mark: Mark): string {
  const truth = mark.truth as Schemas["TruthModel"] | null;
  const words = [
    `at ${figure(mark.t0_s, 1)}${THIN}s`,
    mark.t1_s === null ? "" : `for ${duration(mark.t1_s - mark.t0_s)}`,
    truth ? `really ${truth.value}${THIN}${truth.unit}` : "",
    ...Object.entries(mark.conditions).map(([name, value]) => `${name.replace(/_(mm|v)$/, "")} ${value}`),
  ];
  return words.filter(Boolean).join(", ");
}

interface ChangeProps {
  mark: Mark;
  earlier: Opened["earlier"];
  onLeave: () => void;
}

/** A mark being changed, with what it was before. What another window changes meanwhile stays, unless it is the same. */
function ChangeMark({ mark, earlier, onLeave }: ChangeProps) {
  const place = usePlace();
  const act = useAct();
  const [opened] = useState({ mark, earlier });
  const [refused, setRefused] = useState(false); // somebody was first: the next try knows
  const known = refused ? { mark, earlier } : opened;
  const keep = async (words: Schemas["MarkChange"]) => {
    const seen = known.earlier[0]?.id ?? 0;
    const changed = change(mark, { ...words, seen });
    changed.catch(() => setRefused(true));
    if (await act.attempt(changed, "The mark is changed.")) onLeave();
  };
  return (
    <>
      <MarkForm
        sensors={place.rig.sensors}
        selected={place.sensor}
        mark={opened.mark}
        times={[
          { label: "From", value: opened.mark.t0_s.toFixed(2), needed: true },
          { label: "to", value: opened.mark.t1_s === null ? "" : opened.mark.t1_s.toFixed(2), needed: false },
        ]}
        keep="Keep mark"
        onLeave={onLeave}
        onKeep={({ times, ...words }) => void keep(changes(opened.mark, words, times))}
      />
      <Before
        states={earlierStates(known.mark, known.earlier).map(({ state, at }) => ({
          text: `“${state.label}” ${details(state)}`,
          at,
        }))}
      />
    </>
  );
}

/** What a mark was before each of its changes, newest first. */
function earlierStates(mark: Mark, earlier: Opened["earlier"]): { state: Mark; at: string }[] {
  let state = mark;
  return earlier
    .filter((change) => change.mark_id === mark.id && !("archived" in change.before))
    .map((change) => {
      state = { ...state, ...change.before };
      return { state, at: change.at };
    });
}

/** Only what was changed is sent: a mark that a constant rests on still takes another label. */
function changes(mark: Mark, words: Omit<Schemas["NewMark"], "t0_s">, times: number[]): Schemas["MarkChange"] {
  const [from = mark.t0_s, to = Number.NaN] = times;
  const t1 = Number.isFinite(to) ? to : null;
  const same = (a: unknown, b: unknown) => JSON.stringify(a) === JSON.stringify(b);
  const changed: Schemas["MarkChange"] = {};
  if (words.label && words.label !== mark.label) changed.label = words.label;
  if (Math.abs(from - mark.t0_s) > 0.006) changed.t0_s = from;
  if ((t1 === null) !== (mark.t1_s === null) || (t1 !== null && mark.t1_s !== null && Math.abs(t1 - mark.t1_s) > 0.006))
    changed.t1_s = t1;
  if ((words.sensor ?? null) !== mark.sensor) changed.sensor = words.sensor ?? null;
  const before = mark.truth as Schemas["TruthModel"] | null;
  const now = words.truth ?? null;
  if (!same([before?.value, before?.sd ?? null], [now?.value, now?.sd ?? null])) changed.truth = now;
  if (!same(words.conditions ?? {}, mark.conditions)) changed.conditions = words.conditions ?? {};
  return changed;
}
