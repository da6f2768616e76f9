/** How often a live trace is drawn again, ms: less for those who ask for little motion. */
export function paceMs(usual: number): number {
  return matchMedia("(prefers-reduced-motion: reduce)").matches ? Math.max(usual, CALM_MS) : usual;
}

const CALM_MS = 300;
