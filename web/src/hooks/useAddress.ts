import { useCallback } from "react";
import { useSearchParams } from "react-router";
import { addressed } from "../model/address";

/** What a bench shows stands in the address, so that it can be shared and Back works. */
export function useAddress() {
  const [search, setSearch] = useSearchParams();
  const put = useCallback(
    (changes: Record<string, string | null>, replace = true) => setSearch(addressed(changes), { replace }),
    [setSearch],
  );
  return { search, put };
}

/** Numbers of the address whose names begin with a prefix: "r." raw numbers, "c." constants. */
export function numbersIn(search: URLSearchParams, prefix: string): Record<string, number> {
  const numbers: Record<string, number> = {};
  for (const [name, text] of search) {
    const value = Number(text);
    if (name.startsWith(prefix) && text !== "" && Number.isFinite(value)) numbers[name.slice(prefix.length)] = value;
  }
  return numbers;
}
