/** Cells of plain tables. */
import { chakra } from "@chakra-ui/react";

export const Table = chakra("table", {
  base: { borderCollapse: "collapse", fontSize: "14px", width: "100%" },
});
export const Th = chakra("th", {
  base: {
    textAlign: "right",
    fontWeight: 400,
    color: "ink2",
    fontSize: "13px",
    padding: "3px 8px",
  },
});
export const Td = chakra("td", {
  base: { textAlign: "right", padding: "3px 8px", borderTop: "1px solid", borderColor: "rule" },
});
