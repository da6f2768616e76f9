import { useQuery, useQueryClient } from "@tanstack/react-query";
import { type ChangeEvent, type FormEvent, useState } from "react";
import { Link, useNavigate } from "react-router";
import { api, ask, Refused, type Rig, type Schemas } from "../api/client";
import { keys } from "../api/keys";
import { renew } from "../api/renew";
import frame from "../frame/shared.module.css";
import { useLists } from "../hooks/useLists";
import { Glyph } from "../ui/Glyph";
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
  const [said, setSaid] = useState<{ text: string; undo?: () => void } | null>(null);
  const attempt = async (what: Promise<unknown>, text: string, undo?: () => void) => {
    try {
      await what;
    } catch (error) {
      setSaid({ text: error instanceof Refused ? error.message : "Nothing was changed." });
      return false;
    }
    setSaid({ text, undo });
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
      <p className={styles.notice} role="status">
        {said?.text}{" "}
        {said?.undo && (
          <button type="button" className="act" onClick={said.undo}>
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
                <button type="button" className="act" onClick={() => bringBack(rig)}>
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
    if (await done) setDoing(null); // a refusal keeps what was typed
  };
  return (
    <li>
      <Link to={`/${rig.slug}/wire`}>
        <b>{rig.title}</b>
        <span>{rig.purpose}</span>
        <small>{rig.board}</small>
        <span className={styles.rigParts}>{rig.parts.join(" · ")}</span>
        {rig.faults > 0 && (
          <span className={styles.rigFault}>
            <Glyph of="fault" /> {rig.verdict}
          </span>
        )}
      </Link>
      <span className={styles.rigTools}>
        <button type="button" className="plain" onClick={() => begin("rename")}>
          Rename
        </button>
        <button type="button" className="plain" onClick={() => begin("duplicate")}>
          Duplicate
        </button>
        <a className="plain" href={`/api/rigs/${rig.slug}/document`} download>
          Rig file
        </a>
        <button
          type="button"
          className="plain"
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
            Leave it
          </button>
        </form>
      )}
    </li>
  );
}

/** A new rig: its name, and what it begins with. */
function NewRig() {
  const lists = useLists();
  const queries = useQueryClient();
  const navigate = useNavigate();
  const [title, setTitle] = useState("");
  const [purpose, setPurpose] = useState("");
  const [template, setTemplate] = useState("");
  const [board, setBoard] = useState("small-5v");
  const [first, setFirst] = useState("ultrasonic-ranger");
  const [fault, setFault] = useState("");
  const open = async (call: Promise<Rig>) => {
    try {
      const rig = await call;
      await renew(queries, keys.rigs);
      navigate(`/${rig.slug}/wire`);
    } catch (error) {
      setFault(error instanceof Refused ? error.message : "The rig was not made.");
    }
  };
  const make = (event: FormEvent) => {
    event.preventDefault();
    if (!title.trim()) return setFault("Give it a name first.");
    void open(ask(api.POST("/api/rigs", { body: { title, purpose, template, board, first } })));
  };
  const read = async (event: ChangeEvent<HTMLInputElement>) => {
    const file = event.target.files?.[0];
    event.target.value = "";
    if (file) void open(ask(api.POST("/api/rigs/from-file", { body: { text: await file.text(), title } })));
  };
  const sensors = lists.data?.kinds.filter((kind) => kind.family !== "output") ?? [];
  return (
    <form className={styles.newRig} onSubmit={make} noValidate>
      <h2>A new rig</h2>
      <label className="field">
        <span>Name</span>
        <input
          value={title}
          maxLength={60}
          onChange={(event) => setTitle(event.target.value)}
          aria-invalid={fault !== ""}
          aria-describedby="rig-fault"
        />
      </label>
      <label className="field">
        <span>What it is</span>
        <input value={purpose} maxLength={120} onChange={(event) => setPurpose(event.target.value)} />
      </label>
      <label className="field">
        <span>Begin with</span>
        <select value={template} onChange={(event) => setTemplate(event.target.value)}>
          <option value="">from scratch: one sensor on a board</option>
          {lists.data?.templates.map((one) => (
            <option key={one.id} value={one.id}>
              {one.id} · {one.title}
            </option>
          ))}
        </select>
      </label>
      {template === "" && (
        <>
          <label className="field">
            <span>Board</span>
            <select value={board} onChange={(event) => setBoard(event.target.value)}>
              {Object.entries(lists.data?.boards ?? {}).map(([kind, name]) => (
                <option key={kind} value={kind}>
                  {name}
                </option>
              ))}
            </select>
          </label>
          <label className="field">
            <span>First sensor</span>
            <select value={first} onChange={(event) => setFirst(event.target.value)}>
              {sensors.map((kind) => (
                <option key={kind.id} value={kind.id}>
                  {kind.title}
                </option>
              ))}
            </select>
          </label>
        </>
      )}
      <p id="rig-fault" className="field-fault" role="alert">
        {fault}
      </p>
      <p className="row-of-buttons">
        <button type="submit" className="act act-first">
          Begin
        </button>
        <label className={`act ${styles.fileAct}`}>
          Open a rig file
          <input type="file" accept=".json,application/json" onChange={(event) => void read(event)} />
        </label>
      </p>
    </form>
  );
}
