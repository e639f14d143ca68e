/** Wet against dry, moved live, sent to the route or written as moves. */
import { Box } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";

import { api, ask, type Schemas, sentenceOf } from "../../api/client";
import { Hint, Press, SheetTitle } from "../../ui/controls";
import { signed } from "../../ui/format";
import { Choice } from "../../ui/QuantityField";
import { Balance } from "./Balance";
import { RenderedBalance } from "./RenderedBalance";
import { usePlayhead } from "../../playing/playhead";
import type { Listening } from "../../playing/usePlaying";
import { movesOf, placeWords, sameVariant } from "../../playing/match";
import { type Sides, WET_DRY, wetWords } from "../../playing/wet";

export function BalancePart({ l }: { l: Listening }) {
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
    rig,
  } = l;
  const { toggles, change } = l.player;
  const stems = heard?.render?.report?.stems ?? [];
  const flags = movesOf(stems, l.moving);
  const sides = sidesOf(stems, flags);
  const [first, other] = (heard?.render?.place ?? "").split("+");
  const here = l.places?.find((p) => p.id === first);
  // One path that moves has one fader: what it is set to is said in its own unit.
  const ids = [...new Set(stems.filter((_, i) => flags[i]).map((s) => s.id))];
  const one = ids.length === 1 ? stems.find((s) => s.id === ids[0]) : undefined;
  const setting =
    one?.level_db != null && Number.isFinite(move)
      ? `level ${signed(one.level_db + move, 1)} dB`
      : "";
  return (
    <>
      <Box marginTop="10px">
        <Box display="flex" flexWrap="wrap" alignItems="baseline" gap="4px 16px">
          <SheetTitle
            sub
            about={
              canBalance
                ? `${sides.moves} against ${sides.rest} at ${here ? `“${placeWords(here, l.places!)}”` : "its place"}, moved alike for all`
                : "a path against the others"
            }
          >
            Balance
          </SheetTitle>
          <Box
            display={{ base: "none", sm: canBalance ? "block" : "none" }}
            fontSize="13px"
            color="ink2"
          >
            <Hint>[</Hint> <Hint>]</Hint> 0.5 dB
          </Box>
          <Box flex="1" />
          {(l.places?.length ?? 0) > 1 && (
            <label>
              <Box as="span" fontSize="13px" color="ink2">
                at{" "}
              </Box>
              <Choice
                aria-label="Where it is balanced"
                width="auto"
                maxWidth="180px"
                value={l.place || (first ?? "")}
                onChange={(event) => {
                  l.setPlace(event.target.value);
                  l.setMoving([]);
                  l.setSecond({ place: "", db: 0 });
                }}
              >
                {l.places!.map((p) => (
                  <option key={p.id} value={p.id}>
                    {placeWords(p, l.places!)}
                    {p.live ? "" : " (by rendering)"}
                  </option>
                ))}
              </Choice>
            </label>
          )}
          {canBalance && <AndAt l={l} first={l.place || (first ?? "")} />}
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
                  <option value="fader">one fader</option>
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
                disabled={move === 0 || !Number.isFinite(wet) || l.measuring}
                onClick={() => void sendToRoute()}
              >
                Set {rig.name} {heard?.letter.replace("\u2032", "")} to{" "}
                {Number.isFinite(wet)
                  ? `${sides.moves} ${signed(wet, 1)} dB`
                  : wetWords(wet, sides)}
              </Press>
            </>
          )}
        </Box>
        {canBalance ? (
          <Balance
            value={wet}
            route={route ?? 0}
            disabled={inTrial}
            sides={sides}
            setting={setting}
            onChange={balanceTo}
          />
        ) : why && here ? (
          <RenderedBalance l={l} place={here} why={why} />
        ) : (
          <Box color="ink2" marginTop="2px">
            {why
              ? `It needs a render: ${why}`
              : heard === bare
                ? "The clip itself, past the rig: it has nothing to balance."
                : heard
                  ? l.places?.length
                    ? "Choose where paths meet to balance them, then play."
                    : "No two paths of one source meet on this way: there is nothing to balance."
                  : "Play, and what meets can be moved live."}
          </Box>
        )}
        {canBalance && l.second.place && (
          <SecondBalance key={l.second.place} l={l} ready={other === l.second.place} />
        )}
        {canBalance && (
          <Box display="flex" flexWrap="wrap" gap="4px 14px" alignItems="center" marginTop="6px">
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
                {stems.map((s, i) => (
                  <option key={`${s.id} ${i}`} value={i}>
                    {s.name} alone
                  </option>
                ))}
              </Choice>
            </label>
            {new Set(stems.map((s) => s.id)).size > 2 && !other && (
              <Box
                role="group"
                aria-label="What moves"
                display="flex"
                flexWrap="wrap"
                gap="4px 10px"
              >
                <Box as="span" fontSize="13px" color="ink2">
                  moves:
                </Box>
                {[...new Map(stems.map((s, i) => [s.id, { s, on: flags[i]! }])).values()].map(
                  ({ s, on }) => (
                    <label key={s.id}>
                      <input
                        type="checkbox"
                        checked={on}
                        onChange={() => {
                          const now = new Set(stems.filter((_, i) => flags[i]).map((o) => o.id));
                          if (on) now.delete(s.id);
                          else now.add(s.id);
                          const all = new Set(stems.map((o) => o.id)).size;
                          if (now.size && now.size < all) l.setMoving([...now]);
                        }}
                      />{" "}
                      {s.id === "rest" ? s.name : s.name.split(",")[0]}
                    </label>
                  ),
                )}
              </Box>
            )}
            <Press
              look={writing ? "primary" : "plain"}
              aria-pressed={writing}
              onClick={toggleWriting}
            >
              {writing ? "Keep the moves" : "Write moves while playing"}
            </Press>
            <CutPress l={l} />
          </Box>
        )}
      </Box>
    </>
  );
}

