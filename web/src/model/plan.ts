/** The plan view: forward is up, left is left; all in millimetres. */

interface Sizes {
  length_mm: number | null;
  width_mm: number | null;
  front_mm: number | null;
  track_mm: number | null;
}

interface Placed {
  mount: { x_mm: number; y_mm: number; heading_deg: number };
  reach_mm: number | null;
}

export interface Extent {
  x: number;
  y: number;
  width: number;
  height: number;
  /** How much of a beam is drawn. */
  beam: number;
}

/** What the drawing spans: the vehicle and its parts with some of each beam; null when nothing is known. */
export function extent(sizes: Sizes, parts: readonly Placed[]): Extent | null {
  const { length_mm: length, width_mm: width, track_mm: track } = sizes;
  if (length === null && width === null && track === null && parts.length === 0) return null;
  const front = sizes.front_mm ?? (length ?? 0) / 2;
  const xs = [(width ?? track ?? 0) / 2, (track ?? 0) / 2];
  const left = Math.max(...xs, ...parts.map((part) => Math.abs(part.mount.y_mm)), 60);
  const top = Math.max(front, ...parts.map((part) => part.mount.x_mm), 60);
  const bottom = Math.max((length ?? 0) - front, ...parts.map((part) => -part.mount.x_mm), 60);
  const size = Math.max(2 * left, top + bottom);
  const beam = 0.7 * size;
  const looks = (toFront: boolean) =>
    parts.some(
      (part) => (part.reach_mm ?? 0) > 0 && Math.cos((part.mount.heading_deg * Math.PI) / 180) > 0.5 === toFront,
    );
  const up = top + (looks(true) ? beam : 0.12 * size);
  const down = bottom + (looks(false) ? beam : 0.12 * size);
  const height = up + down;
  const wide = Math.max(2 * left + 0.4 * size, 1.7 * height);
  return { x: -wide / 2, y: -up, width: wide, height, beam };
}

/** A beam as a sector from (x, y): heading counter-clockwise from straight ahead, degrees. ``edge`` is its far arc alone. */
export function beamPath(x: number, y: number, heading: number, cone: number, reach: number, edge = false): string {
  const point = (degrees: number) => {
    const turn = (degrees * Math.PI) / 180;
    return `${round(x - reach * Math.sin(turn))} ${round(y - reach * Math.cos(turn))}`;
  };
  const arc = `${point(heading + cone / 2)}A${round(reach)} ${round(reach)} 0 ${cone > 180 ? 1 : 0} 1 ${point(heading - cone / 2)}`;
  return edge ? `M${arc}` : `M${round(x)} ${round(y)}L${arc}Z`;
}

/** Where the sensors of a row sit beside its middle. */
export function rowPlaces(count: number, pitch: number): number[] {
  return Array.from({ length: count }, (_, i) => (i - (count - 1) / 2) * pitch);
}

interface Label<P> {
  part: P;
  side: "left" | "right";
  y: number;
}

/** Labels beside the drawing, to the side the part is on and those in the middle to the right, none nearer than ``gap``. */
export function spread<P extends Placed>(parts: readonly P[], gap: number): Label<P>[] {
  const labels: Label<P>[] = [];
  for (const side of ["left", "right"] as const) {
    const mine = parts
      .filter((part) => part.mount.y_mm > 0 === (side === "left"))
      .sort((a, b) => b.mount.x_mm - a.mount.x_mm);
    let last = Number.NEGATIVE_INFINITY;
    for (const part of mine) {
      last = Math.max(-part.mount.x_mm, last + gap);
      labels.push({ part, side, y: last });
    }
  }
  return labels;
}

/** A round length for the scale bar, about a fifth of the drawing. */
export function scaleBar(width: number): number {
  const aim = width / 5;
  const power = 10 ** Math.floor(Math.log10(aim));
  return ([5, 2, 1].find((step) => step * power <= aim) ?? 1) * power;
}

function round(value: number): number {
  return Math.round(value * 100) / 100;
}
