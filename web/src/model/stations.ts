export const STATIONS = [
  { id: "wire", title: "Wire" },
  { id: "watch", title: "Watch" },
  { id: "convert", title: "Convert" },
  { id: "calibrate", title: "Calibrate" },
  { id: "decide", title: "Decide" },
  { id: "drive", title: "Drive" },
  { id: "log", title: "Log" },
] as const;

export type StationId = (typeof STATIONS)[number]["id"];

export function isStation(text: string | undefined): text is StationId {
  return STATIONS.some((station) => station.id === text);
}
