import { type RefObject, useEffect } from "react";

const NEXT = 'li[aria-current="step"] :is(input, select, button)';

/** When what had the focus is gone, the focus does not fall to the page: it goes to what comes next in the work, the field
 * of the present step where there is one. */
export function useFocusKept(work: RefObject<HTMLElement | null>) {
  useEffect(() => {
    let last: Element | null = null;
    const seen = (event: FocusEvent) => {
      last = event.target instanceof Element ? event.target : null;
    };
    const look = new MutationObserver(() => {
      if (!last || last.isConnected || document.activeElement !== document.body) return;
      last = null;
      requestAnimationFrame(() => {
        if (document.activeElement !== document.body) return; // something has taken it meanwhile
        const next = work.current?.querySelector<HTMLElement>(NEXT) ?? work.current;
        next?.focus({ preventScroll: true });
      });
    });
    document.addEventListener("focusin", seen);
    look.observe(document.body, { childList: true, subtree: true });
    return () => {
      document.removeEventListener("focusin", seen);
      look.disconnect();
    };
  }, [work]);
}
