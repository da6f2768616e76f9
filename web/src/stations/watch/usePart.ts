import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { api, ask, type Opened } from "../../api/client";
import { keys } from "../../api/keys";
import { usePlace } from "../../hooks/place";
import { useAddress } from "../../hooks/useAddress";
import { addressed } from "../../model/address";
import type { Finding } from "../../model/live";

type Shown = Opened["shown"][number];
type Span = [number, number];

const WIDTH = 900;
const FIRST_LANES = 3;
const MOST_LANES = 12;

/** What is drawn when nothing was chosen: the selected sensor, and a few others. */
function firstLanes(shown: Shown[], sensor: string): string[] {
  const main = shown.filter((lane) => lane.channel === "");
  const rest = main.filter((lane) => lane.sensor !== sensor);
  const chosen = [...main.filter((lane) => lane.sensor === sensor), ...rest].slice(0, FIRST_LANES);
  return (chosen.length ? chosen : shown.slice(0, FIRST_LANES)).map((lane) => lane.id);
}

export type Part = ReturnType<typeof usePart>;

/** Which part of an opened recording is shown, as it stands in the address: lanes, times, cursor, span, stone. */
export function usePart(opened: Opened) {
  const place = usePlace();
  const { search } = useAddress();
  const { recording, shown } = opened;
  const number = (name: string) => (search.has(name) ? Number(search.get(name)) : undefined);
  const known = new Set(shown.map((lane) => lane.id));
  const shownIds = (search.get("show") ?? "").split(",").filter((id) => known.has(id));
  const show = shownIds.length ? shownIds.slice(0, MOST_LANES) : firstLanes(shown, place.sensor.id);
  const streams = recording.streams.filter((stream) => stream.n > 0);
  const first = Math.min(...streams.map((stream) => stream.t0_s ?? 0));
  const last = Math.max(...streams.map((stream) => stream.t1_s ?? 0), first + 1e-3);
  const placeIn = (address: URLSearchParams) => ({
    view: [Number(address.get("t0") ?? first), Number(address.get("t1") ?? last)] as Span,
    cursor: address.has("t") ? Number(address.get("t")) : undefined,
  });
  const viewOf = (t0: number, t1: number) => {
    const all = t0 <= first && t1 >= last;
    const closest = Math.max(t1 - t0, 1e-4);
    const view = [Math.max(first, t0), Math.min(last, t0 + closest)].map((t) => t.toFixed(6));
    return all ? { t0: null, t1: null } : { t0: view[0] ?? null, t1: view[1] ?? null };
  };
  const span: Span | undefined =
    search.has("s0") && search.has("s1") ? [number("s0") ?? 0, number("s1") ?? 0] : undefined;
  return {
    ...placeIn(search),
    show,
    span,
    stone: number("stone"),
    t0: number("t0"),
    t1: number("t1"),
    empty: streams.length === 0,
    whole: [first, last] as Span,
    zoomed: search.has("t0") || search.has("t1"),
    now: () => placeIn(addressed()),
    setView: (t0: number, t1: number) => place.show(viewOf(t0, t1)),
    /** The place of a finding, with some room around it, and its sensor's lane. */
    showFinding: (finding: Finding) => {
      const room = Math.max((finding.end_s - finding.start_s) * 0.3, 0.5);
      const lane = shown.find((lane) => lane.sensor === finding.sensor && lane.channel === "");
      const more: Record<string, string> =
        lane && !show.includes(lane.id) ? { show: [...show.slice(0, MOST_LANES - 1), lane.id].join(",") } : {};
      place.show({ ...more, ...viewOf(finding.start_s - room, finding.end_s + room) });
    },
  };
}

/** The lanes of the part that is shown, and of the whole for the strip above them. */
export function useLanes(id: number, { show, t0, t1, stone, empty, zoomed }: Part) {
  const { slug } = usePlace().rig;
  const asked = (query: { show: string[]; t0?: number; t1?: number }) =>
    ask(
      api.GET("/api/recordings/{recording_id}/lanes", {
        params: { path: { recording_id: id }, query: { ...query, width: WIDTH, stone } },
      }),
    );
  const part = useQuery({
    queryKey: keys.lanes(slug, id, show, t0, t1, stone),
    enabled: !empty,
    queryFn: () => asked({ show, t0, t1 }),
    placeholderData: keepPreviousData,
  });
  const whole = useQuery({
    queryKey: keys.lanes(slug, id, "whole", show[0], stone),
    enabled: !empty && zoomed,
    queryFn: () => asked({ show: show.slice(0, 1) }),
  });
  return { part, overview: zoomed ? whole.data?.[0] : part.data?.[0] };
}
