import { type RefObject, useEffect, useState } from "react";

/** The width of an element, as it changes. */
export function useWidth(element: RefObject<HTMLElement | null>, first = 800): number {
  const [width, setWidth] = useState(first);
  useEffect(() => {
    const node = element.current;
    if (!node) return;
    const watching = new ResizeObserver(() => setWidth(node.clientWidth));
    watching.observe(node);
    return () => watching.disconnect();
  }, [element]);
  return width;
}
