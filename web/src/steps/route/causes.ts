/** What checks found, a line for each cause: alike findings stand together. */
import type { Finding } from "../../api/client";

export interface Cause {
  /** The first of them, which stands for all. */
  first: Finding;
  more: Finding[];
}

/** Findings of one check and one severity are one cause each; in the order in which they came. */
export function causesOf(findings: Finding[]): Cause[] {
  const causes: Cause[] = [];
  for (const finding of findings) {
    const known = causes.find(
      (c) => c.first.check === finding.check && c.first.severity === finding.severity,
    );
    if (known) known.more.push(finding);
    else causes.push({ first: finding, more: [] });
  }
  return causes;
}

/** How many of each sort, in words. */
export function countsOf(findings: Finding[]): string[] {
  return (["alarm", "caution", "note"] as const)
    .map((sort) => [findings.filter((f) => f.severity === sort).length, sort] as const)
    .filter(([n]) => n > 0)
    .map(([n, sort]) => `${n} ${sort}${n === 1 ? "" : "s"}`);
}

/** How a severity is flagged, said and coloured, wherever a finding is shown. */
export const KIND = { alarm: "fault", caution: "caution", note: "note" } as const;
export const WORD = { alarm: "Alarm.", caution: "Caution.", note: "Note." } as const;
export const COLOUR = { alarm: "diff", caution: "caution", note: "ink" } as const;
