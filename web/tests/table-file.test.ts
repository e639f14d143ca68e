/**
 * Tables as CSV: as they are seen, with numbers that programs read and nothing that runs.
 *
 * @vitest-environment jsdom
 */
import { expect, test } from "vitest";

import { cellText, csvOf, numbersPlain, rowsOf, tablesOn } from "../src/ui/table-file";

const page = (html: string) => {
  document.body.innerHTML = html;
  return document.querySelector("table")!;
};

test("heads, rows and what is typed in fields; columns of buttons are left out", () => {
  const table = page(`<table>
    <thead><tr><th>note</th><th>time, ms</th><th>on</th><th></th></tr></thead>
    <tbody>
      <tr><td>1/8<div>dotted</div></td><td>−1\u202f319.15</td><td><input type="checkbox" checked></td><td><button>Use</button></td></tr>
      <tr><td><input value="1/4"></td><td><button>638.3</button></td><td><select><option>a</option><option selected>b</option></select></td><td><button>Use</button></td></tr>
    </tbody></table>`);
  expect(rowsOf(table)).toEqual([
    ["note", "time, ms", "on"],
    ["1/8 dotted", "-1319.15", "yes"],
    ["1/4", "638.3", "b"],
  ]);
  table.querySelector("input[value]")!.setAttribute("data-x", "1");
  (table.querySelector("input:not([type])") as HTMLInputElement).value = "typed";
  expect(cellText(table.rows[2]!.cells[0]!)).toBe("typed");
});

test("commas, quotes and lines stay in their cell; formulas do not run; numbers stay numbers", () => {
  expect(csvOf([["a,b", 'say "x"', "two\nlines"]])).toBe('"a,b","say ""x""","two\nlines"\r\n');
  expect(csvOf([["=1+1", "+cmd", "@x", "-2.5", "-3 dB", "+1e3"]])).toBe(
    "'=1+1,'+cmd,'@x,-2.5,'-3 dB,+1e3\r\n",
  );
  expect(numbersPlain("−6,5 and 10\u202f000 − 3")).toBe("-6,5 and 10000 − 3");
});

test("tables without rows and those of a dialog are not offered", () => {
  page(
    "<table><tr><th>head</th></tr></table><dialog><table><tr><td>a</td></tr><tr><td>b</td></tr></table></dialog>",
  );
  expect(tablesOn(document)).toEqual([]);
});
