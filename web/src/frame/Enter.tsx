import { type FormEvent, useId, useState } from "react";
import { api, ask, Refused } from "../api/client";
import styles from "./Enter.module.css";
import frame from "./shared.module.css";

/** A device that has not been let in: what the key is, where it is shown, and its field. */
export function Enter() {
  const [key, setKey] = useState("");
  const [fault, setFault] = useState("");
  const id = useId();
  const enter = async (event: FormEvent) => {
    event.preventDefault();
    if (!key.trim()) return setFault("Type the access key.");
    try {
      await ask(api.POST("/api/access/enter", { body: { key } }));
      location.reload();
    } catch (error) {
      setFault(error instanceof Refused ? error.message : "It was not tried; try again.");
    }
  };
  return (
    <main className={frame.rigsPage}>
      <p className={frame.wordmark}>Tick Stone</p>
      <h1>This device needs the access key</h1>
      <p className={styles.lead}>
        It is shown at the machine that Tick Stone runs on: under Settings, Other devices. There is a QR code, too,
        which a phone's camera opens without typing.
      </p>
      <form className={styles.enter} onSubmit={(event) => void enter(event)} noValidate>
        <label htmlFor={id}>Access key</label>
        <input
          id={id}
          value={key}
          maxLength={80}
          autoComplete="off"
          autoCapitalize="characters"
          spellCheck={false}
          placeholder="XXXX-XXXX-XXXX-XXXX"
          onChange={(event) => setKey(event.target.value)}
          aria-invalid={fault !== ""}
          aria-describedby={`${id}-fault`}
        />
        <button type="submit" className="act act-first">
          Enter
        </button>
        <p id={`${id}-fault`} className="field-fault" role="alert">
          {fault}
        </p>
      </form>
    </main>
  );
}
