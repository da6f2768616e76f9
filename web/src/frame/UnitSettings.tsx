import { Form } from "react-bootstrap";
import { setSettings, useSettings } from "../hooks/settings";
import type { Units } from "../model/units";

const CHOICES: { [K in keyof Units]: { legend: string; choices: Units[K][] } } = {
  length: { legend: "Lengths in", choices: ["mm", "cm", "in"] },
  speed: { legend: "Speeds in", choices: ["m/s", "km/h", "mph"] },
  slope: { legend: "Slopes in", choices: ["°", "%"] },
  level: { legend: "Levels in", choices: ["counts", "V"] },
};

/** In which units a person wants to read; remembered in this browser. */
export function UnitSettings() {
  const settings = useSettings();
  return (
    <>
      {(Object.keys(CHOICES) as (keyof Units)[]).map((name) => (
        <fieldset key={name}>
          <legend>{CHOICES[name].legend}</legend>
          {CHOICES[name].choices.map((unit) => (
            <Form.Check
              key={unit}
              inline
              type="radio"
              name={name}
              id={`${name}-${unit}`}
              label={unit}
              checked={settings[name] === unit}
              onChange={() => setSettings({ [name]: unit })}
            />
          ))}
        </fieldset>
      ))}
    </>
  );
}
