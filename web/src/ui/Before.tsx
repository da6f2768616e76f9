import { moment } from "../model/format";

const SHOWN = 5;

/** What something was before each of its changes, newest first; nothing where it was never changed. */
export function Before({ states }: { states: { text: string; at: string }[] }) {
  if (states.length === 0) return null;
  return (
    <>
      <b>Before</b>
      <ul className="ticks">
        {states.slice(0, SHOWN).map((state) => (
          <li key={state.at}>
            {state.text}, until {moment(state.at)}
          </li>
        ))}
      </ul>
    </>
  );
}
