/** The sheets under a course. */
export type Sheet = "wishes" | "controls" | "sends" | "scenes" | "patch" | "writing" | "history";
export const SHEETS: [Sheet, string][] = [
  ["wishes", "Wishes"],
  ["controls", "What moves what"],
  ["sends", "Send levels"],
  ["scenes", "Scenes"],
  ["writing", "In writing"],
  ["patch", "Patch sheet"],
  ["history", "History"],
];

/** The sheet that an address asks for; none for what is no sheet. */
export const sheetOf = (name: string | null): Sheet | "" =>
  SHEETS.find(([id]) => id === name)?.[0] ?? "";
