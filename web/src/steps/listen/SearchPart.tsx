/** While A less B plays, B is moved for the deepest null: metered, its best marked, written. */
import { Box } from "@chakra-ui/react";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";

import { api, ask, sentenceOf } from "../../api/client";
import { LateChart } from "../../charts/LateChart";
import { ScaleSlider } from "../../charts/ScaleSlider";
import { trimmed } from "../../playing/match";
import { begun, chosen, depthAt, delayOf, levelOf, pathsIn, WHOLE } from "../../playing/search";
import type { Listening } from "../../playing/usePlaying";
import { sendEdit } from "../../rigs/edits";
import { announce, Press, SheetTitle } from "../../ui/controls";
import { num, signed } from "../../ui/format";
import { NumberField } from "../../ui/NumberField";
import { Choice } from "../../ui/QuantityField";

const REACH_DB = 12;

interface Best {
  of: string;
  db: number;
  inverted: boolean;
  depth: number;
}

export function SearchPart({ l }: { l: Listening }) {
  const { heard, search, setSearch } = l;
  const { toggles } = l.player;
  const other = l.done.find((s) => s.id === toggles.difference && s.id !== heard?.id);
  const stems = other?.render?.report?.stems ?? [];
  const paths = pathsIn(stems);
  const [picked, setPicked] = useState("");
  const known = picked === WHOLE || paths.some((p) => p.id === picked);
  const choice = known ? picked : begun(stems, l.moving);
  const moving = chosen(stems, choice);
  const name = choice === WHOLE ? "all paths" : (paths.find((p) => p.id === choice)?.name ?? "");
  const [setting, setSetting] = useState<"level" | "delay">("level");
  const [step, setStep] = useState(0.1);
  const [stepMs, setStepMs] = useState(0.01);
  const [reachMs, setReachMs] = useState(5);
  const [best, setBest] = useState<Best | null>(null);
  const own = other && search?.id === other.id ? search : null;
  const [db, inverted, ms] = [own?.db ?? 0, own?.inverted ?? false, own?.ms ?? 0];
  const of = `${heard?.render?.id} ${other?.render?.id} ${moving.join()}`;
  const ready =
    !!other &&
    moving.length > 0 &&
    heard?.render?.status === "done" &&
    other.render?.status === "done";
  const common = ready
    ? {
        other: other.render!.id,
        gains: heard.render!.report!.stems.length ? l.gainsOf(heard, l.move) : [],
        other_gains: l.gainsOf(other, l.move),
        moving,
      }
    : null;
  const params = { path: { render_id: heard?.render?.id ?? "" } };
  const body = common && { ...common, step_db: step };
  const found = useQuery({
    queryKey: ["against", params.path.render_id, JSON.stringify(body)],
    enabled: body !== null,
    placeholderData: keepPreviousData,
    staleTime: Infinity,
    retry: false,
    queryFn: () => ask(api.POST("/api/v1/renders/{render_id}/against", { params, body: body! })),
  });
  const asked = common && { ...common, step_ms: stepMs, reach_ms: reachMs };
  const late = useQuery({
    queryKey: ["late", params.path.render_id, JSON.stringify(asked)],
    enabled: asked !== null && setting === "delay",
    placeholderData: keepPreviousData,
    staleTime: Infinity,
    retry: false,
    queryFn: () => ask(api.POST("/api/v1/renders/{render_id}/late", { params, body: asked! })),
  });
  const told = found.isPlaceholderData ? undefined : found.data;
  useEffect(() => {
    if (!told) return;
    // eslint-disable-next-line react-hooks/set-state-in-effect -- what came in is marked where it is best
    setBest((b) =>
      b?.of === of && b.depth <= told.depth_db ? b : { of, db, inverted, depth: told.depth_db },
    );
  }, [told, of, db, inverted]);
  if (!other || !heard || l.inTrial) return null;
  const set = (to: { db?: number; inverted?: boolean; ms?: number }) =>
    setSearch({
      ms: Number((to.ms ?? ms).toFixed(5)),
      id: other.id,
      paths: moving,
      db: Number((to.db ?? db).toFixed(3)),
      inverted: to.inverted ?? inverted,
    });
  const mine = best?.of === of ? best : null;
  // What the arithmetic says is from where it stands: the path has been moved by `db` already.
  const exact = told?.best_db == null ? null : Number((db + told.best_db).toFixed(3));
  const turned = told ? told.best_inverted !== inverted : false;
  const write = (made: (id: string) => ReturnType<typeof levelOf>, words: string) => {
    const all = moving.map((id) => [id, made(id)] as const);
    const refused = all.map(([, m]) => ("said" in m ? m.said : "")).find(Boolean);
    if (refused) return announce(refused);
    for (const [rail, m] of all)
      if ("values" in m)
        sendEdit(
          other.render!.variant,
          { do: "set_strip", rail, values: m.values },
          `${name} of ${other.letter}: ${words}.`,
        );
    setSearch(null);
  };
  // What was measured is the render: what is set is set from there.
  const strip = (id: string) => stems.find((s) => s.id === id)!;
  const there =
    ms !== 0 && late.data ? depthAt(late.data.changes_ms, late.data.depths_db, ms) : null;
  const depth = ms === 0 ? told?.depth_db : (there ?? undefined);
  const residual =
    depth !== undefined
      ? `${num(-depth, 1)} dB down${ms === 0 ? "" : ` at ${signed(ms, 3)} ms`}`
      : found.error
        ? "cannot be told"
        : "is measured";
  return (
    <Box as="section" aria-label="Search for the null" marginTop="10px" maxWidth="760px">
      <SheetTitle
        sub
        about={
          moving.length
            ? `${name} of ${other.letter} is moved while ${heard.letter} − ${other.letter} plays`
            : `${other.letter} has no path that can be moved`
        }
      >
        Search for the null
      </SheetTitle>
      {moving.length > 0 && (
        <>
          <Box display="flex" flexWrap="wrap" gap="6px 14px" alignItems="center" marginBottom="4px">
            <span>Move</span>
            <Choice
              aria-label={`What of ${other.letter} is moved`}
              width="auto"
              maxWidth="200px"
              value={choice}
              onChange={(event) => {
                setPicked(event.target.value);
                setSearch(null);
              }}
            >
              {paths.map((p) => (
                <option key={p.id} value={p.id}>
                  {p.name}
                </option>
              ))}
              {paths.length > 1 && <option value={WHOLE}>all paths</option>}
            </Choice>
            <span>by its</span>
            <Choice
              aria-label="Setting that is searched"
              width="auto"
              value={setting}
              onChange={(event) => setSetting(event.target.value as "level" | "delay")}
            >
              <option value="level">level</option>
              <option value="delay">delay</option>
            </Choice>
            <Press
              look={inverted ? "primary" : "plain"}
              aria-pressed={inverted}
              onClick={() => set({ inverted: !inverted })}
            >
              Turned over
            </Press>
            <Box role="status" aria-label="Residual">
              residual{" "}
              <Box as="strong" fontSize="17px">
                {residual}
              </Box>
            </Box>
          </Box>
          {setting === "level" ? (
            <>
              <ScaleSlider
                label={`Change of ${name} of ${other.letter}`}
                value={Math.max(-REACH_DB, Math.min(REACH_DB, db))}
                low={-REACH_DB}
                high={REACH_DB}
                step={step}
                ticks={[-12, -6, -3, 0, 3, 6, 12]}
                shown={(v) => `${signed(v, 1)} dB`}
                onChange={(v) => set({ db: trimmed(v, step) })}
              />
              <Box display="flex" flexWrap="wrap" gap="6px 14px" alignItems="center">
                {mine && (
                  <Box color="ok">
                    best so far {num(-mine.depth, 1)} dB down at {signed(mine.db, 2)} dB
                    {mine.inverted ? ", turned over" : ""}
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
                  disabled={!mine || (mine.db === 0 && !mine.inverted)}
                  onClick={() =>
                    mine &&
                    write(
                      (id) => levelOf(strip(id), mine.db, mine.inverted),
                      `${signed(mine.db, 2)} dB${mine.inverted ? ", turned over" : ""}`,
                    )
                  }
                >
                  Take the best setting
                </Press>
              </Box>
              {told && (
                <Box color="ink2" fontSize="14px" marginTop="4px">
                  {exact === null
                    ? `By arithmetic it nulls deepest without ${name}: ${num(-told.best_depth_db, 1)} dB down. `
                    : `By arithmetic ${signed(exact, 2)} dB${turned ? ", turned over," : ""} leaves least: ${num(-told.best_depth_db, 1)} dB down. `}
                  {exact !== null && Math.abs(exact) <= REACH_DB && (
                    <Press look="quiet" onClick={() => set({ db: exact, inverted: turned })}>
                      Go there
                    </Press>
                  )}
                </Box>
              )}
            </>
          ) : (
            <>
              {late.data && <LateChart found={late.data} ms={ms} depth={there} />}
              {/* On the ends of the drawing above it. */}
              <Box paddingLeft="52px" marginBottom="6px">
                <ScaleSlider
                  label={`Change of the delay of ${name} of ${other.letter}`}
                  value={Math.max(-reachMs, Math.min(reachMs, ms))}
                  low={-reachMs}
                  high={reachMs}
                  step={stepMs}
                  ticks={[-1, -0.5, 0, 0.5, 1].map((part) => part * reachMs)}
                  shown={(v) => `${signed(v, 2)} ms`}
                  onChange={(v) => set({ ms: trimmed(v, stepMs) })}
                />
              </Box>
              <Box display="flex" flexWrap="wrap" gap="6px 14px" alignItems="center">
                <span>up to</span>
                <NumberField
                  label="How far it is searched"
                  unit="ms"
                  width="84px"
                  value={reachMs}
                  least={0.1}
                  most={20}
                  digits={1}
                  step={1}
                  onCommit={setReachMs}
                />
                <span>in steps of</span>
                <NumberField
                  label="Step of its delay"
                  unit="ms"
                  width="92px"
                  value={stepMs}
                  least={0.0001}
                  most={5}
                  digits={4}
                  step={0.01}
                  onCommit={setStepMs}
                />
                <Press
                  look="quiet"
                  disabled={!late.data || late.isPlaceholderData || late.data.best_ms === ms}
                  onClick={() => late.data && set({ ms: late.data.best_ms })}
                >
                  Go to the deepest
                </Press>
                <Press
                  disabled={!late.data || late.isPlaceholderData || late.data.best_ms === 0}
                  onClick={() =>
                    late.data &&
                    write(
                      (id) => delayOf(strip(id), late.data.best_ms),
                      `${signed(late.data.best_ms, 3)} ms`,
                    )
                  }
                >
                  Take the best delay
                </Press>
              </Box>
              <Box color="ink2" fontSize="14px" marginTop="4px">
                {late.data
                  ? `By arithmetic over ${num(late.data.until_s, 0)} s. It is heard as you move it; parts of a sample exactly once it is taken and rendered.`
                  : "It is measured …"}
              </Box>
            </>
          )}
          {(found.error || late.error) && (
            <Box color="diff">{sentenceOf(found.error ?? late.error)}</Box>
          )}
        </>
      )}
    </Box>
  );
}
