import type { Constant } from "../api/client";
import styles from "./Glyph.module.css";

export type Provenance = Constant["provenance"];

const SHAPES: Record<Provenance | "fault", React.ReactNode> = {
  measured: <circle cx="6" cy="6" r="4.6" fill="currentColor" />,
  derived: <path d="M6 .8 11.2 6 6 11.2.8 6z" fill="currentColor" />,
  chosen: <path d="M6 1 11.4 10.8H.6z" fill="currentColor" />,
  assumed: <circle cx="6" cy="6" r="4.2" fill="none" stroke="currentColor" strokeWidth="1.8" />,
  fault: <path d="m2 2 8 8m0-8-8 8" fill="none" stroke="currentColor" strokeWidth="2.2" />,
};

/** What kind of number this is, as a shape and a colour; the word is there for screen readers. */
export function Glyph({ of }: { of: Provenance | "fault" }) {
  return (
    <span className={`glyph role-${of}`}>
      <svg width="12" height="12" viewBox="0 0 12 12" aria-hidden="true">
        {SHAPES[of]}
      </svg>
      <span className="visually-hidden">{of}</span>
    </span>
  );
}

/** Something is in order. */
export function Check() {
  return (
    <svg className={styles.check} width="15" height="13" viewBox="0 0 15 13" aria-hidden="true">
      <path d="m1.5 7 4 4 8-9.5" fill="none" stroke="currentColor" strokeWidth="2.2" />
    </svg>
  );
}

/** A small arrow head, up or down. */
export function Chevron({ up }: { up: boolean }) {
  return (
    <svg width="12" height="8" viewBox="0 0 12 8" aria-hidden="true">
      <path d={up ? "M1 7l5-5 5 5" : "M1 1l5 5 5-5"} fill="none" stroke="currentColor" strokeWidth="2" />
    </svg>
  );
}
