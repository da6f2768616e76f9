import { keys } from "../api/keys";
/** Where a person is: the rig, the sensor that is picked, the station, and the ways from here. */

import { useQuery } from "@tanstack/react-query";
import { type ReactNode, useMemo } from "react";
import { useNavigate, useParams, useSearchParams } from "react-router";
import { api, ask, type Constant, type Rig, type Sensor, type Standing } from "../api/client";
import { addressed } from "../model/address";
import { isStation, type StationId } from "../model/stations";
import { useLive } from "./live";
import { rigContext } from "./rigContext";
import { useFeedPart } from "./useFeedNow";

type Search = Record<string, string | null>;

interface Place {
  rig: Rig;
  sensor: Sensor;
  station: StationId;
  recordingId: number | null;
  constants: Constant[];
  constant: (name: string) => Constant | undefined;
  standing: Standing[];
  go: (station: StationId, search?: Search) => void;
  pick: (sensor: string) => void;
  show: (search: Search) => void;
}

const [PlaceContext, usePlace] = rigContext<Place>("usePlace");

export { usePlace };

const AIR_MS = 4000; // how often constants are looked at while the air is live

/** The address of a station of a rig. */
export function addressOf(slug: string, station: StationId, search: Search): string {
  const tail = addressed(search).toString();
  return `/${slug}/${station}${tail ? `?${tail}` : ""}`;
}

export function PlaceProvider({ rig, children }: { rig: Rig; children: ReactNode }) {
  const params = useParams();
  const [search] = useSearchParams();
  const navigate = useNavigate();
  const { feed } = useLive();
  const status = useFeedPart(feed, (now) => now.status);
  const recording = useFeedPart(feed, (now) => now.recording !== null);
  const airIsLive = useFeedPart(feed, (now) => now.air_c !== null);
  const slug = rig.slug;
  const station: StationId = isStation(params.station) ? params.station : "wire";
  const sensor = rig.sensors.find((sensor) => sensor.id === search.get("sensor")) ?? rig.sensors[0];
  if (!sensor) throw new Error("a rig without sensors");
  const recordingId = Number(search.get("recording")) || null;
  const constants = useQuery({
    queryKey: keys.constants(slug, sensor.id, airIsLive),
    queryFn: () =>
      ask(api.GET("/api/rigs/{slug}/sensors/{sensor}/constants", { params: { path: { slug, sensor: sensor.id } } })),
    placeholderData: (old) => old,
    refetchInterval: status === "live" ? AIR_MS : false,
  }).data;
  const standing = useQuery({
    queryKey: keys.standing(slug, sensor.id, status, recording),
    queryFn: () =>
      ask(api.GET("/api/rigs/{slug}/standing", { params: { path: { slug }, query: { sensor: sensor.id } } })),
    placeholderData: (old) => old,
  }).data;
  const place = useMemo<Place>(
    () => ({
      rig,
      sensor,
      station,
      recordingId,
      constants: constants ?? [],
      constant: (name) => constants?.find((constant) => constant.name === name),
      standing: standing ?? [],
      go: (to, changes = {}) => navigate(addressOf(slug, to, changes)),
      pick: (id) => navigate(addressOf(slug, station, { sensor: id })),
      show: (changes) => navigate(addressOf(slug, station, changes), { replace: true }),
    }),
    [rig, sensor, station, recordingId, constants, standing, slug, navigate],
  );
  return <PlaceContext value={place}>{children}</PlaceContext>;
}
