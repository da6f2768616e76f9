import { type PointerEvent, useRef } from "react";

export interface Point {
  x: number;
  y: number;
}

/** Where a pointer is, in a drawing's own units. */
export function pointIn(svg: SVGSVGElement, event: { clientX: number; clientY: number }): Point {
  const point = new DOMPoint(event.clientX, event.clientY);
  const matrix = svg.getScreenCTM();
  return matrix ? point.matrixTransform(matrix.inverse()) : point;
}

/** What a drag does: `move` at every place of the pointer, `drop` where it is let go, `cancel` when the browser takes the
 * pointer away. `held` is what was taken hold of. */
interface Drag<Held> {
  move: (at: Point, held: Held) => void;
  drop?: (at: Point, held: Held) => void;
  cancel?: () => void;
}

/** Dragging in a drawing: `grab` at a handle begins it and tells where; `over` belongs on the svg, which has the pointer,
 * wherever it goes, until it is let go. */
export function useDrag<Held>({ move, drop, cancel }: Drag<Held>) {
  const held = useRef<{ what: Held } | null>(null);
  const grab = (event: PointerEvent<SVGElement>, what: Held): Point => {
    const drawing = (event.currentTarget.ownerSVGElement ?? event.currentTarget) as SVGSVGElement;
    drawing.setPointerCapture(event.pointerId);
    held.current = { what };
    return pointIn(drawing, event);
  };
  const over = {
    onPointerMove: (event: PointerEvent<SVGSVGElement>) => {
      if (held.current) move(pointIn(event.currentTarget, event), held.current.what);
    },
    onPointerUp: (event: PointerEvent<SVGSVGElement>) => {
      const last = held.current;
      held.current = null;
      if (last) drop?.(pointIn(event.currentTarget, event), last.what);
    },
    onPointerCancel: () => {
      held.current = null;
      cancel?.();
    },
  };
  return { grab, over };
}
