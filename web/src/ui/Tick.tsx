/** A box to tick, with its words beside it; as high as a finger needs on a phone. */
import { Box } from "@chakra-ui/react";
import type { ReactNode } from "react";

interface Props {
  checked: boolean;
  onTurn: (on: boolean) => void;
  children: ReactNode;
}

export function Tick({ checked, onTurn, children }: Props) {
  return (
    <Box
      asChild
      display="flex"
      gap="8px"
      alignItems="center"
      minHeight={{ base: "44px", sm: "30px" }}
    >
      <label>
        <input type="checkbox" checked={checked} onChange={(e) => onTurn(e.target.checked)} />
        <span>{children}</span>
      </label>
    </Box>
  );
}
