/** Rigs grown at random, laid out by the core itself, for the tests that fit them to sheets. */
import { execFileSync } from "node:child_process";
import { mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join, resolve } from "node:path";
import type { TestProject } from "vitest/node";

export default function setup(project: TestProject) {
  const folder = mkdtempSync(join(tmpdir(), "fonodrome-layouts-"));
  const file = join(folder, "layouts.json");
  const root = resolve(import.meta.dirname, "../..");
  execFileSync(join(root, ".venv/bin/python"), ["-m", "door.layouts", file], { cwd: root });
  project.provide("layouts", file);
  return () => rmSync(folder, { recursive: true });
}

declare module "vitest" {
  interface ProvidedContext {
    layouts: string;
  }
}
