/** The frame of a page that stands beside the songs: its head, with the way back, and its body. */
import { Box } from "@chakra-ui/react";
import type { ReactNode } from "react";

import { To } from "./Links";
import { Mark } from "./Mark";

interface Props {
  back: string;
  backWords: string;
  /** In the head, before the way back. */
  head?: ReactNode;
  /** Between the head and the body. */
  above?: ReactNode;
  children: ReactNode;
}

export function Beside({ back, backWords, head, above, children }: Props) {
  return (
    <Box
      maxWidth="960px"
      marginInline="auto"
      paddingInline={{ base: "12px", sm: "20px" }}
      paddingBottom="80px"
    >
      <Box
        as="header"
        display="flex"
        flexWrap="wrap"
        alignItems="center"
        gap="6px 20px"
        minHeight="44px"
        paddingBlock="8px"
        borderBottom="1.5px solid"
        borderColor="ink"
      >
        <Mark />
        <Box flex="1" />
        {head}
        <To to={back}>{backWords}</To>
      </Box>
      {above}
      <Box as="main" paddingTop="14px">
        {children}
      </Box>
    </Box>
  );
}
