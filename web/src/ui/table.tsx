/** Plain tables; on a narrow screen each row is a list of its cells, each behind its column's name. */
import { chakra } from "@chakra-ui/react";
import { type ComponentProps, useLayoutEffect, useRef } from "react";

const Plain = chakra("table", {
  base: {
    borderCollapse: "collapse",
    fontSize: "14px",
    width: "100%",
    smDown: {
      display: "block",
      "& tbody": { display: "block" },
      "& thead": { srOnly: true },
      "& tr": {
        display: "block",
        paddingBlock: "6px",
        borderTop: "1px solid",
        borderColor: "rule",
      },
      "& td": {
        display: "flex",
        justifyContent: "space-between",
        gap: "12px",
        borderTop: 0,
        textAlign: "right",
      },
      "& td[data-label]::before": {
        content: "attr(data-label)",
        color: "ink2",
        fontSize: "13px",
        fontWeight: 400,
        textAlign: "left",
      },
    },
  },
});

export function Table(props: ComponentProps<typeof Plain>) {
  const table = useRef<HTMLTableElement>(null);
  // Each time it is drawn: rows come and go with what they show.
  useLayoutEffect(() => {
    const heads = [...(table.current?.querySelectorAll("thead th") ?? [])].map(
      (th) => th.textContent?.trim() ?? "",
    );
    for (const row of table.current?.querySelectorAll("tbody tr") ?? [])
      row.querySelectorAll("td").forEach((td, i) => {
        // The first names its row and needs no name of its own.
        if (i && heads[i]) td.dataset.label = heads[i];
      });
  });
  return <Plain ref={table} {...props} />;
}

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
