/** Written moves of a variant: kept with it, in the order of the bars. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";

import { api, ask, type Schemas, sentenceOf } from "../api/client";
import { announce } from "../ui/controls";
import { num } from "../ui/format";
import { useStill } from "../ui/hooks";

export type WrittenMove = Schemas["WrittenMove"];
type Point = Schemas["MovePoint"];
/** An edit is seen before what moves is worked out anew: each place of it is a plan. */
const AFTER_MS = 500;

export function useMoves(variantId: string | undefined) {
  const client = useQueryClient();
  const key = ["moves", variantId ?? ""];
  const query = useQuery({
    queryKey: key,
    enabled: !!variantId,
    queryFn: () =>
      ask(
        api.GET("/api/v1/variants/{variant_id}/moves", {
          params: { path: { variant_id: variantId! } },
        }),
      ),
  });
  const save = useMutation({
    mutationFn: (moves: WrittenMove[]) =>
      ask(
        api.PUT("/api/v1/variants/{variant_id}/moves", {
          params: { path: { variant_id: variantId! } },
          body: { moves },
        }),
      ),
    onSuccess: (kept) => {
      client.setQueryData(key, kept);
      void client.invalidateQueries({ queryKey: ["renders"] });
    },
    onError: (fault) => announce(sentenceOf(fault), { kind: "fault" }),
  });
  return { moves: query.data ?? [], save };
}

/** How far settings move, and what the checks say there and not at rest. */
export function useMovedPlan(variant: { id: string; revision: number } | undefined) {
  const { moves } = useMoves(variant?.id);
  const revision = useStill(variant?.revision ?? 0, AFTER_MS);
  return useQuery({
    queryKey: ["moved", variant?.id ?? "", revision, JSON.stringify(moves)],
    enabled: moves.length > 0,
    placeholderData: (before: Schemas["MovedOut"] | undefined, last) =>
      last?.queryKey[1] === variant?.id ? before : undefined,
    staleTime: Infinity,
    retry: false,
    queryFn: () =>
      ask(
        api.GET("/api/v1/variants/{variant_id}/moved", {
          params: { path: { variant_id: variant!.id } },
        }),
      ),
  });
}

const words = (value: number) => num(value, Math.abs(value) < 10 && value % 1 !== 0 ? 1 : 0);

/** What moves at each part, in a few words for its caption: "moves -20 to 0 dB". */
export function movedWords(ranges: Schemas["MovedRange"][]): Record<string, string> {
  const found: Record<string, string> = {};
  for (const r of ranges) {
    const said = r.switch
      ? `${r.label} switches`
      : `${r.label} ${words(r.least)} to ${words(r.most)}${r.unit ? ` ${r.unit}` : ""}`;
    found[r.part] = r.part in found ? `${found[r.part]!.replace(/ …$/, "")} …` : said;
  }
  return found;
}

/** The moves with one more point, in the order of the bars. */
export function withPoint(
  moves: WrittenMove[],
  part: string,
  field: string,
  point: Point,
): WrittenMove[] {
  const old = moves.find((m) => m.part === part && m.field === field);
  const place = (p: Point) => p.bar + ((p.beat ?? 1) - 1) / 64;
  const points = [
    ...(old?.points ?? []).filter((p) => Math.abs(place(p) - place(point)) > 1e-6),
    point,
  ];
  points.sort((p, q) => place(p) - place(q));
  return [...moves.filter((m) => m !== old), { part, field, points }];
}

/** A setting that can be moved, with how it is drawn. */
export interface Movable {
  part: string;
  field: string;
  name: string;
  unit: string;
  /** Ends of its scale; a switch has 0 and 1. */
  low: number;
  high: number;
  log: boolean;
  flag: boolean;
  /** What it rests at; null for a filter that is off. */
  resting: number | boolean | null;
}

type Kind = Schemas["KindOut"];
type Values = Record<string, unknown>;

/** What has no place among moves: it says when a sound arrives, or what a rig is. */
const STILL = new Set(["latency_ms", "delay_ms", "distance_m", "celsius", "centre_ms", "solo"]);
const SWITCHES = new Set(["muted", "bypassed", "inverted"]);

