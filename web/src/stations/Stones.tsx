import { useQuery } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { useSearchParams } from "react-router";
import { api, ask, type Schemas } from "../api/client";
import { keys } from "../api/keys";
import { useAct } from "../hooks/act";
import { usePlace } from "../hooks/place";
import { useLength } from "../hooks/settings";
import { joined, moment, shown } from "../model/format";
import { Glyph, type Provenance } from "../ui/Glyph";
import table from "../ui/table.module.css";
import styles from "./Stones.module.css";

type Line = Schemas["LineModel"];
type Cut = Schemas["StonesModel"];

const FORMS = [
  ["c", "C header"],
  ["python", "Python"],
  ["json", "JSON"],
] as const;

/** The stones of a rig: cutting the next, and any beside another. */
export function Stones({ cut }: { cut: Cut }) {
  const [search] = useSearchParams();
  const last = cut.stones[0]?.number;
  const number = Number(search.get("stone")) || last || 0;
  const before = search.get("before") === null ? Math.max(number - 1, 0) : Number(search.get("before"));
  return (
    <section data-list="stones">
      <h2>Stones</h2>
      <CutForm next={cut.next} waiting={cut.waiting} />
      {last ? (
        <>
          <Since last={last} waiting={cut.waiting} />
          <h2>Any stone, beside another</h2>
          <Choice stones={cut.stones} number={number} before={before} />
        </>
      ) : (
        <p>A stone freezes every constant with where it comes from. Below is what stone 1 would hold.</p>
      )}
      <Changes number={number} before={before} />
    </section>
  );
}

function CutForm({ next, waiting }: { next: number; waiting: number }) {
  const place = usePlace();
  const act = useAct();
  const [why, setWhy] = useState("");
  const path = { params: { path: { slug: place.rig.slug } } };
  const cut = async (event: FormEvent) => {
    event.preventDefault();
    const done = await act.attempt(
      ask(api.POST("/api/rigs/{slug}/stones", { ...path, body: { why } })).then((stone) => {
        place.show({ stone: null, before: null });
        return stone;
      }),
      `Stone ${next} is cut.`,
    );
    if (done) setWhy((now) => (now === why ? "" : now));
  };
  return (
    <form onSubmit={cut} className={styles.cut} aria-label="The next stone">
      <input
        aria-label="Why this stone"
        placeholder="Why this stone"
        value={why}
        onChange={(event) => setWhy(event.target.value)}
      />
      <button type="submit" className={`act${waiting ? " act-first" : ""}`}>
        Cut stone {next}
      </button>
    </form>
  );
}

interface ChoiceProps {
  stones: Cut["stones"];
  number: number;
  before: number;
}

/** Which stone is looked at, beside which, and its files. */
function Choice({ stones, number, before }: ChoiceProps) {
  const place = usePlace();
  const why = stones.find((stone) => stone.number === number)?.why;
  return (
    <p className={styles.stonePick}>
      <label>
        Stone{" "}
        <select value={number} onChange={(event) => place.show({ stone: event.target.value })}>
          {stones.map((stone) => (
            <option key={stone.number} value={stone.number}>
              {stone.number}, {moment(stone.cut_at)}
            </option>
          ))}
        </select>
      </label>{" "}
      <label>
        beside{" "}
        <select value={before} onChange={(event) => place.show({ before: event.target.value })}>
          <option value="0">nothing</option>
          {stones
            .filter((stone) => stone.number !== number)
            .map((stone) => (
              <option key={stone.number} value={stone.number}>
                stone {stone.number}
              </option>
            ))}
        </select>
      </label>
      {why && <span className={styles.stoneWhy}>{why}</span>}
      <span className={styles.exports}>
        {FORMS.map(([form, title]) => (
          <a key={form} className="act" href={`/api/rigs/${place.rig.slug}/stones/${number}/export/${form}`} download>
            {title}
          </a>
        ))}
      </span>
    </p>
  );
}

const NOW = 0; // constants as they stand, in the place of a stone's number

/** What changed since the last stone was cut. */
function Since({ last, waiting }: { last: number; waiting: number }) {
  if (waiting === 0) return <p>Nothing has changed since stone {last}.</p>;
  return (
    <>
      <h2>Changed since stone {last}</h2>
      <Changes number={NOW} before={last} only />
    </>
  );
}

/** Every constant of a stone, beside what it was in the other; ``only`` those that differ. */
function Changes({ number, before, only }: { number: number; before: number; only?: boolean }) {
  const { rig } = usePlace();
  const { slug } = rig;
  const changes = useQuery({
    queryKey: keys.stoneChanges(slug, number, before),
    queryFn: () =>
      ask(
        api.GET("/api/rigs/{slug}/stones/{number}/compare", {
          params: { path: { slug, number }, query: { before: before || undefined } },
        }),
      ),
    placeholderData: (old) => old,
  });
  const shownChanges = changes.data?.filter((change) => !only || change.changed);
  return (
    <div className={table.tableScroll}>
      <table className={table.schedule}>
        <thead>
          <tr>
            <th scope="col">Constant</th>
            {before > 0 && <th scope="col">stone {before}</th>}
            <th scope="col">{number ? `stone ${number}` : "as it stands"}</th>
          </tr>
        </thead>
        <tbody>
          {shownChanges?.map((change) => (
            <tr
              key={`${change.sensor}-${change.label}`}
              className={before && change.changed ? table.changed : undefined}
            >
              <th scope="row">
                {change.label} <small>{rig.sensors.find((sensor) => sensor.id === change.sensor)?.name}</small>
              </th>
              {before > 0 && <Cell line={change.before} />}
              <Cell line={change.after} />
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}

function Cell({ line }: { line: Line | null | undefined }) {
  const length = useLength();
  if (!line) return <td>—</td>;
  const value = shown(line.value, line.unit, line.plus_minus, length);
  return (
    <td title={`${line.source}${line.made_at ? `, ${moment(line.made_at)}` : ""}`}>
      <Glyph of={line.provenance as Provenance} /> {joined(value)}
      {line.stale && <span className="stale"> stale</span>}
      {line.warning && <span className="stale"> {line.warning}</span>}
    </td>
  );
}
