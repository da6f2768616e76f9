import { useLength } from "../../hooks/settings";
import type { Choice, Decision, Picked } from "../../hooks/useDecision";
import { figure } from "../../model/format";
import { lengthInto } from "../../model/units";
import { Glyph } from "../../ui/Glyph";
import { NumberField } from "../../ui/NumberField";
import styles from "./Choices.module.css";
import shared from "./shared.module.css";

interface Props {
  decision: Decision;
  picked: Picked;
  onPick: (more: Picked) => void;
}

/** What can be chosen, each with what the readings suggest and why. */
export function Choices({ decision, picked, onPick }: Props) {
  return (
    <ul className={styles.choices}>
      {decision.choices.map((choice) => (
        <li key={choice.name}>
          <OneChoice
            choice={choice}
            value={picked[choice.name] ?? choice.value}
            onPick={(value) => onPick({ [choice.name]: value })}
          />
        </li>
      ))}
    </ul>
  );
}

function OneChoice({ choice, value, onPick }: { choice: Choice; value: number; onPick: (value: number) => void }) {
  const length = useLength();
  const unit = choice.unit === "mm" ? lengthInto(length) : undefined;
  const decimals = choice.step < 0.1 ? 2 : choice.step < 1 ? 1 : 0;
  if (choice.options.length)
    return (
      <fieldset className={styles.choiceOptions}>
        <legend>
          <Glyph of="chosen" /> {choice.label}
        </legend>
        {choice.options.map((option, i) => (
          <label key={option}>
            <input type="radio" name={choice.name} checked={value === i} onChange={() => onPick(i)} /> {option}
          </label>
        ))}
        <small>
          suggested: {choice.options[choice.suggested]}, {choice.why}
        </small>
      </fieldset>
    );
  return (
    <div className={styles.choice}>
      <Glyph of="chosen" />
      <NumberField
        label={choice.label}
        value={value}
        unit={choice.unit}
        into={unit}
        low={choice.low}
        high={choice.high}
        onChange={onPick}
      />
      <span className={`${shared.elsewhere} ${styles.elsewhere}`}>
        {value !== choice.suggested && (
          <button type="button" className="act" onClick={() => onPick(choice.suggested)}>
            suggested {figure(choice.suggested, decimals)} {choice.unit}
          </button>
        )}
        {choice.candidates.slice(0, 8).map((candidate) => (
          <button
            key={`${candidate.label} ${candidate.value}`}
            type="button"
            className="act"
            onClick={() => onPick(candidate.value)}
          >
            <Glyph of={candidate.provenance} /> {candidate.label}{" "}
            {candidate.label.includes(String(candidate.value)) ? "" : figure(candidate.value, decimals)}
          </button>
        ))}
        <small>{choice.why}</small>
        {choice.warning && <small className="stale">{choice.warning}</small>}
      </span>
    </div>
  );
}
