/** The sheets under a course. */
export type Sheet = "controls" | "sends" | "scenes" | "patch" | "writing" | "history";
export const SHEETS: [Sheet, string][] = [
  ["controls", "What moves what"],
  ["sends", "Send levels"],
  ["scenes", "Scenes"],
  ["writing", "In writing"],
  ["patch", "Patch sheet"],
  ["history", "History"],
];
