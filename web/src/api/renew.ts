import type { QueryClient, QueryKey } from "@tanstack/react-query";

/** Ask again for everything under a key, once something has changed there; without a key, for all. A first answer that is
 * still on its way tells how it was before the change: it is not waited for. */
export async function renew(queries: QueryClient, queryKey: QueryKey = []): Promise<void> {
  await queries.cancelQueries({ queryKey, predicate: (query) => query.state.data === undefined });
  await queries.invalidateQueries({ queryKey });
}
