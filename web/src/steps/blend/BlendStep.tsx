/** Blend: parallel compression, mix laws, equal settings, sides, levels along the course. */
import { Box } from "@chakra-ui/react";

import { useVariantChoice } from "../../ui/variants";
import { Course } from "./Course";
import { InsertBack } from "./InsertBack";
import { Laws } from "./Laws";
import { Parallel } from "./Parallel";
import { Sides } from "./Sides";

export default function BlendStep() {
  const route = useVariantChoice();
  return (
    <>
      <Box
        display="grid"
        gridTemplateColumns={{ base: "minmax(0, 1fr)", md: "minmax(0, 1fr) minmax(0, 1fr)" }}
        gap="20px 36px"
      >
        <Box minWidth="0">
          <Parallel route={route} />
          <InsertBack route={route} />
        </Box>
        <Box minWidth="0">
          <Laws route={route} />
          <Sides route={route} />
        </Box>
      </Box>
      <Course route={route} />
    </>
  );
}
