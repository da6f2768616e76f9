import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { IDLE, LiveFeed } from "./live";

/** A socket that a test speaks through. */
class Socket {
  static all: Socket[] = [];
  onmessage: ((event: { data: string }) => void) | null = null;
  onclose: (() => void) | null = null;
  closed = false;
  constructor(readonly address: string) {
    Socket.all.push(this);
  }
  close() {
    this.closed = true;
    this.onclose?.();
  }
  say(sensors: Record<string, unknown>, state: object = {}) {
    this.onmessage?.({ data: JSON.stringify({ ...IDLE, status: "live", ...state, sensors }) });
  }
}

const sensor = (t: number[], v: (number | null)[], fresh = false) => ({
  raw: 1,
  value: v.at(-1) ?? null,
  reason: "",
  sentence: "",
  noise: null,
  readings: t.length,
  dropouts: 0,
  asked: {},
  instruments: {},
  fresh,
  t,
  r: v,
  v,
});

const newest = () => Socket.all[Socket.all.length - 1] as Socket;

describe("the live feed", () => {
  beforeEach(() => {
    vi.useFakeTimers();
    vi.stubGlobal("WebSocket", Socket);
    vi.stubGlobal("location", { protocol: "http:", host: "127.0.0.1:8420" });
    Socket.all = [];
  });
  afterEach(() => {
    vi.useRealTimers();
    vi.unstubAllGlobals();
  });

  it("asks for its own rig on its own host", () => {
    new LiveFeed("fern").open();
    expect(newest().address).toBe("ws://127.0.0.1:8420/api/rigs/fern/live");
  });

  it("adds readings to the buffer, and begins it anew when the source did", () => {
    const feed = new LiveFeed("fern");
    feed.open();
    newest().say({ a: sensor([0, 1], [10, null], true) });
    newest().say({ a: sensor([2], [12]) });
    expect(feed.buffer("a")).toEqual({ t: [0, 1, 2], r: [10, null, 12], v: [10, null, 12] });
    newest().say({ a: sensor([0], [99], true) });
    expect(feed.buffer("a").v).toEqual([99]);
    expect(feed.snapshot().sensors.a?.value).toBe(99);
  });

  it("tells its listeners at most eight times a second, and always the newest", () => {
    const feed = new LiveFeed("fern");
    const heard: (number | null | undefined)[] = [];
    feed.subscribe(() => heard.push(feed.snapshot().sensors.a?.value));
    feed.open();
    for (let i = 0; i < 100; i++) {
      newest().say({ a: sensor([i / 100], [i]) });
      vi.advanceTimersByTime(10);
    }
    vi.advanceTimersByTime(500);
    expect(heard.length).toBeLessThanOrEqual(10);
    expect(heard.length).toBeGreaterThanOrEqual(7);
    expect(heard.at(-1)).toBe(99);
  });

  it("keeps a minute and a half, however long it watches", () => {
    const feed = new LiveFeed("fern");
    feed.open();
    for (let s = 0; s < 400; s++)
      newest().say({
        a: sensor(
          Array.from({ length: 50 }, (_, i) => s + i / 50),
          Array(50).fill(1),
        ),
      });
    const { t } = feed.buffer("a");
    expect(t.at(-1)).toBeCloseTo(399.98);
    expect(t.length).toBeLessThan(50 * 140);
    expect(t[0]).toBeGreaterThan(250);
  });

  it("says when the app is away and comes back by itself", () => {
    const feed = new LiveFeed("fern");
    feed.open();
    newest().say({}, { recording: { id: 1, name: "x", start_s: 0, committed: 5, lost: 0, store_away: false } });
    expect(feed.link).toBe("open");
    newest().onclose?.();
    expect(feed.link).toBe("away");
    expect(feed.snapshot().recording).toBeNull();
    vi.advanceTimersByTime(1100);
    expect(Socket.all).toHaveLength(2);
    newest().say({});
    expect(feed.link).toBe("open");
  });

  it("stays closed when it was closed", () => {
    const feed = new LiveFeed("fern");
    feed.open();
    feed.close();
    vi.advanceTimersByTime(5000);
    expect(Socket.all).toHaveLength(1);
  });
});
