import { useQueryClient } from "@tanstack/react-query";
import { useCallback, useRef } from "react";
import { keys } from "../api/keys";
import { renew } from "../api/renew";

/** Look again at everything of a rig. While one look is under way the next waits for its end, and stands for all that were
 * asked for meanwhile: many changes in a row are seen as they come, not only after the last. */
export function useRefresh(slug: string): () => Promise<void> {
  const queries = useQueryClient();
  const running = useRef<Promise<void> | null>(null);
  const waiting = useRef<Promise<void> | null>(null);
  return useCallback(() => {
    const look = () => {
      waiting.current = null;
      const now = renew(queries, keys.rig(slug)).finally(() => {
        if (running.current === now) running.current = null;
      });
      running.current = now;
      return now;
    };
    if (!running.current) return look();
    waiting.current ??= running.current.then(look, look);
    return waiting.current;
  }, [queries, slug]);
}
