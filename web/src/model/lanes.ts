/** Lanes of a recording as paths: bands of lowest and highest, steps of levels, ticks of edges. */

export interface LaneData {
  t: (number | null)[];
  low: (number | null)[];
  high: (number | null)[];
  exact: boolean;
}

type Map = (value: number) => number;

const at = (x: number, y: number) => `${x.toFixed(1)} ${y.toFixed(1)}`;

/** The stretches of a lane without a hole: places of their first and last point. */
export function stretches(lane: LaneData): [number, number][] {
  const points: [number, number][] = [];
  let begun = -1;
  for (let i = 0; i <= lane.t.length; i++) {
    const there = i < lane.t.length && lane.low[i] !== null && lane.high[i] !== null;
    if (there && begun < 0) begun = i;
    if (!there && begun >= 0) {
      points.push([begun, i - 1]);
      begun = -1;
    }
  }
  return points;
}

/** A line where every reading is drawn, else the band between the lowest and the highest. */
export function bandPath(lane: LaneData, x: Map, y: Map): string {
  const parts: string[] = [];
  for (const [first, last] of stretches(lane)) {
    const over: string[] = [];
    const under: string[] = [];
    for (let i = first; i <= last; i++) {
      const px = x(lane.t[i] as number);
      over.push(at(px, y(lane.high[i] as number)));
      under.push(at(px, y(lane.low[i] as number)));
    }
    if (lane.exact && over.length === 1) parts.push(`M${over[0]}h0.01`);
    else if (lane.exact) parts.push(`M${over.join("L")}`);
    else parts.push(`M${over.join("L")}L${under.reverse().join("L")}Z`);
  }
  return parts.join("");
}

/** Steps of a level: each holds until the next one, the last one until `end`. */
export function stepPath(lane: LaneData, x: Map, y: Map, end: number): string {
  let path = "";
  lane.t.forEach((t, i) => {
    const level = lane.low[i];
    if (t === null || level === null || level === undefined) return;
    path += path ? `H${x(t).toFixed(1)}V${y(level).toFixed(1)}` : `M${at(x(t), y(level))}`;
  });
  return path && `${path}H${x(end).toFixed(1)}`;
}

/** A tick at each edge. */
export function edgePath(lane: LaneData, x: Map, top: number, bottom: number): string {
  return lane.t.map((t) => (t === null ? "" : `M${at(x(t), top)}V${bottom.toFixed(1)}`)).join("");
}

/** A block for each stretch of time in which something is so. */
export function blocks(times: (number | null)[], flags: boolean[], x: Map, y: number, high: number): string {
  let path = "";
  for (let i = 0; i < flags.length; i++) {
    if (!flags[i]) continue;
    let end = i;
    while (end < flags.length - 1 && flags[end]) end++;
    const [from, to] = [x(times[i] ?? 0), x(times[end] ?? 0)];
    path += `M${at(from, y)}H${Math.max(to, from + 0.5).toFixed(1)}v${high.toFixed(1)}H${from.toFixed(1)}Z`;
    i = end;
  }
  return path;
}

/** Where a level's pulses begin and end, for their widths to be written into. */
export function pulseSpans(lane: LaneData): { from: number; to: number; level: number }[] {
  const spans: { from: number; to: number; level: number }[] = [];
  for (let i = 1; i + 1 < lane.t.length; i++) {
    const [from, to, level] = [lane.t[i], lane.t[i + 1], lane.low[i]];
    if (typeof from === "number" && typeof to === "number" && typeof level === "number")
      spans.push({ from, to, level });
  }
  return spans;
}

/** The span of values that a lane is drawn over: its own, a little wider, and never thinner than its last digit. */
export function laneSpan(lane: LaneData, digits: number): [number, number] {
  let [low, high] = [Number.POSITIVE_INFINITY, Number.NEGATIVE_INFINITY];
  for (let i = 0; i < lane.t.length; i++) {
    const [down, up] = [lane.low[i], lane.high[i]];
    if (typeof down === "number" && down < low) low = down;
    if (typeof up === "number" && up > high) high = up;
  }
  if (low > high) return [0, 1];
  const floor = 4 * 10 ** -digits;
  const pad = Math.max((high - low) * 0.1, (floor - (high - low)) / 2, 1e-9);
  return [low - pad, high + pad];
}

/** A time as short as its size allows: 12.3 ms, 4.5 s. */
export function lasting(seconds: number): { value: number; unit: string } {
  const size = Math.abs(seconds);
  if (size < 1e-3) return { value: seconds * 1e6, unit: "µs" };
  return size < 1 ? { value: seconds * 1e3, unit: "ms" } : { value: seconds, unit: "s" };
}
