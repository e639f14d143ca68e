/** Help: the keys of the step that is open, those of all others, and what our words mean. */
import { Box } from "@chakra-ui/react";
import { useLocation } from "react-router";

import { Dialog, Hint, Press, SheetTitle } from "../ui/controls";
import { allWords } from "../ui/Gloss";
import { allKeys, type Scope } from "../ui/keys";

const NAMES: Record<Scope, string> = {
  everywhere: "Everywhere",
  route: "Route",
  time: "Time",
  space: "Space",
  blend: "Blend",
  listen: "Listen",
  trial: "While a test by ear runs",
  verify: "Verify, choosing a pair",
  result: "Verify, a result",
  bench: "Verify, the bench",
  measured: "Verify, a measurement",
  log: "Log",
  sheet: "A stage sheet",
  "set-up": "Setting up",
  stage: "Set list on stage",
  many: "Verify, one against many",
  proof: "Verify, a proof sheet",
  paths: "Verify, two paths",
  orders: "Verify, series or send",
  live: "Verify, a live null",
  passes: "Verify, three passes",
};

/** Ways of Verify by their address; anything else there is a result. */
const OF_VERIFY: Record<string, Scope[]> = {
  bench: ["bench", "measured"],
  measured: ["measured", "proof"],
  many: ["many", "verify"],
  paths: ["paths", "verify"],
  orders: ["orders", "result"],
  live: ["live", "verify"],
  passes: ["passes", "verify"],
};

const OF_A_VARIANT: Record<string, Scope> = { sheet: "sheet", "set-up": "set-up" };

/** The scopes of the open step first, then everywhere, then the others. */
export function ordered(pathname: string): Scope[] {
  const parts = pathname.split("/");
  const [, , , step = "", test = ""] = parts;
  const here: Record<string, Scope[]> = {
    listen: ["listen", "trial"],
    stage: ["stage"],
    variants: [OF_A_VARIANT[parts[5] ?? ""] ?? "sheet"],
    verify: OF_VERIFY[test] ?? (test ? ["result", "verify"] : ["verify", "result"]),
  };
  const first = here[step] ?? (step in NAMES ? [step as Scope] : []);
  const all: Scope[] = [...first, "everywhere", ...(Object.keys(NAMES) as Scope[])];
  return all.filter((scope, i) => all.indexOf(scope) === i);
}

export function KeySheet({ onClose }: { onClose: () => void }) {
  const { pathname } = useLocation();
  return (
    <Dialog title="Keys and words" onClose={onClose}>
      <Box display="grid" gridTemplateColumns={{ base: "1fr", sm: "1fr 1fr" }} gap="14px">
        {ordered(pathname).map((scope) => (
          <Box as="section" key={scope}>
            <Box as="h3" fontFamily="title" fontSize="15px" marginBottom="4px">
              {NAMES[scope]}
            </Box>
            {allKeys
              .filter((key) => key.scope === scope)
              .map((key) => (
                <Box key={key.shown} display="flex" gap="10px" paddingBlock="2px">
                  <Box minWidth="52px">
                    <Hint>{key.shown}</Hint>
                  </Box>
                  <Box>{key.does}</Box>
                </Box>
              ))}
          </Box>
        ))}
      </Box>
      <Box as="p" color="ink2" fontSize="13px" marginTop="12px">
        In fields: arrow keys step, Shift coarser, Alt finer, Enter accepts, Escape restores. Keys
        rest while a field has the focus.
      </Box>
      <Box marginTop="14px">
        <SheetTitle sub>Words</SheetTitle>
        <Box as="dl" display="grid" gridTemplateColumns="auto minmax(0, 1fr)" gap="4px 14px">
          {allWords.map(({ word, means }) => (
            <Box key={word} display="contents">
              <Box as="dt" fontWeight="650">
                {word}
              </Box>
              <Box as="dd" fontSize="13px">
                {means}
              </Box>
            </Box>
          ))}
        </Box>
      </Box>
      <Box marginTop="12px">
        <Press onClick={onClose} hint="Esc">
          Close
        </Press>
      </Box>
    </Dialog>
  );
}
