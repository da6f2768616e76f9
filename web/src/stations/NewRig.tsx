import { useQueryClient } from "@tanstack/react-query";
import { type ChangeEvent, type FormEvent, useState } from "react";
import { useNavigate } from "react-router";
import { api, ask, Refused, type Rig } from "../api/client";
import { keys } from "../api/keys";
import { renew } from "../api/renew";
import { useLists } from "../hooks/useLists";
import styles from "./NewRig.module.css";

/** A new rig: its name, and what it begins with. */
export function NewRig() {
  const queries = useQueryClient();
  const navigate = useNavigate();
  const [title, setTitle] = useState("");
  const [purpose, setPurpose] = useState("");
  const [begin, setBegin] = useState({ template: "", board: "small-5v", first: "ultrasonic-ranger" });
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
    void open(ask(api.POST("/api/rigs", { body: { title, purpose, ...begin } })));
  };
  const read = async (event: ChangeEvent<HTMLInputElement>) => {
    const file = event.target.files?.[0];
    event.target.value = "";
    if (file) void open(ask(api.POST("/api/rigs/from-file", { body: { text: await file.text(), title } })));
  };
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
      <Beginning begin={begin} onChange={(change) => setBegin({ ...begin, ...change })} />
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

interface Begin {
  template: string;
  board: string;
  first: string;
}

interface BeginningProps {
  begin: Begin;
  onChange: (change: Partial<Begin>) => void;
}

/** A template, or from scratch: one sensor on a board. */
function Beginning({ begin, onChange }: BeginningProps) {
  const lists = useLists();
  const templates = lists.data?.templates ?? [];
  const boards = Object.entries(lists.data?.boards ?? {});
  const sensors = lists.data?.kinds.filter((kind) => kind.family !== "output") ?? [];
  return (
    <>
      <Choice
        label="Begin with"
        value={begin.template}
        options={[
          ["", "from scratch: one sensor on a board"],
          ...templates.map((template): Option => [template.id, `${template.id} · ${template.title}`]),
        ]}
        onChange={(template) => onChange({ template })}
      />
      {begin.template === "" && (
        <>
          <Choice label="Board" value={begin.board} options={boards} onChange={(board) => onChange({ board })} />
          <Choice
            label="First sensor"
            value={begin.first}
            options={sensors.map((kind): Option => [kind.id, kind.title])}
            onChange={(first) => onChange({ first })}
          />
        </>
      )}
    </>
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
