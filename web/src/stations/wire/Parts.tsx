import { type FormEvent, useId, useState } from "react";
import { api, type Rig, type Schemas } from "../../api/client";
import { usePlace } from "../../hooks/place";
import { useAddress } from "../../hooks/useAddress";
import { type OnFault, useFaults } from "../../hooks/useFaults";
import { useLists } from "../../hooks/useLists";
import { editable, typedIn } from "../../model/format";
import { placeName } from "../../model/harness";
import { InWires } from "./InWires";
import styles from "./Parts.module.css";
import { Supplies } from "./Supplies";
import shared from "./shared.module.css";
import { useRigChange } from "./useRigChange";

type Part = Rig["parts"][number];
type Question = Schemas["OptionModel"];
type Answers = Record<string, string | number>;

/** Everything fitted, with the answers where parts differ; fitting, renaming and taking off; the supplies. What is being
 * typed stays while somebody else changes another part. */
export function Parts() {
  const { rig } = usePlace();
  const { search, put } = useAddress();
  const fitting = search.get("fit");
  if (fitting !== null) return <FitPart kind={fitting} />;
  return (
    <>
      <p>
        <button type="button" className="act act-first" onClick={() => put({ fit: "" }, false)}>
          Fit a part
        </button>
      </p>
      <div className={styles.partList}>
        {rig.parts.map((part) => (
          <PartCard key={JSON.stringify([part.id, part.name, part.options])} part={part} />
        ))}
      </div>
      {rig.in_wires.length > 0 && (
        <section>
          <h2>In the wires</h2>
          <InWires parts={rig.in_wires} />
        </section>
      )}
      <Supplies key={JSON.stringify([rig.rig.supplies, rig.rig.board_from])} />
    </>
  );
}

/** Choose a kind, answer its questions, and it is wired. */
function FitPart({ kind }: { kind: string }) {
  const lists = useLists();
  const { put } = useAddress();
  const { change, refusal, path, revision } = useRigChange();
  const [name, setName] = useState("");
  const [answers, setAnswers] = useState<Answers>({});
  const { faulty, onFault, forget } = useFaults();
  const chosen = lists.data?.kinds.find((known) => known.id === kind);
  const fitIt = async (event: FormEvent) => {
    event.preventDefault();
    const done = await change(
      api.POST("/api/rigs/{slug}/parts", { ...path, body: { kind, name, options: answers, revision } }),
      `Fitted and wired: ${name || chosen?.title}.`,
    );
    if (done) put({ fit: null }, false);
  };
  return (
    <section className={styles.fitPart} aria-label="Fit a part">
      <div className={styles.kindShelf}>
        {lists.data?.families.map((family) => (
          <div key={family.id}>
            <h2>{family.title}</h2>
            {lists.data?.kinds
              .filter((kind) => kind.family === family.id)
              .map((known) => (
                <button
                  key={known.id}
                  type="button"
                  className={styles.kindChoice}
                  aria-pressed={known.id === kind}
                  onClick={() => {
                    setAnswers({});
                    forget();
                    put({ fit: known.id });
                  }}
                >
                  {known.title}
                </button>
              ))}
          </div>
        ))}
      </div>
      <form onSubmit={(event) => void fitIt(event)} noValidate>
        {chosen && (
          <>
            <label className="field">
              <span>Its name on this rig</span>
              <input
                value={name}
                maxLength={40}
                placeholder={chosen.id.replaceAll("-", " ")}
                onChange={(event) => setName(event.target.value)}
              />
            </label>
            <Questions key={chosen.id} kind={chosen} answers={answers} onChange={setAnswers} onFault={onFault} />
            <Clues kind={chosen} />
          </>
        )}
        <p className="field-fault" role="alert">
          {refusal?.message}
        </p>
        <p className="row-of-buttons">
          {chosen && (
            <button type="submit" className="act act-first" disabled={faulty.length > 0}>
              Fit {chosen.title}
            </button>
          )}
          <button type="button" className="act" onClick={() => put({ fit: null }, false)}>
            {chosen ? "Cancel" : "Back to the parts"}
          </button>
        </p>
      </form>
    </section>
  );
}

function Clues({ kind }: { kind: { clues: string[]; cautions: string[] } }) {
  if (kind.clues.length + kind.cautions.length === 0) return null;
  return (
    <ul className={styles.clues}>
      {kind.clues.map((clue) => (
        <li key={clue}>{clue}</li>
      ))}
      {kind.cautions.map((caution) => (
        <li key={caution} className="caution">
          {caution}
        </li>
      ))}
    </ul>
  );
}

