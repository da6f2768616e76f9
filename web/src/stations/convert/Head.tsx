import type { ReactNode } from "react";
import { useAddress } from "../../hooks/useAddress";
import benches from "../../ui/benches.module.css";
import { Verdict } from "../../ui/Verdict";

export const BENCHES = [
  { id: "timer", title: "timer planner" },
  { id: "opinion", title: "second opinion" },
  { id: "resistors", title: "resistors" },
  { id: "tilt", title: "tilt" },
  { id: "file", title: "a file" },
] as const;
export type BenchId = (typeof BENCHES)[number]["id"];

/** The verdict, what to do next, and which bench of Convert is open: always in this order. */
export function Head({ verdict, next, first }: { verdict: string; next: ReactNode; first: ReactNode }) {
  return (
    <>
      <Verdict next={next}>{verdict}</Verdict>
      <nav className={benches.benches} aria-label="Benches of Convert">
        {first}
        <BenchLinks />
      </nav>
    </>
  );
}

function BenchLinks() {
  const { search, put } = useAddress();
  const open = search.get("bench");
  return BENCHES.map((bench) => (
    <button
      key={bench.id}
      type="button"
      className={benches.benchLink}
      aria-current={open === bench.id ? "page" : undefined}
      onClick={() => put({ bench: bench.id, part: null }, false)}
    >
      {bench.title}
    </button>
  ));
}

/** A plain sentence where the rig's own next step has nothing to say. */
export function Say({ children }: { children: ReactNode }) {
  return (
    <p className="next">
      <b>Next:</b> <span>{children}</span>
    </p>
  );
}
