/** Pictures of a line of the log: small in its row, large when one is pressed. */
import { Box, chakra } from "@chakra-ui/react";
import { useState } from "react";

import { Dialog, Press } from "../../ui/controls";
import { Keep } from "../../ui/Links";
import type { Entry } from "./log";
import { saidOf } from "./pictures";

const at = (id: string, small = false) => `/api/v1/pictures/${id}${small ? "?small=true" : ""}`;

export function Thumbs({ entry }: { entry: Entry }) {
  const [open, setOpen] = useState<number | null>(null);
  const { pictures, title } = entry;
  if (pictures.length === 0) return null;
  const one = open === null ? null : pictures[open]!;
  const turn = (by: number) => setOpen((open! + by + pictures.length) % pictures.length);
  return (
    <Box display="flex" gap="4px" flexShrink={0}>
      {pictures.map((picture, n) => (
        <chakra.button
          key={picture.id}
          type="button"
          onClick={() => setOpen(n)}
          width={{ base: "56px", md: "40px" }}
          height={{ base: "56px", md: "40px" }}
          padding="0"
          border="1px solid"
          borderColor="edge"
          background="well"
          cursor="zoom-in"
          overflow="hidden"
        >
          <chakra.img
            src={at(picture.id, true)}
            alt={saidOf(n + 1, pictures.length, title)}
            loading="lazy"
            width="100%"
            height="100%"
            objectFit="cover"
          />
        </chakra.button>
      ))}
      {one && (
        <Dialog wide title={title} onClose={() => setOpen(null)}>
          <Box
            onKeyDown={(event) => {
              if (pictures.length > 1 && event.key === "ArrowRight") turn(1);
              if (pictures.length > 1 && event.key === "ArrowLeft") turn(-1);
            }}
          >
            <Box
              display="flex"
              flexWrap="wrap"
              gap="8px 14px"
              alignItems="center"
              marginBottom="8px"
            >
              <Press onClick={() => setOpen(null)}>Close</Press>
              {pictures.length > 1 && (
                <>
                  <Press hint="←" onClick={() => turn(-1)}>
                    The one before
                  </Press>
                  <Press hint="→" onClick={() => turn(1)}>
                    The next one
                  </Press>
                  <Box role="status" color="ink2">
                    {open! + 1} of {pictures.length}
                  </Box>
                </>
              )}
              <Keep href={at(one.id)}>Keep it</Keep>
            </Box>
            <chakra.img
              key={one.id}
              src={at(one.id)}
              aspectRatio={`${one.width} / ${one.height}`}
              width="auto"
              height="auto"
              alt={saidOf(open! + 1, pictures.length, title)}
              maxWidth="100%"
              maxHeight="calc(100vh - 190px)"
              margin="0 auto"
              display="block"
              background="well"
            />
          </Box>
        </Dialog>
      )}
    </Box>
  );
}
