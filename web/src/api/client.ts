import createClient from "openapi-fetch";
import { standOutside } from "./outside";
import type { components, paths } from "./schema";

export type Schemas = components["schemas"];
/** What the server sends is whole: a field with a default is optional only on the way in. */
export type Whole<T> = { [K in keyof T]-?: Whole<T[K]> };
/** What goes in may leave out what has a default. */
export const sent = <T>(body: Partial<T>): T => body as T;
export type Rig = Whole<Schemas["RigModel"]>;
export type Sensor = Schemas["SensorModel"];
export type Finding = Schemas["FindingModel"];
export type Constant = Schemas["Constant"];
export type Standing = Schemas["StandingModel"];
export type Recording = Schemas["RecordingModel"];
export type Mark = Schemas["MarkModel"];
export type Opened = Whole<Schemas["OpenedRecordingModel"]>;

/** A refusal in the API's own words: narrow on `code`; `path` names the field. */
export class Refused extends Error {
  constructor(
    readonly code: string,
    readonly path: string,
    message: string,
  ) {
    super(message);
  }
}

export const api = createClient<paths>({ baseUrl: "", fetch: (request) => globalThis.fetch(request) });

type Answer<T> = { data?: T; error?: unknown; response: Response };

/** The answer's data, or Refused. A server that cannot be reached is a refusal too. */
export async function ask<T>(call: Promise<Answer<T>>): Promise<Whole<T>> {
  let answer: Answer<T>;
  try {
    answer = await call;
  } catch {
    throw new Refused("app-away", "", "Tick Stone itself does not answer. Is it still running?");
  }
  if (answer.response.ok) return answer.data as Whole<T>;
  const body = (answer.error ?? {}) as { code?: string; path?: string; message?: string };
  if (body.code === "no-key") standOutside();
  throw new Refused(
    body.code ?? "error",
    body.path ?? "",
    body.message ?? `The server said ${answer.response.status}.`,
  );
}
