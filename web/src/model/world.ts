/** Worlds as they are drawn and edited: sizes in mm, y upwards. */

export type Point = [number, number];
export type Wall = [number, number, number, number];
export interface Outline {
  polygon: Point[];
}
export interface Arc {
  x_mm: number;
  y_mm: number;
  radius_mm: number;
  from_deg: number;
  to_deg: number;
}
export interface Tape {
  points: Point[];
  arcs: Arc[];
  width_mm: number;
  closed: boolean;
  gaps: Point[];
}
export interface Patch extends Outline {
  light_counts: number;
  grade_pct: number;
  heading_deg: number;
}

/** A world's document, as far as it is drawn. */
export interface Ground {
  name: string;
  kind: string;
  size_mm?: Point;
  polygon?: Point[];
  lines?: Tape[];
  patches?: Patch[];
  walls?: Wall[];
  curtains?: Wall[];
  boxes?: Outline[];
  start?: { x_mm: number; y_mm: number; heading_deg: number };
  length_mm?: number;
  from_mm?: number;
  plant?: string;
}

export const groundOf = (world: object) => world as Ground;

const ROOM_MM = 140;
const ROOM = 0.07; // of its size

/** What of the world is drawn: left, bottom, width, height, around all that lies there and some points more. */
export function spanOf(ground: Ground, more: Point[]): [number, number, number, number] {
  const points: Point[] = [
    ...(ground.polygon ?? []),
    ...(ground.lines ?? []).flatMap(linePoints),
    ...[...(ground.boxes ?? []), ...(ground.patches ?? [])].flatMap((each) => each.polygon),
    ...[...(ground.walls ?? []), ...(ground.curtains ?? [])].flatMap(([x1, y1, x2, y2]): Point[] => [
      [x1, y1],
      [x2, y2],
    ]),
    ...more,
  ];
  const [xs, ys] = [points.map(([x]) => x), points.map(([, y]) => y)];
  const size = Math.max(Math.max(...xs) - Math.min(...xs), Math.max(...ys) - Math.min(...ys));
  const room = Math.max(ROOM_MM, size * ROOM);
  const [left, bottom] = [Math.min(...xs) - room, Math.min(...ys) - room];
  return [left, bottom, Math.max(...xs) + room - left, Math.max(...ys) + room - bottom];
}

/** The points of a world's line, arcs drawn out. */
export function linePoints(line: Pick<Tape, "points" | "arcs">): Point[] {
  const points = [...line.points];
  for (const arc of line.arcs) {
    const from = (arc.from_deg * Math.PI) / 180;
    const turn = ((arc.to_deg - arc.from_deg) * Math.PI) / 180;
    const pieces = Math.max(2, Math.ceil((Math.abs(turn) * arc.radius_mm) / 8));
    for (let i = 0; i <= pieces; i++) {
      const angle = from + (turn * i) / pieces;
      points.push([arc.x_mm + arc.radius_mm * Math.cos(angle), arc.y_mm + arc.radius_mm * Math.sin(angle)]);
    }
  }
  return points;
}

/** A line with its gaps as dashes: the pattern of an SVG stroke, none where it is whole. */
export function dashes(points: Point[], closed: boolean, gaps: Point[]): string | undefined {
  if (!gaps.length) return undefined;
  const ends = closed && points[0] ? [...points, points[0]] : points;
  let length = 0;
  for (let i = 1; i < ends.length; i++) {
    const [a, b] = [ends[i - 1], ends[i]];
    if (a && b) length += Math.hypot(b[0] - a[0], b[1] - a[1]);
  }
  const parts: number[] = [];
  let at = 0;
  for (const [from, to] of [...gaps].sort((a, b) => a[0] - b[0])) {
    if (from >= length) break;
    parts.push(from - at, Math.min(to, length) - from);
    at = Math.min(to, length);
  }
  parts.push(length - at, 0);
  return parts.map((part) => part.toFixed(1)).join(" ");
}

export type Thing = "line" | "wall" | "curtain" | "box" | "patch";

/** A point of a world that can be moved: of which thing, which one of them, which point of it; the thing's name and the
 * point's. */
export interface Handle {
  what: Thing | "arc" | "table" | "start";
  index: number;
  point: number;
  at: Point;
  thing: string;
  label: string;
}

const WALLS = { wall: "walls", curtain: "curtains" } as const;
const OUTLINES = { box: "boxes", patch: "patches" } as const;
const SIZE_MM = 200;

