/** The sentence that answers a tool's question. */
import { Box } from "@chakra-ui/react";
import type { ReactNode } from "react";

export function Answer({ children, fault = false }: { children: ReactNode; fault?: boolean }) {
  return (
    <Box
      as="p"
      fontFamily="title"
      fontWeight="600"
      fontSize="18px"
      lineHeight="25px"
      marginBlock="2px 6px"
      color={fault ? "diff" : undefined}
    >
      {children}
    </Box>
  );
}
