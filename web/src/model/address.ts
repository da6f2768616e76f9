/** Everything that the address says of the recording that is open, and of the views beside it. */
export const FORGET = {
  ...{ recording: null, t0: null, t1: null, t: null, s0: null, s1: null, show: null, stone: null },
  ...{ view: null, away: null, file: null },
};

/** What the address says with some of it changed; null takes a name away. The window knows of changes not drawn yet. */
export function addressed(changes: Record<string, string | null> = {}): URLSearchParams {
  const next = new URLSearchParams(window.location.search);
  for (const [name, value] of Object.entries(changes)) value === null ? next.delete(name) : next.set(name, value);
  return next;
}