/** Another place that is balanced at the same time: the paths of both are kept apart. */
function AndAt({ l, first }: { l: Listening; first: string }) {
  // A device's own mix and the section of a frame are balanced by themselves.
  const others = (l.places ?? []).filter((p) => p.id !== first && p.live && !p.inside);
  const known = l.places?.find((p) => p.id === first);
  if (!others.length || !known?.live || known.inside) return null;
  return (
    <label>
      <Box as="span" fontSize="13px" color="ink2">
        and at{" "}
      </Box>
      <Choice
        aria-label="Another place that is balanced"
        width="auto"
        maxWidth="160px"
        value={l.second.place}
        onChange={(event) => {
          l.setPlace(first);
          l.setSecond({ place: event.target.value, db: 0 });
        }}
      >
        <option value="">nowhere else</option>
        {others.map((p) => (
          <option key={p.id} value={p.id}>
            {placeWords(p, l.places!)}
          </option>
        ))}
      </Choice>
    </label>
  );
}

/** The second fader: its own ratio, its own place on the scale, written by itself. */
function SecondBalance({ l, ready }: { l: Listening; ready: boolean }) {
  const { heard, second, setSecond, secondMoving } = l;
  const place = l.places?.find((p) => p.id === second.place);
  const balance = useQuery({
    queryKey: ["balance", heard?.render?.variant, heard?.render?.id, "fader", secondMoving.join()],
    enabled: ready && heard?.render?.status === "done" && secondMoving.length > 0,
    placeholderData: (before: Schemas["BalanceOut"] | undefined, last) =>
      sameVariant(last?.queryKey, heard?.render?.variant) ? before : undefined,
    queryFn: () =>
      ask(
        api.GET("/api/v1/renders/{render_id}/balance", {
          params: {
            path: { render_id: heard!.render!.id },
            query: { law: "fader", moving: secondMoving.join() },
          },
        }),
      ),
    staleTime: Infinity,
    retry: false,
  });
  const route = balance.data?.route_db ?? null;
  if (!ready || route === null)
    return (
      <Box color="ink2" fontSize="13px" role="status">
        {balance.error
          ? sentenceOf(balance.error)
          : ready
            ? `“${place?.name ?? ""}” is measured.`
            : `The paths of “${place?.name ?? ""}” are kept apart as soon as it is rendered: play.`}
      </Box>
    );
  const moves = place?.stems.filter((s) => secondMoving.includes(s.id)) ?? [];
  const names = moves.map((s) => s.name).join(" and ");
  const one = moves.length === 1 ? moves[0]!.level_db : null;
  return (
    <Box marginTop="4px">
      <Box display="flex" flexWrap="wrap" alignItems="baseline" gap="4px 16px" fontSize="13px">
        <Box color="ink2">
          <strong>{names}</strong> against the rest at “{place && placeWords(place, l.places!)}”;
          ring: the route, {signed(route, 1)} dB
        </Box>
        <Box flex="1" />
        <Press
          look="quiet"
          disabled={second.db === 0 || balance.isPlaceholderData}
          onClick={() =>
            void l.settle(route + second.db, secondMoving, () => setSecond({ ...second, db: 0 }))
          }
        >
          Set {l.rig.name} {heard?.letter.replace("\u2032", "")} to {names}{" "}
          {signed(route + second.db, 1)} dB
        </Press>
      </Box>
      <Balance
        value={route + second.db}
        route={route}
        disabled={l.inTrial}
        sides={{ moves: names || "this", rest: "the rest" }}
        setting={one != null ? `level ${signed(one + second.db, 1)} dB` : ""}
        onChange={(value) =>
          Number.isFinite(value) &&
          setSecond({ ...second, db: Math.round((value - route) * 1000) / 1000 })
        }
      />
    </Box>
  );
}

/** At the next bar line what moves is gone; which bar that is follows the playhead. */
function CutPress({ l }: { l: Listening }) {
  const { position } = usePlayhead(l.player.head);
  const next = l.bars.find((b) => b.at > position + 0.01);
  if (!next) return null;
  return (
    <Press look="quiet" onClick={() => l.keepMoves([{ at: next.at, wet: -Infinity }])}>
      Cut the wet at bar {next.bar}
    </Press>
  );
}

/** What moves against what: wet against dry, or the names of what moves. */
function sidesOf(stems: { name: string; wet: boolean }[], moves: boolean[]): Sides {
  if (stems.every((s, i) => s.wet === moves[i])) return WET_DRY;
  const names = [...new Set(stems.filter((_, i) => moves[i]).map((s) => s.name.split(",")[0]!))];
  return { moves: names.join(" and ") || "wet", rest: "the rest" };
}
