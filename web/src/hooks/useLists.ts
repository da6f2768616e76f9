import { useQuery } from "@tanstack/react-query";
import { api, ask } from "../api/client";
import { keys } from "../api/keys";

/** What there is to choose from: templates, kinds of parts, boards. */
export function useLists() {
  return useQuery({ queryKey: keys.lists, queryFn: () => ask(api.GET("/api/lists")), staleTime: Infinity });
}
