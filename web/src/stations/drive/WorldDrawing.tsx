import { useMemo, useRef } from "react";
import { useDrag } from "../../hooks/useDrag";
import { extended, type Ground, type Handle, handlesOf, moved, type Point, removed, spanOf } from "../../model/world";
import { GroundDrawn } from "./GroundDrawn";
import styles from "./WorldDrawing.module.css";

const STEP_MM = 10;
const MANY = 60;
const ARROWS: Record<string, Point> = {
  ArrowLeft: [-1, 0],
  ArrowRight: [1, 0],
  ArrowUp: [0, 1],
  ArrowDown: [0, -1],
};

interface Props {
  ground: Ground;
  chosen: Handle | null;
  onChoose: (handle: Handle | null) => void;
  onMove: (handle: Handle, to: Point) => void;
  onDrop: () => void;
  onPut: (ground: Ground) => void;
}

/** A world with a handle at each of its points: dragged, or moved by the arrow keys; Enter puts a point behind it, Delete
 * takes it away. */
export function WorldDrawing({ ground, chosen, onChoose, onMove, onDrop, onPut }: Props) {
  const drag = useDrag<Handle>({
    move: ({ x, y }, handle) => onMove(handle, [x, -y]),
    drop: onDrop,
    cancel: onDrop,
  });
  // what it shows stands while it is dragged
  const whole = useRef<[number, number, number, number] | null>(null);
  const [width0, height0] = ground.size_mm ?? [0, 0];
  const edges = useMemo<Point[]>(
    () => (width0 ? [[0, 0] as Point, [width0, height0] as Point] : []),
    [width0, height0],
  );
  if (!whole.current || width0) whole.current = width0 ? spanOf({ name: "", kind: "" }, edges) : spanOf(ground, []);
  const [left, bottom, width, height] = whole.current;
  const unit = Math.max(width / 640, height / 460);
  const handles = handlesOf(ground);
  const size = handles.length > MANY ? 2.5 : 6;
  const keyed = (event: React.KeyboardEvent, handle: Handle) => {
    const arrow = ARROWS[event.key];
    if (arrow) {
      const far = event.shiftKey ? 1 : STEP_MM;
      onPut(moved(ground, handle, [handle.at[0] + far * arrow[0], handle.at[1] + far * arrow[1]]));
    } else if (event.key === "Delete" || event.key === "Backspace") {
      onPut(removed(ground, handle));
    } else if (event.key === "Enter") {
      onPut(extended(ground, handle));
    } else return;
    event.preventDefault();
  };
  return (
    <svg
      className={styles.drawing}
      viewBox={`${left} ${-bottom - height} ${width} ${height}`}
      role="group"
      aria-label={`${ground.name}, drawn from above`}
      {...drag.over}
    >
      <g transform="scale(1 -1)">
        {ground.size_mm && (
          <rect width={ground.size_mm[0]} height={ground.size_mm[1]} className={styles.floor} strokeWidth={unit} />
        )}
        <GroundDrawn ground={ground} unit={unit} />
        {ground.start && (
          <path
            d="M-9 -8L16 0L-9 8z"
            transform={`translate(${ground.start.x_mm} ${ground.start.y_mm}) rotate(${ground.start.heading_deg}) scale(${unit})`}
            className={styles.start}
          />
        )}
        {handles.map((handle) => (
          <circle
            key={handle.label}
            cx={handle.at[0]}
            cy={handle.at[1]}
            r={(handle.label === chosen?.label ? 8 : size) * unit}
            strokeWidth={1.4 * unit}
            className={styles.handle}
            role="button"
            tabIndex={0}
            aria-label={`${handle.label}, at ${handle.at[0]}, ${handle.at[1]}`}
            aria-pressed={handle.label === chosen?.label}
            onFocus={() => onChoose(handle)}
            onKeyDown={(event) => keyed(event, handle)}
            onPointerDown={(event) => {
              onChoose(handle);
              drag.grab(event, handle);
            }}
          />
        ))}
      </g>
    </svg>
  );
}