/** Settings of a rig that can be moved, part by part: numbers, switches, and a delay's time. */
export function movableOf(
  nodes: Record<string, Values>,
  rails: Record<string, { target: string; strip?: Values }>,
  kinds: Kind[],
  nameOf: (id: string) => string,
  /** What times come to under the tempo (ms), by part. */
  timesMs: Record<string, number> = {},
): Movable[] {
  const found: Movable[] = [];
  const add = (part: string, of: string, kind: Kind, values: Values) => {
    for (const p of kind.parameters) {
      const value = values[p.field] ?? p.default;
      const flag = p.sort === "flag" && SWITCHES.has(p.field);
      const number = p.sort === "number" || p.field === "program" || p.field === "time";
      if (STILL.has(p.field) || (!flag && !number)) continue;
      const scale = flag ? { low: 0, high: 1, log: false } : p.scale;
      if (!scale || (p.group as string) === "gear") continue;
      const resting =
        typeof value === "number" || typeof value === "boolean" || value == null
          ? ((value as number | boolean | undefined) ?? null)
          : p.field === "time"
            ? (timesMs[part] ?? null)
            : null;
      const name = `${of}: ${p.label}`;
      found.push({ part, field: p.field, name, unit: p.unit, ...scale, flag, resting });
    }
  };
  for (const [id, node] of Object.entries(nodes)) {
    const kind = kinds.find((k) => k.kind === node.kind);
    if (kind?.stage) add(id, nameOf(id), kind, node);
  }
  const strip = kinds.find((k) => k.kind === "strip");
  for (const [port, rail] of Object.entries(rails)) {
    const kind = kinds.find((k) => k.kind === nodes[rail.target]?.kind);
    if (strip && kind?.traits.includes("many_inputs"))
      add(
        port,
        `${nameOf(port.split(".")[0]!)} into ${nameOf(rail.target)}`,
        strip,
        rail.strip ?? {},
      );
  }
  return found;
}

const placeOf = (p: Point) => p.bar + ((p.beat ?? 1) - 1) / 64;
const sorted = (points: Point[]) => [...points].sort((p, q) => placeOf(p) - placeOf(q));

/** A move with another set of points; without any, none of it is left. */
export function withPoints(
  moves: WrittenMove[],
  part: string,
  field: string,
  points: Point[],
): WrittenMove[] {
  const rest = moves.filter((m) => m.part !== part || m.field !== field);
  return points.length ? [...rest, { part, field, points: sorted(points) }] : rest;
}

/** Settings that a move of another can be copied to: of the same unit, or switches both. */
export const kindred = (all: Movable[], of: Movable): Movable[] =>
  all.filter(
    (m) =>
      (m.part !== of.part || m.field !== of.field) &&
      m.flag === of.flag &&
      m.unit === of.unit &&
      (m.unit !== "" || m.field === of.field || m.flag),
  );

/** Points as many bars later (or earlier); what would stand before bar 1 is left out. */
export const shifted = (points: Point[], bars: number): Point[] =>
  points.map((p) => ({ ...p, bar: p.bar + bars })).filter((p) => p.bar >= 1);

/** The points, and the same again every so many bars, so many times in all. */
export function repeated(points: Point[], every: number, times: number): Point[] {
  const all = Array.from({ length: times }, (_, i) => shifted(points, i * every)).flat();
  // Where a repeat meets what stands there, the later one counts.
  return sorted([...new Map(all.map((p) => [placeOf(p).toFixed(6), p])).values()]);
}

/** Bars that points span, from their first bar to the one after the last. */
export const barsOf = (points: Point[]): number =>
  points.length
    ? Math.max(...points.map((p) => p.bar)) - Math.min(...points.map((p) => p.bar)) + 1
    : 1;

export interface Corner {
  at: number;
  value: number;
}

/** The corners of the line that a setting follows over seconds, from its resting value on. */
export function cornersOf(
  points: Point[],
  resting: number,
  secondsOf: (point: Point) => number,
  end: number,
): Corner[] {
  const line: Corner[] = [{ at: -1e9, value: resting }];
  for (const point of sorted(points)) {
    const at = secondsOf(point);
    const value = Number(point.value);
    if (!point.ramp) line.push({ at, value: line.at(-1)!.value });
    line.push({ at, value });
  }
  line.push({ at: Math.max(end, line.at(-1)!.at), value: line.at(-1)!.value });
  return line;
}

/** A point's value stepped: by equal amounts, or by equal ratios; a switch turns over. */
export function steppedValue(of: Movable, value: number, by: number): number {
  if (of.flag) return by > 0 ? 1 : 0;
  const next = of.log
    ? value * (of.high / of.low) ** (by / 60)
    : value + (by * (of.high - of.low)) / 60;
  const kept = Math.min(of.high, Math.max(of.low, next));
  return Number(kept.toPrecision(4));
}