interface QuestionsProps {
  kind: { options: Question[] };
  answers: Answers;
  onChange: (answers: Answers) => void;
  onFault: OnFault;
}

/** The questions where parts differ. */
function Questions({ kind, answers, onChange, onFault }: QuestionsProps) {
  return kind.options.map((question) => (
    <Ask
      key={question.name}
      question={question}
      value={answers[question.name] ?? question.usual}
      onChange={(value) => onChange({ ...answers, [question.name]: value })}
      onFault={onFault}
    />
  ));
}

interface AskProps {
  question: Question;
  value: string | number;
  onChange: (value: string | number) => void;
  onFault: OnFault;
}

function Ask({ question, value, onChange, onFault }: AskProps) {
  const id = useId();
  const [text, setText] = useState(editable(Number(value)));
  const offAt = (typed: string) => {
    const number = typedIn(typed, question.unit);
    return number === null || number < question.low || number > question.high;
  };
  const off = offAt(text);
  return (
    <div className="field">
      <label htmlFor={id}>{question.label}</label>
      {question.choices.length > 0 ? (
        <select id={id} value={String(value)} onChange={(event) => onChange(event.target.value)}>
          {question.choices.map((choice) => (
            <option key={choice.value} value={choice.value}>
              {choice.label}
            </option>
          ))}
        </select>
      ) : (
        <span>
          <input
            id={id}
            inputMode="decimal"
            value={text}
            aria-invalid={off}
            onChange={(event) => {
              setText(event.target.value);
              const next = typedIn(event.target.value, question.unit);
              onFault(question.label)(offAt(event.target.value));
              if (next !== null) onChange(next);
            }}
          />{" "}
          {question.unit}
          {off && (
            <span className="field-fault" role="alert">
              {` from ${editable(question.low)} to ${editable(question.high)}`}
            </span>
          )}
        </span>
      )}
      {question.clue && <small>{question.clue}</small>}
    </div>
  );
}

function PartCard({ part }: { part: Part }) {
  const { rig } = usePlace();
  const { change, refusal, path, revision } = useRigChange();
  const [name, setName] = useState(part.name);
  const [answers, setAnswers] = useState<Answers>(part.options);
  const { faulty, onFault } = useFaults();
  const onPart = { params: { path: { ...path.params.path, part: part.id } } };
  const changed = name !== part.name || part.questions.some((q) => at(answers, q) !== at(part.options, q));
  const save = (event: FormEvent) => {
    event.preventDefault();
    void change(
      api.PUT("/api/rigs/{slug}/parts/{part}", { ...onPart, body: { name, options: answers, revision } }),
      `${name} is changed.`,
    );
  };
  const off = () =>
    void change(
      api.POST("/api/rigs/{slug}/parts/{part}/take-off", { ...onPart, body: { revision } }),
      `${part.name} is taken off; what was measured with it is kept.`,
    );
  const wires = rig.rig.wires.filter((wire) => wire.sensor === part.id);
  const faults = rig.findings.filter((finding) => finding.sensor === part.id && finding.severity === "fault");
  return (
    <form className={styles.partCard} onSubmit={save} noValidate aria-label={part.name}>
      <header>
        <input
          aria-label={`Name of ${part.name}`}
          value={name}
          maxLength={40}
          onChange={(e) => setName(e.target.value)}
        />
        <span>{part.kind_title}</span>
        <button type="button" className="plain" aria-label={`Take off ${part.name}`} onClick={off}>
          Take off
        </button>
      </header>
      <p className={styles.partWires}>{wires.map((wire) => `${wire.pin} → ${placeName(rig, wire.to)}`).join(" · ")}</p>
      {faults.map((finding) => (
        <p key={finding.kind + finding.pin} className={shared.faultLine}>
          {finding.sentence}
        </p>
      ))}
      {part.questions.length > 0 && (
        <details>
          <summary>What this one is like</summary>
          <Questions kind={{ options: part.questions }} answers={answers} onChange={setAnswers} onFault={onFault} />
          <Clues kind={part} />
        </details>
      )}
      <p className="field-fault" role="alert">
        {refusal?.message}
      </p>
      <p className="row-of-buttons">
        {changed && (
          <button type="submit" className="act act-first" disabled={faulty.length > 0}>
            Keep the change
          </button>
        )}
      </p>
    </form>
  );
}

function at(answers: Answers, question: Question): string | number {
  return answers[question.name] ?? question.usual;
}
