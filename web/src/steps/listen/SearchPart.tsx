/** While A less B plays, a path of B is moved for the deepest null: metered, its best marked, written. */
import { Box } from "@chakra-ui/react";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";

import { api, ask, sentenceOf } from "../../api/client";
import { movesOf, trimmed } from "../../playing/match";
import type { Listening } from "../../playing/usePlaying";
import { sendEdit } from "../../rigs/edits";
import { ScaleSlider } from "../../charts/ScaleSlider";
import { Press, SheetTitle } from "../../ui/controls";
import { num, signed } from "../../ui/format";
import { NumberField } from "../../ui/NumberField";

const REACH_DB = 12;

export function SearchPart({ l }: { l: Listening }) {
  const { heard, search, setSearch } = l;
  const { toggles } = l.player;
  const other = l.done.find((s) => s.id === toggles.difference && s.id !== heard?.id);
  const stems = other?.render?.report?.stems ?? [];
  const flags = movesOf(stems, l.moving);
  const paths = [...new Set(stems.filter((_, i) => flags[i]).map((s) => s.id))];
  const path = paths.length === 1 ? stems.find((s) => s.id === paths[0]) : undefined;
  const [step, setStep] = useState(0.1);
  const [best, setBest] = useState<{ of: string; db: number; depth: number } | null>(null);
  const db = other && search?.id === other.id ? search.db : 0;
  const of = `${heard?.render?.id} ${other?.render?.id} ${paths.join()}`;
  const ready =
    !!other && !!path && heard?.render?.status === "done" && other.render?.status === "done";
  const base = other ? l.gainsOf(other, l.move) : [];
  const body = ready
    ? {
        other: other.render!.id,
        gains: heard.render!.report!.stems.length ? l.gainsOf(heard, l.move) : [],
        other_gains: base,
        moving: paths,
        step_db: step,
      }
    : null;
  const found = useQuery({
    queryKey: ["against", heard?.render?.id, JSON.stringify(body)],
    enabled: body !== null,
    placeholderData: keepPreviousData,
    staleTime: Infinity,
    retry: false,
    queryFn: () =>
      ask(
        api.POST("/api/v1/renders/{render_id}/against", {
          params: { path: { render_id: heard!.render!.id } },
          body: body!,
        }),
      ),
  });
  const told = found.isPlaceholderData ? undefined : found.data;
  useEffect(() => {
    if (!told) return;
    // eslint-disable-next-line react-hooks/set-state-in-effect -- what came in is marked where it is best
    setBest((b) =>
      b?.of === of && b.depth <= told.depth_db ? b : { of, db, depth: told.depth_db },
    );
  }, [told, of, db]);
  if (!other || !heard || l.inTrial) return null;
  const move = (to: number) => setSearch({ id: other.id, db: Number(to.toFixed(3)) });
  const mine = best?.of === of ? best : null;
  // What the arithmetic says is from where it stands: the path has been moved by `db` already.
  const exact = told?.best_db == null ? null : Number((db + told.best_db).toFixed(3));
  const take = (to: number) => {
    if (path?.level_db == null) return;
    sendEdit(
      other.render!.variant,
      {
        do: "set_strip",
        rail: path.id,
        values: { level_db: Number((path.level_db + to).toFixed(3)) },
      },
      `${path.name} of ${other.letter} is set to ${signed(path.level_db + to, 1)} dB.`,
    );
    setSearch(null);
  };
  return (
    <Box as="section" aria-label="Search for the null" marginTop="10px" maxWidth="760px">
      <SheetTitle
        sub
        about={
          path
            ? `${path.name} of ${other.letter} is moved while ${heard.letter} − ${other.letter} plays`
            : `choose one path under Balance to move of ${other.letter}`
        }
      >
        Search for the null
      </SheetTitle>
      {path && (
        <>
          <ScaleSlider
            label={`Change of ${path.name} of ${other.letter}`}
            value={Math.max(-REACH_DB, Math.min(REACH_DB, db))}
            low={-REACH_DB}
            high={REACH_DB}
            step={step}
            ticks={[-12, -6, -3, 0, 3, 6, 12]}
            shown={(v) => `${signed(v, 1)} dB`}
            onChange={(v) => move(trimmed(v, step))}
          />
          <Box display="flex" flexWrap="wrap" gap="6px 14px" alignItems="center">
            <Box role="status" aria-label="Residual">
              residual{" "}
              <Box as="strong" fontSize="17px">
                {told
                  ? `${num(-told.depth_db, 1)} dB down`
                  : found.error
                    ? "cannot be told"
                    : "is measured"}
              </Box>
            </Box>
            {mine && (
              <Box color="ok">
                best so far {num(-mine.depth, 1)} dB down at {signed(mine.db, 2)} dB
              </Box>
            )}
            <span>in steps of</span>
            <NumberField
              label="Step of its control"
              unit="dB"
              width="84px"
              value={step}
              least={0.001}
              most={6}
              digits={2}
              step={0.1}
              onCommit={setStep}
            />
            <Press
              disabled={!mine || path.level_db == null || mine.db === 0}
              onClick={() => mine && take(mine.db)}
            >
              Take the best setting
            </Press>
          </Box>
          {found.error && <Box color="diff">{sentenceOf(found.error)}</Box>}
          {told && (
            <Box color="ink2" fontSize="14px" marginTop="4px">
              {exact === null
                ? `By arithmetic it nulls deepest without ${path.name}: ${num(-told.best_depth_db, 1)} dB down. `
                : `By arithmetic ${signed(exact, 2)} dB${told.best_inverted ? ", inverted," : ""} leaves least: ${num(-told.best_depth_db, 1)} dB down. `}
              {exact !== null && !told.best_inverted && Math.abs(exact) <= REACH_DB && (
                <Press look="quiet" onClick={() => move(exact)}>
                  Go there
                </Press>
              )}
            </Box>
          )}
        </>
      )}
    </Box>
  );
}