/** Every point that can be moved, in the order in which they are stepped through. */
export function handlesOf(ground: Ground): Handle[] {
  const handles: Handle[] = [];
  const put = (what: Handle["what"], index: number, point: number, at: Point, thing: string, which = "") =>
    handles.push({ what, index, point, at, thing, label: which ? `${thing}, ${which}` : thing });
  ground.lines?.forEach((line, i) => {
    line.points.forEach((at, k) => {
      put("line", i, k, at, `line ${i + 1}`, `point ${k + 1}`);
    });
    line.arcs.forEach((arc, k) => {
      put("arc", i, k, [arc.x_mm, arc.y_mm], `line ${i + 1}`, `middle of bend ${k + 1}`);
    });
  });
  for (const what of ["wall", "curtain"] as const)
    ground[WALLS[what]]?.forEach(([x1, y1, x2, y2], i) => {
      put(what, i, 0, [x1, y1], `${what} ${i + 1}`, "point 1");
      put(what, i, 1, [x2, y2], `${what} ${i + 1}`, "point 2");
    });
  for (const what of ["box", "patch"] as const)
    ground[OUTLINES[what]]?.forEach(({ polygon }, i) => {
      polygon.forEach((at, k) => {
        put(what, i, k, at, `${what} ${i + 1}`, `corner ${k + 1}`);
      });
    });
  ground.polygon?.forEach((at, k) => {
    put("table", 0, k, at, "table", `corner ${k + 1}`);
  });
  if (ground.start) put("start", 0, 0, [ground.start.x_mm, ground.start.y_mm], "start");
  return handles;
}

/** The first point of the newest thing of its kind. */
export function newestOf(ground: Ground, what: Thing): Handle | null {
  const own = handlesOf(ground).filter((handle) => handle.what === what);
  return own.find(({ index }) => index === own.at(-1)?.index) ?? null;
}

const replaced = <T>(all: T[], index: number, by: (item: T) => T) =>
  all.map((item, i) => (i === index ? by(item) : item));

/** The points of the thing that a handle is of, changed; nothing is left of a thing with too few. */
function repointed(ground: Ground, { what, index }: Handle, change: (points: Point[]) => Point[]): Ground {
  const enough = (points: Point[]) => points.length >= (what === "line" ? 2 : 3);
  if (what === "line") {
    const lines = replaced(ground.lines ?? [], index, (line) => ({ ...line, points: change(line.points) }));
    return { ...ground, lines: lines.filter((line) => line.arcs.length > 0 || enough(line.points)) };
  }
  if (what === "box" || what === "patch") {
    const key = OUTLINES[what];
    const outlines = replaced<Outline>(ground[key] ?? [], index, (each) => ({
      ...each,
      polygon: change(each.polygon),
    }));
    return { ...ground, [key]: outlines.filter((each) => enough(each.polygon)) };
  }
  if (what === "table") {
    const polygon = change(ground.polygon ?? []);
    return enough(polygon) ? { ...ground, polygon } : ground;
  }
  return ground;
}

/** The world with a point somewhere else. */
export function moved(ground: Ground, handle: Handle, to: Point): Ground {
  const { what, index, point } = handle;
  const [x, y] = [Math.round(to[0]), Math.round(to[1])];
  if (what === "start" && ground.start) return { ...ground, start: { ...ground.start, x_mm: x, y_mm: y } };
  if (what === "arc")
    return {
      ...ground,
      lines: replaced(ground.lines ?? [], index, (line) => ({
        ...line,
        arcs: replaced(line.arcs, point, (arc) => ({ ...arc, x_mm: x, y_mm: y })),
      })),
    };
  if (what === "wall" || what === "curtain") {
    const put = ([x1, y1, x2, y2]: Wall): Wall => (point === 0 ? [x, y, x2, y2] : [x1, y1, x, y]);
    return { ...ground, [WALLS[what]]: replaced(ground[WALLS[what]] ?? [], index, put) };
  }
  return repointed(ground, handle, (points) => replaced(points, point, () => [x, y]));
}

/** The world without a point; a wall goes with either end, a thing with too few points as a whole. */
export function removed(ground: Ground, handle: Handle): Ground {
  const { what, index, point } = handle;
  if (what === "wall" || what === "curtain")
    return { ...ground, [WALLS[what]]: (ground[WALLS[what]] ?? []).filter((_, i) => i !== index) };
  if (what === "arc") {
    const lines = replaced(ground.lines ?? [], index, (line) => ({
      ...line,
      arcs: line.arcs.filter((_, i) => i !== point),
    }));
    return { ...ground, lines: lines.filter((line) => line.arcs.length > 0 || line.points.length > 1) };
  }
  return repointed(ground, handle, (points) => points.filter((_, i) => i !== point));
}

