/** The tabs of the sheets under a picture. */
import { Box } from "@chakra-ui/react";

import { Press } from "./controls";

interface Props<S extends string> {
  sheets: readonly (readonly [S, string])[];
  chosen: S;
  onChoose: (sheet: S) => void;
}

export function SheetTabs<S extends string>({ sheets, chosen, onChoose }: Props<S>) {
  return (
    <Box
      role="tablist"
      aria-label="Sheets"
      display="flex"
      flexWrap="wrap"
      gap="2px 18px"
      marginBottom="8px"
    >
      {sheets.map(([name, words]) => (
        <Press
          key={name}
          look="quiet"
          role="tab"
          aria-selected={chosen === name}
          fontWeight={chosen === name ? 650 : 400}
          textDecoration={chosen === name ? "underline 2px" : "none"}
          onClick={() => onChoose(name)}
        >
          {words}
        </Press>
      ))}
    </Box>
  );
}
