import { type KeyboardEvent, type PointerEvent, useState } from "react";
import type { Rig } from "../../api/client";
import { type Point, useDrag } from "../../hooks/useDrag";
import { type Harness, harness, layout, targets, type Wire } from "../../model/harness";

/** A wire that is being moved: by the pointer (which has a place), or by keys (which go from pin to pin). */
export interface Moving {
  wire: Wire;
  to: string;
  at: Point | null;
}

const COMB_END = 340; // beyond it a wire's end is on no pin

/** The harness as it is drawn while one of its wires may be moved, and what moves it. */
export function useWireMove(rig: Rig, selected: string, onMove: (wire: Wire, to: string) => void) {
  const [moving, setMoving] = useState<Moving | null>(null);
  const drawn = harness(rig, selected, moving?.wire ?? null);
  const able = moving ? targets(rig, moving.wire) : [];
  const leave = () => setMoving(null);
  const put = (wire: Wire, to: string) => {
    if (to && to !== wire.to) onMove(wire, to);
    leave();
  };
  const drag = useDrag<Wire>({
    move: (at, wire) => setMoving({ wire, at, to: nearest(drawn, able, at) }),
    drop: (at, wire) => put(wire, moving ? nearest(drawn, able, at) : ""),
    cancel: leave,
  });
  const grab = (event: PointerEvent<SVGElement>, wire: Wire) => {
    (event.currentTarget as SVGElement).focus();
    setMoving({ wire, to: wire.to, at: drag.grab(event, wire) });
  };
  const keys = (event: KeyboardEvent, wire: Wire) => {
    if (event.key === "Enter" || event.key === " ") {
      event.preventDefault();
      if (moving) put(moving.wire, moving.to);
      else setMoving({ wire, to: wire.to, at: null });
    } else if (moving && event.key === "Escape") {
      leave();
    } else if (moving && (event.key === "ArrowDown" || event.key === "ArrowUp")) {
      event.preventDefault();
      const way = event.key === "ArrowDown" ? 1 : -1;
      const next = able[Math.min(Math.max(able.indexOf(moving.to) + way, 0), able.length - 1)];
      if (next) setMoving({ ...moving, to: next });
    }
  };
  const blur = () => moving && !moving.at && leave();
  return { drawn, moving, able, over: drag.over, grab, keys, blur };
}

/** The pin that can take a wire whose end is held here; none where it is beside them all. */
function nearest(drawn: Harness, able: string[], at: Point): string {
  const pins = drawn.pins.filter((pin) => able.includes(pin.name));
  const near = pins.reduce<(typeof pins)[number] | null>(
    (best, pin) => (!best || Math.abs(pin.y - at.y) < Math.abs(best.y - at.y) ? pin : best),
    null,
  );
  return near && Math.abs(near.y - at.y) < layout.comb.row && at.x < COMB_END ? near.name : "";
}
