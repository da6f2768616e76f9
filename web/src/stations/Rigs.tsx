import { useQuery, useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { Link } from "react-router";
import { api, ask, Refused, type Schemas } from "../api/client";
import { keys } from "../api/keys";
import { renew } from "../api/renew";
import frame from "../frame/shared.module.css";
import { Glyph } from "../ui/Glyph";
import { RigDrawn } from "../ui/RigDrawn";
import { NewRig } from "./NewRig";
import styles from "./Rigs.module.css";

type RigLine = Schemas["RigLine"];

/** All rigs, and a new one: from a template, from scratch, from a file. */
export function Rigs() {
  const rigs = useQuery({ queryKey: keys.rigs, queryFn: () => ask(api.GET("/api/rigs")) });
  const archived = useQuery({
    queryKey: keys.archivedRigs,
    queryFn: () => ask(api.GET("/api/rigs", { params: { query: { archived: true } } })),
  });
  const queries = useQueryClient();
  const [notice, setNotice] = useState<{ text: string; undo?: () => void } | null>(null);
  const attempt = async (what: Promise<unknown>, text: string, undo?: () => void) => {
    try {
      await what;
    } catch (error) {
      setNotice({ text: error instanceof Refused ? error.message : "Nothing was changed." });
      return false;
    }
    setNotice({ text, undo });
    await renew(queries, keys.rigs);
    return true;
  };
  const bringBack = (rig: RigLine) =>
    void attempt(
      ask(api.POST("/api/rigs/{slug}/bring-back", { params: { path: { slug: rig.slug } } })),
      `${rig.title} is back on the bench.`,
    );
  const heading = rigs.isError
    ? rigs.error.message
    : !rigs.data
      ? "Looking for rigs"
      : rigs.data.length === 0
        ? "No rig yet: begin with one"
        : verdict(rigs.data);
  return (
    <main className={frame.rigsPage}>
      <p className={frame.wordmark}>Tick Stone</p>
      <h1>{heading}</h1>
      <p className={styles.what}>
        A bench for sensors on vehicles: check the wires before power, measure, work numbers out with their ±,
        calibrate, choose thresholds, drive it before it drives, keep the record.
      </p>
      <p className={styles.notice} role="status">
        {notice?.text}{" "}
        {notice?.undo && (
          <button type="button" className="act" onClick={notice.undo}>
            Undo
          </button>
        )}
      </p>
      <ul className={styles.rigList}>
        {rigs.data?.map((rig) => (
          <RigRow key={rig.slug} rig={rig} onAttempt={attempt} onBringBack={() => bringBack(rig)} />
        ))}
      </ul>
      {archived.data && archived.data.length > 0 && (
        <details className={styles.archived}>
          <summary>{archived.data.length} archived</summary>
          <ul>
            {archived.data.map((rig) => (
              <li key={rig.slug}>
                <b>{rig.title}</b> {rig.purpose}{" "}
                <button
                  type="button"
                  className="act"
                  aria-label={`Bring back ${rig.title}`}
                  onClick={() => bringBack(rig)}
                >
                  Bring back
                </button>
              </li>
            ))}
          </ul>
        </details>
      )}
      <NewRig />
      <p>
        <Link to="/convert" className="act">
          Work out a number without a rig
        </Link>
      </p>
    </main>
  );
}

function verdict(rigs: RigLine[]): string {
  const bad = rigs.filter((rig) => rig.faults > 0);
  const count = `${rigs.length} rig${rigs.length > 1 ? "s" : ""} on the bench`;
  if (bad.length === 0) return `${count}, wired without a fault`;
  return `${count}; ${bad.map((rig) => rig.title).join(" and ")} must not have power yet`;
}

interface RowProps {
  rig: RigLine;
  onAttempt: (what: Promise<unknown>, text: string, undo?: () => void) => Promise<boolean>;
  onBringBack: () => void;
}

function RigRow({ rig, onAttempt, onBringBack }: RowProps) {
  const [doing, setDoing] = useState<"rename" | "duplicate" | null>(null);
  const [title, setTitle] = useState("");
  const [purpose, setPurpose] = useState("");
  const path = { params: { path: { slug: rig.slug } } };
  const begin = (what: "rename" | "duplicate") => {
    setDoing(what);
    setTitle(what === "rename" ? rig.title : `${rig.title} two`);
    setPurpose(rig.purpose);
  };
  const go = async (event: FormEvent) => {
    event.preventDefault();
    const done =
      doing === "rename"
        ? onAttempt(
            ask(api.POST("/api/rigs/{slug}/rename", { ...path, body: { title, purpose, revision: rig.revision } })),
            `Renamed to ${title}; its address stays.`,
          )
        : onAttempt(
            ask(api.POST("/api/rigs/{slug}/duplicate", { ...path, body: { title } })),
            `${title} has the same parts and wires; what was measured on ${rig.title} stays with it.`,
          );
    // a refusal keeps what was typed, and what was begun meanwhile stays open
    if (await done) setDoing((now) => (now === doing ? null : now));
  };
  return (
    <li>
      <Link to={`/${rig.slug}/wire`} className={styles.rig}>
        <span className={styles.picture}>
          <RigDrawn drawn={rig.drawn} />
        </span>
        <span className={styles.words}>
          <b>{rig.title}</b>
          {rig.purpose && <span>{rig.purpose}</span>}
          <span className={rig.faults > 0 ? styles.rigFault : undefined}>
            {rig.faults > 0 && <Glyph of="fault" />} {rig.verdict}
          </span>
          <Next rig={rig} />
        </span>
      </Link>
      <span className={styles.rigTools}>
        <button type="button" className="act" onClick={() => begin("rename")} aria-label={`Rename ${rig.title}`}>
          Rename
        </button>
        <button type="button" className="act" onClick={() => begin("duplicate")} aria-label={`Duplicate ${rig.title}`}>
          Duplicate
        </button>
        <a className="act" href={`/api/rigs/${rig.slug}/document`} download aria-label={`Rig file of ${rig.title}`}>
          Rig file
        </a>
        <button
          type="button"
          className="act"
          aria-label={`Archive ${rig.title}`}
          onClick={() =>
            void onAttempt(
              ask(api.POST("/api/rigs/{slug}/archive", path)),
              `${rig.title} is archived; nothing of it is lost.`,
              onBringBack,
            )
          }
        >
          Archive
        </button>
      </span>
      {doing && (
        <form className={styles.rigEdit} onSubmit={(event) => void go(event)}>
          <input aria-label="Title" value={title} maxLength={60} onChange={(e) => setTitle(e.target.value)} />
          {doing === "rename" && (
            <input aria-label="Purpose" value={purpose} maxLength={120} onChange={(e) => setPurpose(e.target.value)} />
          )}
          <button type="submit" className="act act-first">
            {doing === "rename" ? "Rename" : "Duplicate"}
          </button>
          <button type="button" className="act" onClick={() => setDoing(null)}>
            Cancel
          </button>
        </form>
      )}
    </li>
  );
}

/** The next thing worth doing on a rig. */
function Next({ rig }: { rig: RigLine }) {
  const { slug, sensor, revision } = rig;
  const standing = useQuery({
    queryKey: [...keys.rigs, "next", slug, revision],
    queryFn: () => ask(api.GET("/api/rigs/{slug}/standing", { params: { path: { slug }, query: { sensor } } })),
    enabled: sensor !== "",
  });
  const next = sensor === "" ? "fit a sensor." : standing.data?.[0]?.next.sentence;
  return (
    <span className={styles.next}>
      <b>Next:</b> {next}
    </span>
  );
}
