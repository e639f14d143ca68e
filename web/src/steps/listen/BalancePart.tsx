/** Wet against dry, moved live, sent to the route or written as moves. */
import { Box } from "@chakra-ui/react";

import { Hint, Press, SheetTitle } from "../../ui/controls";
import { signed } from "../../ui/format";
import { Choice } from "../../ui/QuantityField";
import { Balance } from "./Balance";
import type { Sound } from "../../playing/useRenders";
import type { Listening } from "../../playing/usePlaying";
import { wetWords } from "../../playing/wet";

export function BalancePart({ l, onKept }: { l: Listening; onKept: () => void }) {
  const {
    bare,
    heard,
    move,
    inTrial,
    law,
    setLaw,
    writing,
    toggleWriting,
    route,
    wet,
    balanceTo,

    canBalance,
    why,
    sendToRoute,
    keepMoves,
    nextBar,
    rig,
  } = l;
  const { toggles, change } = l.player;
  return (
    <>
      <Box marginTop="10px">
        <Box display="flex" flexWrap="wrap" alignItems="baseline" gap="4px 16px">
          <SheetTitle
            sub
            about={
              canBalance
                ? `wet against dry at ${placeName(heard)}, moved alike for all`
                : "wet against dry"
            }
          >
            Balance
          </SheetTitle>
          <Box display={{ base: "none", sm: "block" }} fontSize="13px" color="ink2">
            <Hint>[</Hint> <Hint>]</Hint> 0.5 dB
          </Box>
          <Box flex="1" />
          {canBalance && (
            <>
              <label>
                <Box as="span" fontSize="13px" color="ink2">
                  by{" "}
                </Box>
                <Choice
                  aria-label="Law of the balance"
                  width="auto"
                  value={law}
                  onChange={(event) => setLaw(event.target.value)}
                >
                  <option value="fader">a wet fader</option>
                  <option value="linear">a linear mix</option>
                  <option value="equal-power">an equal-power mix</option>
                  <option value="compromise">a −4.5 dB mix</option>
                  <option value="full">a mix full at its centre</option>
                </Choice>
              </label>
              <Box fontSize="13px" color="ink2">
                ring: the route, {signed(route ?? 0, 1)} dB
              </Box>
              {move !== 0 && Number.isFinite(move) && (
                <Box fontSize="13px" color="diff" fontWeight="650">
                  now {signed(move, 1)} dB
                </Box>
              )}
              <Press
                look="quiet"
                disabled={move === 0 || !Number.isFinite(wet)}
                onClick={() => void sendToRoute()}
              >
                Set {rig.name} {heard?.letter.replace("\u2032", "")} to{" "}
                {Number.isFinite(wet) ? `wet ${signed(wet, 1)} dB` : wetWords(wet)}
              </Press>
            </>
          )}
        </Box>
        {canBalance ? (
          <Balance value={wet} route={route ?? 0} disabled={inTrial} onChange={balanceTo} />
        ) : (
          <Box color="ink2" marginTop="2px">
            {why
              ? `It needs a render: ${why}`
              : heard === bare
                ? "The clip itself, past the rig: it has nothing to balance."
                : heard
                  ? "Dry and wet meet nowhere on this way: there is nothing to balance."
                  : "Render the variants to move wet against dry live."}
          </Box>
        )}
        {canBalance && (
          <Box display="flex" flexWrap="wrap" gap="4px 14px" alignItems="center" marginTop="2px">
            <label>
              <Box as="span" fontSize="13px" color="ink2">
                hear{" "}
              </Box>
              <Choice
                aria-label="Only one path"
                width="auto"
                value={toggles.solo ?? ""}
                onChange={(event) =>
                  change({ solo: event.target.value === "" ? null : Number(event.target.value) })
                }
              >
                <option value="">all paths</option>
                {heard!.render!.report!.stems.map((s, i) => (
                  <option key={s.id} value={i}>
                    {s.name} alone
                  </option>
                ))}
              </Choice>
            </label>
            <Press
              look={writing ? "primary" : "plain"}
              aria-pressed={writing}
              onClick={() => {
                if (writing) onKept();
                toggleWriting();
              }}
            >
              {writing ? "Keep the moves" : "Write moves while playing"}
            </Press>
            {nextBar && (
              <Press
                look="quiet"
                onClick={() => {
                  keepMoves([{ at: nextBar.at, wet: -Infinity }]);
                  onKept();
                }}
              >
                Cut the wet at bar {nextBar.bar}
              </Press>
            )}
          </Box>
        )}
      </Box>
    </>
  );
}

const placeName = (sound: Sound | undefined) =>
  sound?.render?.place ? `“${sound.render.place}”` : "its place";
