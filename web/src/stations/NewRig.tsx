import { useQueryClient } from "@tanstack/react-query";
import { type ChangeEvent, type FormEvent, useState } from "react";
import { useNavigate } from "react-router";
import { api, ask, Refused, type Rig, type Schemas } from "../api/client";
import { keys } from "../api/keys";
import { renew } from "../api/renew";
import { useLists } from "../hooks/useLists";
import { beginnings, startName } from "../model/beginnings";
import { RigDrawn } from "../ui/RigDrawn";
import styles from "./NewRig.module.css";

const SCRATCH = "";

/** A new rig: what it begins with, and its name. */
export function NewRig() {
  const queries = useQueryClient();
  const navigate = useNavigate();
  const lists = useLists();
  const [title, setTitle] = useState("");
  const [purpose, setPurpose] = useState("");
  const [begin, setBegin] = useState<Begin | null>(null);
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
  const usual = begin && startName(lists.data, begin.template, begin.first);
  const make = (event: FormEvent) => {
    event.preventDefault();
    if (!begin) return setFault("Choose what it begins with.");
    void open(ask(api.POST("/api/rigs", { body: { title: title.trim() || usual || "", purpose, ...begin } })));
  };
  const read = async (event: ChangeEvent<HTMLInputElement>) => {
    const file = event.target.files?.[0];
    event.target.value = "";
    if (file) void open(ask(api.POST("/api/rigs/from-file", { body: { text: await file.text(), title } })));
  };
  const choose = (next: Begin) => {
    setBegin(next);
    setFault("");
  };
  return (
    <form className={styles.newRig} onSubmit={make} noValidate>
      <h2>A new rig</h2>
      {lists.data && <Beginnings lists={lists.data} begin={begin} onChoose={choose} />}
      <div className={styles.named}>
        <label className="field">
          <span>Name</span>
          <input
            value={title}
            maxLength={60}
            placeholder={usual ?? ""}
            onChange={(event) => setTitle(event.target.value)}
            aria-invalid={fault !== "" && begin !== null}
            aria-describedby="rig-fault"
          />
        </label>
        <label className="field">
          <span>What it is</span>
          <input value={purpose} maxLength={120} onChange={(event) => setPurpose(event.target.value)} />
        </label>
        <button type="submit" className="act act-first">
          Make rig
        </button>
        <label className={`act ${styles.fileAct}`}>
          Open a rig file
          <input type="file" accept=".json,application/json" onChange={(event) => void read(event)} />
        </label>
      </div>
      <p id="rig-fault" className="field-fault" role="alert">
        {fault}
      </p>
    </form>
  );
}

interface Begin {
  template: string;
  board: string;
  first: string;
}

interface BeginningsProps {
  lists: Schemas["Lists"];
  begin: Begin | null;
  onChoose: (begin: Begin) => void;
}

/** What a rig can begin with, by what lies on the bench: templates as drawings, or one sensor on a board. */
function Beginnings({ lists, begin, onChoose }: BeginningsProps) {
  const [there, setThere] = useState<string[]>([]);
  const shown = beginnings(lists.templates, there);
  const sensors = lists.kinds.filter((kind) => kind.family !== "output");
  const used = new Set(lists.templates.flatMap((each) => each.drawn.parts.map((part) => part.kind)));
  const scratch = { template: SCRATCH, board: "small-5v", first: there[0] ?? "ultrasonic-ranger" };
  const pick = (template: string) => onChoose({ ...scratch, ...begin, template });
  const turn = (kind: string) =>
    setThere(there.includes(kind) ? there.filter((each) => each !== kind) : [...there, kind]);
  return (
    <>
      <fieldset className={styles.bench}>
        <legend>What lies on the bench?</legend>
        <div className={styles.chips}>
          {sensors
            .filter((kind) => used.has(kind.id))
            .map((kind) => (
              <button
                key={kind.id}
                type="button"
                className="act"
                aria-pressed={there.includes(kind.id)}
                onClick={() => turn(kind.id)}
              >
                {kind.title}
              </button>
            ))}
        </div>
      </fieldset>
      <fieldset className={styles.bench}>
        <legend>Begin with</legend>
        <div className={styles.grid}>
          {shown.map(({ id, title, drawn, more }) => (
            <Beginning
              key={id}
              name={title}
              chosen={begin?.template === id}
              note={more.length > 0 ? `needs ${more.join(", ")} too` : drawn.parts.map((part) => part.name).join(", ")}
              onChoose={() => pick(id)}
            >
              <RigDrawn drawn={drawn} />
            </Beginning>
          ))}
          <Beginning
            name="One sensor on a board"
            chosen={begin?.template === SCRATCH}
            note="from scratch: it is wired, the rest follows"
            onChoose={() => pick(SCRATCH)}
          >
            <RigDrawn drawn={alone(lists, begin?.first ?? scratch.first)} />
          </Beginning>
        </div>
      </fieldset>
      {begin?.template === SCRATCH && (
        <div className={styles.named}>
          <Choice
            label="Board"
            value={begin.board}
            options={Object.entries(lists.boards)}
            onChange={(board) => onChoose({ ...begin, board })}
          />
          <Choice
            label="First sensor"
            value={begin.first}
            options={sensors.map((kind): Option => [kind.id, kind.title])}
            onChange={(first) => onChoose({ ...begin, first })}
          />
        </div>
      )}
    </>
  );
}

/** One sensor on a board, to be drawn. */
function alone(lists: Schemas["Lists"], first: string): Schemas["DrawnRig"] {
  const kind = lists.kinds.find((each) => each.id === first);
  const geometry = { length_mm: null, width_mm: null, front_mm: null, wheel_mm: null, track_mm: null };
  const part = { id: first, name: "", kind: first, family: kind?.family ?? "", mount: null };
  const none = { cone_deg: null, reach_mm: null, row: null, pitch_mm: null };
  return { geometry, parts: [{ ...part, ...none }] };
}

interface BeginningProps {
  name: string;
  note: string;
  chosen: boolean;
  onChoose: () => void;
  children: React.ReactNode;
}

function Beginning({ name, note, chosen, onChoose, children }: BeginningProps) {
  return (
    <label className={styles.beginning}>
      <input type="radio" name="beginning" className="visually-hidden" checked={chosen} onChange={onChoose} />
      <span className={styles.picture}>{children}</span>
      <b>{name}</b>
      <small>{note}</small>
    </label>
  );
}

type Option = [value: string, title: string];

interface ChoiceProps {
  label: string;
  value: string;
  options: Option[];
  onChange: (value: string) => void;
}

function Choice({ label, value, options, onChange }: ChoiceProps) {
  return (
    <label className="field">
      <span>{label}</span>
      <select value={value} onChange={(event) => onChange(event.target.value)}>
        {options.map(([option, title]) => (
          <option key={option} value={option}>
            {title}
          </option>
        ))}
      </select>
    </label>
  );
}
