/** What is said of a field, at its place and over what stands below: nothing moves when it appears. */
import { Box } from "@chakra-ui/react";

interface Props {
  id: string;
  text: string;
  /** A fault is told at once; a reading back is told when there is a pause. */
  bad: boolean;
  side?: "left" | "right";
}

/** Stands in a box that is `position: relative`. */
export function Said({ id, text, bad, side = "left" }: Props) {
  return (
    <Box
      as="span"
      id={id}
      role={bad ? "alert" : undefined}
      aria-live={bad ? undefined : "polite"}
      position="absolute"
      {...{ [side]: 0 }}
      top="100%"
      zIndex="3"
      width="max-content"
      maxWidth="min(260px, 80vw)"
      background="paper"
      border={text ? "1px solid" : undefined}
      borderColor={bad ? "diff" : "edge"}
      color={bad ? "diff" : "ink2"}
      fontSize="13px"
      fontWeight={bad ? 650 : 400}
      lineHeight="17px"
      padding={text ? "2px 6px" : undefined}
      textAlign="left"
      pointerEvents="none"
    >
      {text}
    </Box>
  );
}