/** The world with a point more, behind another: half way to the next, or as far on at an end. */
export function extended(ground: Ground, handle: Handle): Ground {
  const { what, point } = handle;
  return repointed(ground, handle, (points) => {
    const here = points[point] ?? [0, 0];
    const next = points[point + 1] ?? (what === "line" ? undefined : points[0]);
    const last = points[point - 1] ?? [here[0] - SIZE_MM, here[1]];
    const more: Point = next
      ? [(here[0] + next[0]) / 2, (here[1] + next[1]) / 2]
      : [2 * here[0] - last[0], 2 * here[1] - last[1]];
    return [...points.slice(0, point + 1), [Math.round(more[0]), Math.round(more[1])], ...points.slice(point + 1)];
  });
}

/** The world with a new thing around a place. */
export function added(ground: Ground, what: Thing, [x, y]: Point): Ground {
  const half = SIZE_MM / 2;
  const square: Point[] = [
    [x - half, y - half],
    [x + half, y - half],
    [x + half, y + half],
    [x - half, y + half],
  ];
  const ends: Point[] = [
    [x - SIZE_MM, y],
    [x + SIZE_MM, y],
  ];
  if (what === "line") {
    const width_mm = ground.lines?.[0]?.width_mm ?? 19;
    return {
      ...ground,
      lines: [...(ground.lines ?? []), { points: ends, arcs: [], width_mm, closed: false, gaps: [] }],
    };
  }
  if (what === "wall" || what === "curtain")
    return { ...ground, [WALLS[what]]: [...(ground[WALLS[what]] ?? []), [x - SIZE_MM, y, x + SIZE_MM, y]] };
  if (what === "box") return { ...ground, boxes: [...(ground.boxes ?? []), { polygon: square }] };
  const patch = { polygon: square, light_counts: 80, grade_pct: 0, heading_deg: 0 };
  return { ...ground, patches: [...(ground.patches ?? []), patch] };
}

/** The world with something else on one of its patches. */
export function patched(ground: Ground, index: number, changes: Partial<Patch>): Ground {
  return { ...ground, patches: ground.patches?.map((each, i) => (i === index ? { ...each, ...changes } : each)) };
}

/** Where uphill is on a patch that is steep: from one end of an arrow across its middle to the other. */
export function uphill(patch: Patch): [Point, Point] | null {
  if (patch.grade_pct === 0) return null;
  const count = patch.polygon.length;
  const [x, y] = [0, 1].map(
    (axis) => patch.polygon.reduce((sum, point) => sum + (point[axis] ?? 0), 0) / count,
  ) as Point;
  const reach = 0.6 * Math.min(...patch.polygon.map((point) => Math.hypot(point[0] - x, point[1] - y)));
  const up = ((patch.heading_deg + (patch.grade_pct < 0 ? 180 : 0)) * Math.PI) / 180;
  const [dx, dy] = [reach * Math.cos(up), reach * Math.sin(up)];
  return [
    [x - dx, y - dy],
    [x + dx, y + dy],
  ];
}

/** The world with a bend more at the end of a line: it goes on as the line goes, to the left for positive angles. */
export function bent(ground: Ground, index: number, radius_mm: number, angle_deg: number): Ground {
  const lines = replaced(ground.lines ?? [], index, (line) => {
    const points = linePoints(line);
    const [x, y] = points.at(-1) ?? [0, 0];
    const last = line.arcs.at(-1);
    const [bx, by] = points.at(-2) ?? [x - 1, y];
    const side = Math.sign(angle_deg) || 1;
    const turned = last ? last.to_deg + 90 * Math.sign(last.to_deg - last.from_deg) : null;
    const heading = turned ?? (Math.atan2(y - by, x - bx) * 180) / Math.PI;
    const from_deg = heading - 90 * side;
    const angle = (from_deg * Math.PI) / 180;
    const round = (value: number) => Math.round(value * 100) / 100;
    const arc = {
      x_mm: round(x - radius_mm * Math.cos(angle)),
      y_mm: round(y - radius_mm * Math.sin(angle)),
      radius_mm,
      from_deg: round(from_deg),
      to_deg: round(from_deg + angle_deg),
    };
    return { ...line, arcs: [...line.arcs, arc] };
  });
  return { ...ground, lines };
}
