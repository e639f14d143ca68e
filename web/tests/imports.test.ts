/** Who may import whom: no step another step, nothing of `ui` what stands above it, no circles. */
import { readdirSync, readFileSync, statSync } from "node:fs";
import { dirname, join, relative } from "node:path";
import { expect, test } from "vitest";

const SRC = join(import.meta.dirname, "..", "src");
const ENDS = ["", ".ts", ".tsx", "/index.ts"];

function files(folder: string): string[] {
  return readdirSync(folder).flatMap((name) => {
    const path = join(folder, name);
    return statSync(path).isDirectory() ? files(path) : /\.tsx?$/.test(name) ? [path] : [];
  });
}
const ALL = files(SRC);
const graph = new Map(
  ALL.map((file) => {
    const found = [...readFileSync(file, "utf8").matchAll(/(?:from|import)\s*\(?"(\.[^"?]+)/g)];
    const to = found.flatMap(([, path]) => {
      const whole = join(dirname(file), path!);
      const end = ENDS.find((e) => ALL.includes(whole + e));
      return end === undefined ? [] : [relative(SRC, whole + end)];
    });
    return [relative(SRC, file), to] as const;
  }),
);
const roomOf = (file: string) =>
  file
    .split("/")
    .slice(0, file.startsWith("steps/") ? 2 : 1)
    .join("/");

// Rooms from the lowest up; a room imports its own and lower ones only.
const LAYERS = [
  ["api"],
  ["ui"],
  ["charts"],
  ["song", "rigs", "clips", "devices"],
  ["playing", "wishes"],
  ["accounts"],
  [
    "songs",
    "stage",
    "steps/route",
    "steps/time",
    "steps/space",
    "steps/blend",
    "steps/listen",
    "steps/verify",
    "steps/log",
  ],
  ["share"],
  ["app", "worker"],
  ["main.tsx"],
];
const height = (room: string) => LAYERS.findIndex((rooms) => rooms.includes(room));

test("every file stands in a room that has a place", () => {
  expect([...graph.keys()].filter((f) => height(roomOf(f)) < 0 && !f.endsWith(".d.ts"))).toEqual(
    [],
  );
  expect(graph.size).toBeGreaterThan(100);
});

test("a room imports what stands below it; steps do not know each other", () => {
  const bad: string[] = [];
  for (const [file, targets] of graph)
    for (const to of targets) {
      const [from, into] = [roomOf(file), roomOf(to)];
      const level = height(from) - height(into);
      const together = level === 0 && height(from) === 3;
      if (from !== into && level <= 0 && !together) bad.push(`${file} → ${to}`);
    }
  expect(bad).toEqual([]);
});

test("no circles", () => {
  const done = new Set<string>();
  const circles: string[] = [];
  const visit = (file: string, trail: string[]) => {
    if (trail.includes(file))
      return void circles.push([...trail.slice(trail.indexOf(file)), file].join(" → "));
    if (done.has(file)) return;
    for (const next of graph.get(file) ?? []) visit(next, [...trail, file]);
    done.add(file);
  };
  for (const file of graph.keys()) visit(file, []);
  expect(circles).toEqual([]);
});
