import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, ask, type Schemas } from "../../api/client";
import { keys } from "../../api/keys";
import { usePlace } from "../../hooks/place";
import type { Drive } from "../../hooks/useDrive";
import { figure } from "../../model/format";
import styles from "./Ways.module.css";

type Way = Schemas["WayModel"];
type Score = Way["score"][number];

const SHOWN = ["lap_s", "lost", "lost_s", "offset_worst_mm", "offset_p95_mm", "hits", "nearest_mm", "way_m"];

/** Every way in which this rig can drive the course, beside each other, once it is asked for. */
export function Ways({ drive }: { drive: Drive }) {
  const [open, setOpen] = useState(false);
  const able = drive.run.data?.world.kind === "floor" && drive.kept === null;
  if (!able) return null;
  return (
    <details className={styles.ways} open={open} onToggle={(event) => setOpen(event.currentTarget.open)}>
      <summary>Other behaviours on this course, side by side</summary>
      {open && <Table drive={drive} />}
    </details>
  );
}

function Table({ drive }: { drive: Drive }) {
  const { rig } = usePlace();
  const { body } = drive;
  const ways = useQuery({
    queryKey: keys.ways(rig.slug, rig.version, body),
    queryFn: () => ask(api.POST("/api/rigs/{slug}/drive/ways", { params: { path: { slug: rig.slug } }, body })),
    retry: false,
  });
  if (ways.error) return <p role="alert">{ways.error.message}</p>;
  if (!ways.data) return <p role="status">Each behaviour is driven …</p>;
  const columns = columnsOf(ways.data);
  const open = (way: Way) =>
    drive.change({
      behaviour: way.behaviour,
      world: body.world,
      set: Object.entries(way.given)
        .map(([name, value]) => `${name}:${value}`)
        .join(","),
    });
  return (
    <div className={styles.table}>
      <table>
        <caption className="visually-hidden">Every behaviour on {body.world}</caption>
        <thead>
          <tr>
            <th scope="col">behaviour</th>
            {columns.map(({ name, label, unit }) => (
              <th key={name} scope="col">
                {label}
                {unit && `, ${unit}`}
              </th>
            ))}
            <th scope="col">how it went</th>
          </tr>
        </thead>
        <tbody>
          {ways.data.map((way) => (
            <tr key={`${way.behaviour} ${way.words}`}>
              <th scope="row">
                <button type="button" className="link" onClick={() => open(way)}>
                  {way.title}
                  {way.words && `, ${way.words}`}
                </button>
              </th>
              {columns.map(({ name }) => (
                <td key={name}>{cellText(way.score.find((score) => score.name === name))}</td>
              ))}
              <td>{way.verdict}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}

/** The scores that any of the ways has, of those that are compared. */
function columnsOf(ways: Way[]): Score[] {
  const every = ways.flatMap((way) => way.score).filter((score) => score.value !== null);
  return SHOWN.flatMap((name) => every.find((score) => score.name === name) ?? []);
}

function cellText(score: Score | undefined): string {
  if (!score || score.value === null) return "—";
  return typeof score.value === "number" ? figure(score.value, score.digits) : score.value ? "yes" : "no";
}
