import { type FormEvent, useState } from "react";
import { Modal } from "react-bootstrap";
import { api, ask, Refused } from "../api/client";
import { useBench, useLength } from "../hooks/bench";
import { lengthTyped, typed } from "../model/format";

/** Pairs from a notebook: one line each, distance and echo time. */
export function Pairs({ show, onHide }: { show: boolean; onHide: () => void }) {
  const bench = useBench();
  const length = useLength();
  const [text, setText] = useState("");
  const [fault, setFault] = useState("");
  const save = async (event: FormEvent) => {
    event.preventDefault();
    const lines = text.split("\n").map((line) => line.trim());
    const pairs: [number, number][] = [];
    for (const [i, line] of lines.entries()) {
      if (!line) continue;
      const [distance = "", echo = "", ...more] = line.split(/[\s;]+/);
      const [mm, us] = [lengthTyped(distance, length), typed(echo)];
      if (mm === null || us === null || more.length) {
        return setFault(`Line ${i + 1}: “${line}” is not a distance and an echo time.`);
      }
      pairs.push([mm, us]);
    }
    try {
      await ask(
        api.POST("/api/rigs/{slug}/sensors/{sensor}/ruler/pairs", {
          params: { path: { slug: bench.rig.slug, sensor: bench.sensor.id } },
          body: { pairs },
        }),
      );
      void bench.attempt(Promise.resolve(true), `${pairs.length} pairs are in.`);
      setText("");
      setFault("");
      onHide();
    } catch (error) {
      setFault(error instanceof Refused ? error.message : "They were not taken.");
    }
  };
  return (
    <Modal show={show} onHide={onHide} centered aria-labelledby="pairs-title">
      <Modal.Header closeButton>
        <Modal.Title id="pairs-title" as="h2">
          Pairs from a notebook
        </Modal.Title>
      </Modal.Header>
      <Modal.Body>
        <form onSubmit={save} noValidate>
          <label htmlFor="pairs">One pair a line: distance in {length}, a space, echo time in µs</label>
          <textarea
            id="pairs"
            rows={7}
            value={text}
            placeholder={length === "mm" ? "150 893\n400 2352" : "15 893\n40 2352"}
            onChange={(event) => setText(event.target.value)}
            aria-invalid={fault !== ""}
            aria-describedby="pairs-fault"
          />
          <p id="pairs-fault" className="field-fault" role="alert">
            {fault}
          </p>
          <button type="submit" className="act act-first">
            Take them
          </button>
        </form>
      </Modal.Body>
    </Modal>
  );
}
