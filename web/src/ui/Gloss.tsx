/** One of our own words, with what it means on hover and focus: one sentence. */
import { Box } from "@chakra-ui/react";
import { type ReactNode, useId, useState } from "react";

import list from "./words.json";

export const allWords = list as { word: string; means: string }[];

interface Props {
  /** As it stands in the word list. */
  word: string;
  children: ReactNode;
}

export function Gloss({ word, children }: Props) {
  const id = useId();
  const [shown, setShown] = useState(false);
  const means = allWords.find((w) => w.word === word)?.means;
  if (!means) throw new Error(`“${word}” is not in the word list`);
  return (
    <Box
      as="span"
      position="relative"
      tabIndex={0}
      aria-describedby={shown ? id : undefined}
      textDecoration="underline dotted"
      textDecorationThickness="1px"
      textUnderlineOffset="4px"
      onPointerEnter={() => setShown(true)}
      onPointerLeave={() => setShown(false)}
      onFocus={() => setShown(true)}
      onBlur={() => setShown(false)}
      onKeyDown={(event) => event.key === "Escape" && setShown(false)}
    >
      {children}
      {shown && (
        <Box
          as="span"
          id={id}
          role="tooltip"
          position="absolute"
          left="0"
          top="100%"
          zIndex="4"
          width="max-content"
          maxWidth="min(320px, 80vw)"
          padding="5px 9px"
          background="ink"
          color="paper"
          fontFamily="body"
          fontWeight="400"
          fontSize="13px"
          lineHeight="18px"
          textAlign="left"
          whiteSpace="normal"
        >
          {means}
        </Box>
      )}
    </Box>
  );
}
