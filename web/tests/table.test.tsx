// @vitest-environment jsdom
/** A table's cells know their columns, so that a narrow screen can show each row as a list. */
import { ChakraProvider } from "@chakra-ui/react";
import { cleanup, render, screen } from "@testing-library/react";
import { afterEach, expect, test } from "vitest";

import { Table, Td, Th } from "../src/ui/table";
import { system } from "../src/ui/theme";

afterEach(cleanup);

function Levels({ rows }: { rows: [string, string][] }) {
  return (
    <ChakraProvider value={system}>
      <Table>
        <thead>
          <tr>
            <Th>input</Th>
            <Th>level, dB</Th>
          </tr>
        </thead>
        <tbody>
          {rows.map(([name, level]) => (
            <tr key={name}>
              <Td>{name}</Td>
              <Td>{level}</Td>
            </tr>
          ))}
        </tbody>
      </Table>
    </ChakraProvider>
  );
}

test("each cell behind the first has its column's name, also in rows that come later", () => {
  const { rerender } = render(<Levels rows={[["Hall", "-6"]]} />);
  expect(screen.getByText("-6").dataset.label).toBe("level, dB");
  expect(screen.getByText("Hall").dataset.label).toBeUndefined();
  rerender(
    <Levels
      rows={[
        ["Hall", "-6"],
        ["Slap", "-9"],
      ]}
    />,
  );
  expect(screen.getByText("-9").dataset.label).toBe("level, dB");
});
