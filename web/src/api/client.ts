/** Talk to the server: typed calls, the CSRF token, and one shape for what goes wrong. */
import createClient from "openapi-fetch";

import { heard, KEPT_AT } from "./kept";
import type { components, paths } from "./schema.gen";

export type Schemas = components["schemas"];
export type Song = Schemas["SongOut"];
export type SongChanges = Schemas["SongChanges"];
export type Section = Schemas["TempoSection"];
export type Frame = Schemas["TempoFrame"];
export type Device = Schemas["DeviceProfile"];
export type Clip = Schemas["ClipOut"];
export type ClipDetail = Schemas["ClipDetail"];
export type NullTest = Schemas["NullTestOut"];
export type NullTestDetail = Schemas["NullTestDetail"];
export type NullResult = Schemas["NullResult"];
export type TimeRuler = Schemas["TimeRuler"];

export type DelayLine = Schemas["DelayLine"];
export type Lattice = Schemas["LatticeOut"];
export type Pattern = Schemas["Pattern"];
export type Repeats = Schemas["RepeatsOut"];
export type TempoMap = Schemas["TempoMapOut"];
export type RigSummary = Schemas["RigOut"];
export type VariantSummary = Schemas["VariantSummary"];
export type Variant = Schemas["VariantOut"];
export type RigView = Schemas["RigView"];
export type Board = Schemas["BoardOut"];
export type Finding = Schemas["Finding"];
export type Kind = Schemas["KindOut"];
export type Parameter = Schemas["ParameterOut"];
export type RigAction = Schemas["EditIn"]["action"];

export interface Problem {
  status: number;
  detail: string;
  type: string;
  part?: string | null;
  [extra: string]: unknown;
}

/** What the server refused, or that it could not be reached (`status` 0). */
export class Refused extends Error {
  constructor(readonly problem: Problem) {
    super(problem.detail);
  }
  get offline(): boolean {
    return this.problem.status === 0;
  }
}

export const OFFLINE: Problem = {
  status: 0,
  type: "offline",
  detail: "The server cannot be reached. What you typed is kept here.",
};

export function csrfToken(): string {
  return /(?:^|; )csrftoken=([^;]*)/.exec(document.cookie)?.[1] ?? "";
}

export const api = createClient<paths>({ baseUrl: "/", credentials: "same-origin" });

api.use({
  onRequest({ request }) {
    if (!["GET", "HEAD"].includes(request.method)) {
      request.headers.set("X-CSRFToken", csrfToken());
    }
    return request;
  },
  onResponse({ request, response }) {
    if (request.method === "GET") heard(response.headers.get(KEPT_AT));
  },
});

interface Answer<T> {
  data?: T;
  error?: unknown;
  response: Response;
}

/** Unwrap an answer; throws Refused with the server's own sentence. */
export async function ask<T>(call: Promise<Answer<T>>): Promise<T> {
  let answer: Answer<T>;
  try {
    answer = await call;
  } catch (fault) {
    if (fault instanceof DOMException && fault.name === "AbortError") throw fault;
    throw new Refused(OFFLINE);
  }
  if (answer.response.ok) return answer.data as T;
  throw new Refused(problemOf(answer.error, answer.response.status));
}

export function problemOf(body: unknown, status: number): Problem {
  if (body && typeof body === "object" && "detail" in body) return body as Problem;
  const detail =
    status >= 500
      ? "The server had a fault. What you typed is kept; try again."
      : "The server did not understand this.";
  return { status, type: "fault", detail };
}

export function sentenceOf(fault: unknown): string {
  return fault instanceof Refused ? fault.problem.detail : "Something went wrong. Try again.";
}
