/** The sheets under a course. */
export type Sheet = "settings" | "controls" | "sends" | "scenes" | "patch" | "writing" | "history";
export const SHEETS: [Sheet, string][] = [
  ["settings", "Settings"],
  ["controls", "What moves what"],
  ["sends", "Send levels"],
  ["scenes", "Scenes"],
  ["writing", "In writing"],
  ["patch", "Patch sheet"],
  ["history", "History"],
];
