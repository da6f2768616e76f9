/** The live feed of one rig as a store outside React: buffers grow with each message, listeners hear at most 8 times a
 * second, and traces read the buffers when they draw. */

import type { Schemas } from "../api/client";

export type Finding = Schemas["FaultModel"];

type Message = Schemas["LiveMessage"];
type SensorMessage = Schemas["SensorNow"];
export type SensorNow = Omit<SensorMessage, "fresh" | "t" | "r" | "v">; // its readings are kept in buffers
/** What stands on an instrument, by the name of each number. */
export type Shown = SensorNow["instruments"][string];
export type RecordingNow = Schemas["RecordingNow"];
export type HoldNow = Schemas["HoldNow"];
export type FeedNow = Omit<Message, "sensors"> & { sensors: Record<string, SensorNow> };
export type FeedStatus = FeedNow["status"];

export interface Buffer {
  t: number[];
  r: (number | null)[];
  v: (number | null)[];
}

export type Link = "opening" | "open" | "away";

const KEEP_S = 90;
const TELL_MS = 125;
const RETRY_MS = 1000;
const BEAT_MISSING_MS = 6000; // the server says something at least twice a second

export const IDLE: FeedNow = {
  status: "idle",
  source: "",
  why: "",
  advice: "",
  left_out: 0,
  now_s: 0,
  rate_hz: null,
  jitter_ms: null,
  gaps: 0,
  garbled: 0,
  lines: 0,
  air_c: null,
  recording: null,
  hold: null,
  findings: [],
  version: 0,
  sensors: {},
};

export class LiveFeed {
  now: FeedNow = IDLE;
  link: Link = "opening";
  readonly buffers = new Map<string, Buffer>();
  private socket: WebSocket | null = null;
  private closed = false;
  private readonly listeners = new Set<() => void>();
  private toldAt = 0;
  private heardAt = 0;
  private timer: ReturnType<typeof setTimeout> | null = null;
  private beat: ReturnType<typeof setTimeout> | null = null;

  constructor(private readonly slug: string) {}

  /** Begin to watch; goes on trying while the app is away. */
  open(): void {
    this.closed = false;
    const scheme = location.protocol === "https:" ? "wss" : "ws";
    const socket = new WebSocket(`${scheme}://${location.host}/api/rigs/${encodeURIComponent(this.slug)}/live`);
    this.socket = socket;
    socket.onmessage = (event) => this.take(JSON.parse(event.data as string) as Message);
    socket.onclose = () => {
      if (this.closed || this.socket !== socket) return;
      this.lose();
      setTimeout(() => !this.closed && this.open(), RETRY_MS);
    };
  }

  /** The app is away, or says nothing though its line is open. */
  private lose(): void {
    this.link = "away";
    this.now = { ...this.now, status: "idle", recording: null, hold: null, findings: [] };
    this.tell();
  }

  close(): void {
    this.closed = true;
    this.socket?.close();
    if (this.beat) clearTimeout(this.beat);
    this.beat = null;
    if (this.timer) clearTimeout(this.timer);
    this.timer = null;
  }

  subscribe = (listener: () => void): (() => void) => {
    this.listeners.add(listener);
    return () => this.listeners.delete(listener);
  };

  snapshot = (): FeedNow => this.now;

  buffer(sensor: string): Buffer {
    let buffer = this.buffers.get(sensor);
    if (!buffer) {
      buffer = { t: [], r: [], v: [] };
      this.buffers.set(sensor, buffer);
    }
    return buffer;
  }

  /** The feed's own time now, s: it goes on while no reading comes. */
  clock(): number {
    return this.now.status === "live" ? this.now.now_s + (performance.now() - this.heardAt) / 1000 : this.now.now_s;
  }

  private take(message: Message): void {
    this.heardAt = performance.now();
    if (this.beat) clearTimeout(this.beat);
    this.beat = setTimeout(() => this.lose(), BEAT_MISSING_MS);
    const { sensors, ...state } = message;
    const now: Record<string, SensorNow> = {};
    for (const [key, { fresh, t, r, v, ...sensor }] of Object.entries(sensors)) {
      now[key] = sensor;
      const buffer = this.buffer(key);
      if (fresh) buffer.t.length = buffer.r.length = buffer.v.length = 0;
      for (let i = 0; i < t.length; i++) {
        buffer.t.push(t[i] ?? 0);
        buffer.r.push(r[i] ?? null);
        buffer.v.push(v[i] ?? null);
      }
      trim(buffer);
    }
    this.link = "open";
    this.now = { ...state, sensors: now };
    this.tell();
  }

  private tell(): void {
    if (this.timer) return;
    const wait = Math.max(0, this.toldAt + TELL_MS - performance.now());
    this.timer = setTimeout(() => {
      this.timer = null;
      this.toldAt = performance.now();
      for (const listener of this.listeners) listener();
    }, wait);
  }
}

function trim(buffer: Buffer): void {
  const last = buffer.t[buffer.t.length - 1];
  if (last === undefined) return;
  let first = 0;
  while ((buffer.t[first] ?? last) < last - KEEP_S) first++;
  if (first > 2000 || (first > 0 && buffer.t.length > 20_000)) {
    buffer.t.splice(0, first);
    buffer.r.splice(0, first);
    buffer.v.splice(0, first);
  }
}
