/** One line at the foot: what was done with its undo, or a fault that stays. */
import { Box } from "@chakra-ui/react";
import { useEffect, useRef, useState } from "react";
import { useLocation } from "react-router";

import { type Announcement, Pennant, Press } from "./controls";

const SHOWN_MS = 8000;
const ON_THE_WAY_MS = 1200;

export function Toasts() {
  const [shown, setShown] = useState<Announcement | null>(null);
  useEffect(() => {
    const hear = (event: Event) => setShown((event as CustomEvent<Announcement>).detail);
    window.addEventListener("announce", hear);
    return () => window.removeEventListener("announce", hear);
  }, []);
  // A message does not follow to the next step, unless it was said on the way there.
  const { pathname } = useLocation();
  const step = pathname.split("/").slice(0, 4).join("/");
  const since = useRef(0);
  useEffect(() => {
    since.current = performance.now();
  }, [shown]);
  useEffect(() => {
    if (performance.now() - since.current > ON_THE_WAY_MS)
      setShown((now) => (now?.action ? now : null));
  }, [step]);
  useEffect(() => {
    if (!shown || shown.kind === "fault") return;
    const timer = setTimeout(() => setShown(null), SHOWN_MS);
    return () => clearTimeout(timer);
  }, [shown]);
  const done = !shown?.kind || shown.kind === "done";
  return (
    <Box
      role="status"
      aria-live="polite"
      position="fixed"
      zIndex="10"
      left="20px"
      right="20px"
      bottom={{ base: "112px", sm: "60px" }}
      display="flex"
      justifyContent="center"
      pointerEvents="none"
    >
      {shown && (
        <Box
          pointerEvents="auto"
          display="flex"
          alignItems="center"
          gap="12px"
          maxWidth="640px"
          padding="6px 12px"
          border="1.5px solid"
          borderColor="ink"
          background={done ? "ink" : "paper"}
          color={done ? "paper" : "ink"}
        >
          {shown.kind && shown.kind !== "done" && <Pennant kind={shown.kind} />}
          <Box flex="1">{shown.text}</Box>
          {shown.action && (
            <Press
              look="quiet"
              color="inherit"
              _hover={{ background: "transparent", textDecorationThickness: "2px" }}
              onClick={() => {
                shown.action?.run();
                setShown(null);
              }}
            >
              {shown.action.word}
            </Press>
          )}
          {shown.kind === "fault" && (
            <Press look="quiet" onClick={() => setShown(null)}>
              Put away
            </Press>
          )}
        </Box>
      )}
    </Box>
  );
}
