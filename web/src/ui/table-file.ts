/** A table of a page as CSV: its heads and rows as they are seen, numbers as programs read them. */

export interface KeptTable {
  title: string;
  rows: string[][];
}

/** All tables that are seen on the page, in its order. */
export function tablesOn(root: ParentNode): HTMLTableElement[] {
  return [...root.querySelectorAll("table")].filter(
    (table) =>
      !table.closest("dialog") && (table.checkVisibility?.() ?? true) && table.rows.length > 1,
  );
}

/** What stands in a cell: a field's value, else its words; what can only be pressed says nothing. */
export function cellText(cell: Element): string {
  const copy = cell.cloneNode(true) as Element;
  const [fields, own] = [cell, copy].map((e) => [...e.querySelectorAll("input, select")]);
  own!.forEach((field, n) => {
    const live = fields![n] as HTMLInputElement | HTMLSelectElement;
    const said =
      live instanceof HTMLSelectElement
        ? (live.selectedOptions[0]?.textContent ?? "")
        : live.type === "checkbox" || live.type === "radio"
          ? live.checked
            ? "yes"
            : "no"
          : live.value;
    field.replaceWith(` ${said} `);
  });
  // Words between parts that stand under one another are told apart.
  copy.querySelectorAll("div, br, p, li").forEach((part) => part.before(" "));
  const words = (copy.textContent ?? "").replace(/[ \t\n\r]+/g, " ").trim();
  const pressed = cell.querySelector("button, [role=button]");
  const only = pressed && cell.textContent?.trim() === pressed.textContent?.trim();
  return only && !/\d/.test(words) ? "" : numbersPlain(words);
}

/** '−15 319.1' is -15319.1 where a number is read. */
export const numbersPlain = (words: string) =>
  words.replace(/\u2212(?=[\d.])/g, "-").replace(/(?<=\d)\u202f(?=\d{3})/g, "");

export function rowsOf(table: HTMLTableElement): string[][] {
  const rows = [...table.rows].map((row) => [...row.cells].map(cellText));
  // A column of buttons is no column.
  const wide = Math.max(...rows.map((r) => r.length));
  const said = Array.from({ length: wide }, (_, i) => rows.some((r) => r[i]));
  return rows.map((r) => r.filter((_, i) => said[i])).filter((r) => r.some(Boolean));
}

const NUMBER = /^[-+]?\d+(?:\.\d+)?(?:[eE][-+]?\d+)?$/;

/** RFC 4180; text that a spreadsheet would take for a formula gets an apostrophe in front. */
export function csvOf(rows: readonly (readonly string[])[]): string {
  const cell = (text: string) => {
    const safe = /^[=+\-@\t\r]/.test(text) && !NUMBER.test(text) ? `'${text}` : text;
    return /[",\r\n]/.test(safe) ? `"${safe.replaceAll('"', '""')}"` : safe;
  };
  return rows.map((row) => `${row.map(cell).join(",")}\r\n`).join("");
}
