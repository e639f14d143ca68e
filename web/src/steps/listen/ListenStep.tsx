/** The rig heard: variants at equal loudness on one clock, wet against dry moved live, blind trials. */
import { Box } from "@chakra-ui/react";
import { keepPreviousData, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { NavLink } from "react-router";

import { api, ask, type Schemas, sentenceOf } from "../../api/client";
import { useKey } from "../../ui/keys";
import { useSongContext } from "../../song/context";
import { type Stretch, Wave } from "../../charts/Wave";
import { announce, Empty, Hint, Notice, Press, SheetTitle } from "../../ui/controls";
import { clockFine, num, signed } from "../../ui/format";
import { useLater } from "../../ui/hooks";
import { Choice, Labelled } from "../../ui/QuantityField";
import { Record } from "../../clips/Record";
import { SheetTabs } from "../../ui/SheetTabs";
import { nameOf } from "../../rigs/names";
import { useClip } from "../../clips/queries";
import { Balance } from "./Balance";
import { useHeld } from "./heard-keys";
import { Lanes } from "./Lanes";
import { MovesSheet, useMoves, withPoint } from "./MovesSheet";
import { Spectrum } from "./Spectrum";
import { barWords, between, placeIn, thinned, useBars } from "./bars";
import { Board, Captures, Export, Log, type Sound, Strip } from "./Parts";
import { LaneHead, Transport } from "./Transport";
import { Trial } from "./Trial";
import { usePlayer } from "./usePlayer";
import { useRenders } from "./useRenders";
import { stepped, type WetDb, wetWords } from "./wet";

type Sheet = "trial" | "moves" | "capture" | "export" | "log";
const SHEETS: [Sheet, string][] = [
  ["trial", "By ear alone"],
  ["moves", "Moves"],
  ["capture", "Captures"],
  ["export", "Export"],
  ["log", "Log"],
];
const LONGEST_S = 30;
const KEYS = ["1", "2", "3", "4", "5", "6", "7", "8", "9"] as const;
export default function ListenStep() {
  const { rig } = useSongContext();
  if (!rig)
    return (
      <Box>
        <SheetTitle page>Listening</SheetTitle>
        <Empty action={<NavLink to="../route?new=1">Begin a rig</NavLink>}>
          There is no rig to hear yet.
        </Empty>
      </Box>
    );
  return <Listening key={rig.id} rig={rig} />;
}

interface Props {
  rig: Schemas["RigOut"];
}

function Listening({ rig }: Props) {
  const { song, clips, clip: clipInHand, variant: inHand, take } = useSongContext();
  const client = useQueryClient();
  const clip = clipInHand?.id ?? "";
  const detail = useClip(clip || null).data;
  const whole = detail?.facts?.seconds ?? 0;
  const [chosen, setChosen] = useState<{ clip: string; region: Stretch | null } | null>(null);
  const region = chosen?.clip === clip ? chosen.region : null;
  const setRegion = (next: Stretch | null) => setChosen({ clip, region: next });
  const stretch: Stretch = region ?? { start_s: 0, length_s: whole > LONGEST_S ? LONGEST_S : null };
  const first = useVariantOf(rig.variants[0]!.id, song.revision);
  const boards = first?.view.report.boards ?? [];
  const [at, setAt] = useState(0);
  const way = boards[Math.min(at, boards.length - 1)];
  const renders = useRenders(
    rig,
    { clip, source: way?.source ?? "", output: way?.output ?? "", ...stretch },
    song.revision,
  );
  const bare: Sound = { id: "bare", letter: "clip", name: "past the rig", render: renders.bare };
  const variants: Sound[] = rig.variants.flatMap((v) => {
    const one: Sound = { id: v.id, letter: v.letter, name: v.name, render: renders.rendered(v.id) };
    const captured = renders.captured(v.id);
    return captured
      ? [one, { id: `${v.id} capture`, letter: `${v.letter}′`, name: "capture", render: captured }]
      : [one];
  });
  const sounds: Sound[] = [...variants, bare];
  const done = sounds.filter((s) => s.render?.status === "done" && s.render.report);
  const [heardId, setHeardId] = useState("");
  const heard =
    done.find((s) => s.id === heardId) ?? done.find((s) => s.id === inHand?.id) ?? done[0];
  const [looped, setLooped] = useState(true);
  const [matched, setMatched] = useState(true);
  const [basis, setBasis] = useState<"whole" | "wet">("whole");
  const [move, setMove] = useState<number>(0);
  const [loudness, setLoudness] = useState<Record<string, number | null>>({});
  const [moments, setMoments] = useState<Record<string, number[]>>({});
  const [shortTerms, setShortTerms] = useState<Record<string, number[]>>({});
  const [wetLoud, setWetLoud] = useState<Record<string, number | null>>({});
  const [sheet, setSheet] = useState<Sheet>("trial");
  const [choosing, setChoosing] = useState(false);
  const [inTrial, setInTrial] = useState(false);
  const [law, setLaw] = useState<Schemas["BalanceOut"]["law"]>("fader");
  const written = useRef<{ at: number; wet: WetDb }[] | null>(null);
  const [writing, setWriting] = useState(false);

  const travel = useQuery({
    queryKey: ["balance", heard?.render?.id, law],
    enabled: !!heard?.render?.report?.stems.length,
    queryFn: () =>
      ask(
        api.GET("/api/v1/renders/{render_id}/balance", {
          params: { path: { render_id: heard!.render!.id }, query: { law: law as "fader" } },
        }),
      ),
    staleTime: Infinity,
    retry: false,
  }).data;
  const route = travel?.route_db ?? null;
  const wet: WetDb =
    route === null ? 0 : move === -Infinity || move === Infinity ? move : route + move;
  const curves = useQuery({
    queryKey: ["render-detail", heard?.render?.id],
    enabled: !!heard?.render,
    placeholderData: keepPreviousData,
    queryFn: () =>
      ask(
        api.GET("/api/v1/renders/{render_id}/detail", {
          params: { path: { render_id: heard!.render!.id } },
        }),
      ),
    staleTime: Infinity,
  }).data;
  const bars = useBars(stretch.start_s, heard?.render?.report?.seconds ?? 0);

  /** Gains of a sound's stems at a balance: the wet ones move, or a law's two gains. */
  const gainsOf = (sound: Sound, shift: number): number[] => {
    const stems = sound.render?.report?.stems ?? [];
    if (!stems.length) return [1];
    if (law !== "fader" && travel && sound.id === heard?.id && route !== null)
      return between(travel, route + shift);
    return stems.map((s) => {
      if (shift === -Infinity) return s.wet ? 0 : 1;
      if (shift === Infinity) return s.wet ? 1 : 0;
      return s.wet ? 10 ** (shift / 20) : 1;
    });
  };
  const loudOf = (sound: Sound): number | null =>
    basis === "wet" && wetLoud[sound.render!.id] !== undefined
      ? wetLoud[sound.render!.id]!
      : (loudness[sound.render!.id] ?? sound.render!.report!.loudness_lufs);
  const levels = done.map(loudOf).filter((l): l is number => l !== null);
  const quietest = levels.length ? Math.min(...levels) : null;
  const matchDb = (sound: Sound): number => {
    const own = loudOf(sound);
    return matched && quietest !== null && own !== null ? Math.min(0, quietest - own) : 0;
  };

  const region_s = Math.min(
    stretch.length_s ?? whole - stretch.start_s,
    heard?.render?.report?.seconds ?? Infinity,
  );
  const loop =
    looped && Number.isFinite(region_s) && region_s > 0 ? { from: 0, to: region_s } : null;

  const player = usePlayer({
    done,
    gainsOf: (sound) => gainsOf(sound, move),
    matchDb,
    loop,
    onHear: setHeardId,
  });
  const { playing, loading, position, lap, meter, trail, toggles, play, stop, switchTo, change } =
    player;
  /** What it is turned down by as it is heard; the match stays while a gain is moved. */
  const heldMatch = (sound: Sound) => player.applied?.[sound.id] ?? matchDb(sound);
  useEffect(() => {
    player.match();
    // Only when the person says how to match, not whenever a loudness changes.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [matched, basis]);
  const other =
    done.find((s) => s.id !== heard?.id && s.id !== "bare") ?? done.find((s) => s.id !== heard?.id);

  const measured = async () => {
    const found = await Promise.all(
      done
        .filter((s) => s.render!.report!.stems.length)
        .map(async (s) => {
          const path = { params: { path: { render_id: s.render!.id } } };
          const level = (gains: number[]) =>
            ask(api.POST("/api/v1/renders/{render_id}/level", { ...path, body: { gains } }));
          const gains = gainsOf(s, move);
          const wetOnly = gains.map((g, i) => (s.render!.report!.stems[i]!.wet ? g : 0));
          const [all, part] = await Promise.all([level(gains), level(wetOnly)]);
          return { id: s.render!.id, all, wet: part.loudness_lufs };
        }),
    ).catch(() => []);
    setLoudness(Object.fromEntries(found.map(({ id, all }) => [id, all.loudness_lufs])));
    setMoments(Object.fromEntries(found.map(({ id, all }) => [id, all.momentary_lufs])));
    setShortTerms(Object.fromEntries(found.map(({ id, all }) => [id, all.short_term_lufs])));
    setWetLoud(Object.fromEntries(found.map(({ id, wet: level }) => [id, level])));
  };
  const measure = useLater(() => void measured(), 60);
  const doneKey = done.map((s) => s.render!.id).join();
  useEffect(() => {
    player.regain((sound) => gainsOf(sound, move));
    measure(undefined);
    // Whenever what could be heard changes: the balance, its law, the renders.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [move, law, doneKey, travel]);

  const balanceTo = (value: WetDb) => {
    if (route === null) return;
    const shift = Number.isFinite(value) ? Math.round((value - route) * 1000) / 1000 : value;
    setMove(shift);
    player.regain((sound) => gainsOf(sound, shift));
    if (written.current && playing) written.current.push({ at: player.at(), wet: value });
  };

  const idle = !inTrial;
  useKey(
    "listen",
    "Space",
    () => (playing ? stop() : heard && void play(heard.id, position)),
    idle,
  );
  // The variant in hand is what is heard, by whatever key or choice it came there.
  const wanted = inHand?.id ?? "";
  const followed = useRef(wanted);
  useEffect(() => {
    if (followed.current === wanted || !idle) return;
    followed.current = wanted;
    if (done.some((s) => s.id === wanted)) switchTo(wanted);
  });
  const hear = (id: string) => {
    switchTo(id);
    if (rig.variants.some((v) => v.id === id)) {
      followed.current = id;
      take({ variant: id });
    }
  };
  useKey(
    "listen",
    "C",
    () => {
      const other = `${wanted} capture`;
      if (done.some((s) => s.id === other)) hear(heard?.id === other ? wanted : other);
      else announce("This variant has no capture yet.");
    },
    idle,
  );
  useKey("listen", "0", () => done.includes(bare) && hear(bare.id), idle);
  useKey("listen", "M", () => change({ mono: !toggles.mono }));
  useKey("listen", "W", () => change({ swap: !toggles.swap }));
  useKey("listen", "P", () => change({ flip: !toggles.flip }));
  useKey(
    "listen",
    "D",
    () => change({ difference: toggles.difference ? null : (other?.id ?? null) }),
    idle,
  );
  useKey("listen", "R", () => setLooped(!looped), idle);
  useKey("listen", "Home", () => heard && void play(heard.id, 0), idle);
  useKey("listen", "[", () => route !== null && balanceTo(stepped(wet, -0.5)), idle);
  useKey("listen", "]", () => route !== null && balanceTo(stepped(wet, 0.5)), idle);
  useHeld("e", (held) => change({ exaggerate: held }));

  const canBalance = route !== null;
  const why = heard?.render?.report?.needs_render;
  const sendToRoute = async () => {
    if (!heard?.render || !Number.isFinite(wet)) return;
    try {
      const settings = await ask(
        api.GET("/api/v1/renders/{render_id}/settings", {
          params: { path: { render_id: heard.render.id }, query: { wet_db: wet } },
        }),
      );
      let revision = rig.variants.find((v) => v.id === heard.render!.variant)!.revision;
      for (const { part, field, value } of settings) {
        const action = part.includes(".")
          ? { do: "set_strip" as const, rail: part, values: { [field]: value } }
          : { do: "set" as const, node: part, values: { [field]: value } };
        const after = await ask(
          api.POST("/api/v1/variants/{variant_id}/edits", {
            params: { path: { variant_id: heard.render.variant } },
            body: { id: crypto.randomUUID(), base_revision: revision, action },
          }),
        );
        revision = after.revision;
      }
      for (const key of ["rigs", "variant", "renders"])
        void client.invalidateQueries({ queryKey: [key] });
      announce(
        `Variant ${heard.letter} is set to it: ${settings.map((s) => `${s.field.replace("_db", "").replace("_percent", "")} ${num(s.value, 1)}`).join(", ")}. Undo it under Route.`,
        { kind: "passed" },
      );
      setMove(0);
    } catch (fault) {
      announce(sentenceOf(fault), { kind: "fault" });
    }
  };

  const variant = useVariantOf(heard?.render?.variant ?? rig.variants[0]!.id, song.revision);
  const moves = useMoves(variant?.id);
  const keepMoves = (points: { at: number; wet: WetDb }[]) => {
    const stems = heard?.render?.report?.stems.filter((s) => s.wet && s.level_db !== null) ?? [];
    if (!stems.length || route === null || !points.length) return;
    let all = moves.moves;
    for (const point of points) {
      const where = placeIn(bars, point.at);
      if (!where) continue;
      for (const stem of stems) {
        const value =
          point.wet === -Infinity ? -120 : Math.min(60, stem.level_db! + point.wet - route);
        all = withPoint(all, stem.id, "level_db", {
          ...where,
          value: Math.round(value * 10) / 10,
          ramp: false,
        });
      }
    }
    moves.save.mutate(all, {
      onSuccess: () => {
        setSheet("moves");
        announce(
          `${points.length === 1 ? "The point is" : `${points.length} points are`} kept. Render the variant to hear it.`,
        );
      },
    });
  };
  const toggleWriting = () => {
    if (writing) {
      const points = thinned(written.current ?? []);
      written.current = null;
      keepMoves(points);
    } else written.current = [];
    setWriting(!writing);
  };
  const momentsHere = moments[heard?.render?.id ?? ""] ?? curves?.momentary_lufs;
  const momentNow = momentsHere?.[Math.max(0, Math.floor(position * 10) - 4)];
  const lately = shortTerms[heard?.render?.id ?? ""] ?? curves?.short_term_lufs;
  const shown = (level: number | undefined) =>
    heard && level !== undefined && level > -100 ? level + heldMatch(heard) : null;
  const momentary = shown(momentNow);
  const shortTerm = shown(lately?.[Math.max(0, Math.ceil(position * 10) - 1)]);
  const nextBar = bars.find((b) => b.at > position + 0.01);
  const stale =
    done.some((s) => s.render!.older) || rig.variants.some((v) => !renders.rendered(v.id));

  return (
    <Box>
      <Box display="flex" flexWrap="wrap" alignItems="baseline" gap="4px 20px">
        <SheetTitle
          page
          about={
            done.length > 1 && matched && quietest !== null
              ? basis === "wet"
                ? `${done.length} sounds, the wet of each equally loud`
                : `${done.length} sounds, all at ${num(quietest, 1)} LUFS`
              : "the rig rendered on a clip of the song"
          }
        >
          Listening
        </SheetTitle>
        <Box flex="1" />
        <Box display={{ base: "none", lg: "flex" }} gap="14px" fontSize="13px" color="ink2">
          <span>
            {[...KEYS.slice(0, Math.max(1, Math.min(4, done.length - 1))), "0"].map((k) => (
              <Hint key={k}>{k}</Hint>
            ))}{" "}
            switch
          </span>
          <span>
            <Hint>R</Hint> loop
          </span>
          <span>
            <Hint>E</Hint> hold: exaggerate
          </span>
          <span>
            <Hint>Home</Hint> to the start
          </span>
        </Box>
      </Box>
      {(detail?.facts?.channels ?? 0) > 2 && (
        <Notice kind="note" word="Two of them.">
          {detail!.name} is {detail!.facts!.layout}: its first two channels, left and right, go
          through the rig; the others are left out.
        </Notice>
      )}
      <Box display="flex" flexWrap="wrap" gap="8px 12px" alignItems="end" marginTop="4px">
        {boards.length > 1 && first && (
          <Labelled label="played into, heard at">
            <Choice
              value={at}
              maxWidth="260px"
              onChange={(event) => setAt(Number(event.target.value))}
            >
              {boards.map((b, i) => (
                <option key={`${b.source}${b.output}`} value={i}>
                  {nameOf(first, b.source)} at {nameOf(first, b.output)}
                </option>
              ))}
            </Choice>
          </Labelled>
        )}
        <Press
          look={stale ? "primary" : "plain"}
          disabled={!clip || !way || renders.open || renders.start.isPending}
          onClick={() =>
            renders.start.mutate({
              ids: rig.variants.map((v) => v.id),
              bare: rig.variants[0]!.id,
            })
          }
        >
          {rig.variants.length > 1 ? `Render all ${rig.variants.length} variants` : "Render"}
        </Press>
        <Press aria-expanded={choosing} onClick={() => setChoosing(!choosing)}>
          Stretch: {clockFine(stretch.start_s)} to{" "}
          {clockFine(stretch.length_s === null ? whole : stretch.start_s + stretch.length_s)}
        </Press>
        <Record songId={song.id} onClip={(id) => take({ clip: id })} />
      </Box>
      {choosing && detail && (
        <Box marginTop="8px" aria-label="Stretch of the clip" as="section">
          <Wave clip={detail} label="Stretch" region={stretch} onRegion={setRegion} />
          <Box fontSize="13px" color="ink2" marginTop="2px">
            Drag over what is to be heard; a press takes the whole clip. Peak{" "}
            {detail.facts?.peak_dbfs != null ? `${num(detail.facts.peak_dbfs, 1)} dBFS` : "none"},
            level{" "}
            {detail.facts?.rms_dbfs != null
              ? `${num(detail.facts.rms_dbfs, 1)} dBFS RMS`
              : "silent"}
            .
          </Box>
        </Box>
      )}
      {!clips.length && (
        <Notice kind="note">
          Drop a file on this page, choose one with “Bring one in …” above, or record: a rig is
          heard on a clip.
        </Notice>
      )}

      <Strip
        items={[
          ["Hearing", inTrial ? "a trial" : (heard?.letter ?? "nothing yet")],
          ["", clockFine(stretch.start_s + position)],
          ["bar", barWords(bars, position)],
          ["lap", String(lap)],
          ["gain", inTrial ? "hidden" : heard ? `${signed(heldMatch(heard), 1)} dB` : "-"],
          [
            "heard at",
            inTrial
              ? "hidden"
              : heard && loudOf(heard) !== null
                ? `${num((loudness[heard.render!.id] ?? heard.render!.report!.loudness_lufs ?? 0) + heldMatch(heard), 1)} LUFS`
                : "-",
          ],
          ["now", inTrial ? "-" : lufsOf(momentary)],
          ["last 3 s", inTrial ? "-" : lufsOf(shortTerm)],
          [
            "peak",
            meter && playing ? `${num(20 * Math.log10(Math.max(meter.peak, 1e-6)), 1)} dBFS` : "-",
          ],
          ["correlation", meter && playing ? signed(meter.correlation, 2) : "-"],
        ]}
      />
      <Box
        display="grid"
        gridTemplateColumns={{ base: "minmax(0, 1fr)", md: "200px minmax(0, 1fr) 340px" }}
        gap="0 14px"
        marginTop="4px"
      >
        <Box paddingTop={{ base: 0, md: "102px" }} order={{ base: 2, md: 0 }}>
          {sounds.map((s) => (
            <LaneHead
              key={s.id}
              sound={s}
              keyName={s === bare ? "0" : String(done.indexOf(s) + 1)}
              heard={heard?.id === s.id}
              playing={playing}
              locked={inTrial}
              onHear={() => switchTo(s.id)}
            />
          ))}
        </Box>
        <Lanes
          lanes={sounds.map((s) => ({
            id: s.id,
            letter: s.letter,
            waveform: s.id === heard?.id && curves ? curves : null,
          }))}
          heard={heard?.id ?? ""}
          seconds={heard?.render?.report?.seconds ?? Math.max(1, region_s || 1)}
          start={stretch.start_s}
          loop={loop}
          bars={bars}
          position={position}
          playing={playing}
          trail={trail}
          onSeek={(s) => player.seek(heard?.id, s)}
        />
        <Box order={{ base: 3, md: 0 }}>
          <Board
            sounds={sounds}
            heard={heard}
            match={heldMatch}
            loudOf={(s) => loudness[s.render!.id] ?? s.render!.report!.loudness_lufs}
            hidden={inTrial}
            balanced={move !== 0}
            onCancel={renders.cancel}
          />
        </Box>
      </Box>
      {heard?.render?.report?.alarm && (
        <Notice kind="fault" word="Alarm">
          {heard.render.report.alarm}
        </Notice>
      )}
      {heard?.render?.older && (
        <Notice kind="note">
          {heard.letter} is older than its rig, its moves or the tempo. Render again to hear what is
          set now.
        </Notice>
      )}

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
                Send {Number.isFinite(wet) ? `${signed(wet, 1)} dB` : wetWords(wet)} to the route
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
              onClick={toggleWriting}
            >
              {writing ? "Keep the moves" : "Write moves while playing"}
            </Press>
            {nextBar && (
              <Press look="quiet" onClick={() => keepMoves([{ at: nextBar.at, wet: -Infinity }])}>
                Cut the wet at bar {nextBar.bar}
              </Press>
            )}
          </Box>
        )}
      </Box>

      <Box
        display="grid"
        gridTemplateColumns={{ base: "minmax(0, 1fr)", md: "minmax(0, 1fr) minmax(0, 1fr)" }}
        gap="14px 28px"
        marginTop="12px"
      >
        <Box minWidth="0">
          <SheetTitle sub about="dBFS by third-octave, over the whole stretch">
            Spectrum
          </SheetTitle>
          {curves && heard && !inTrial ? (
            <Spectrum detail={curves} gainDb={heldMatch(heard)} />
          ) : (
            <Box color="ink2">
              {inTrial ? "Hidden while a trial runs." : "Nothing is rendered yet."}
            </Box>
          )}
        </Box>
        <Box minWidth="0">
          {!inTrial && <SheetTabs sheets={SHEETS} chosen={sheet} onChoose={setSheet} />}
          {(sheet === "trial" || inTrial) && (
            <Trial
              songId={song.id}
              pairs={done.map((s) => ({ id: s.render!.id, name: `${s.letter} ${s.name}` }))}
              stretch={{
                from: 0,
                length: Number.isFinite(region_s) && region_s > 0 ? region_s : 10,
              }}
              engine={player.engine}
              onRunning={(running) => {
                stop();
                setInTrial(running);
              }}
            />
          )}
          {!inTrial && sheet === "moves" && variant && <MovesSheet variant={variant} />}
          {!inTrial && sheet === "capture" && (
            <Captures
              rig={rig}
              clips={clips}
              busy={renders.open}
              onUse={(id, capture) => renders.start.mutate({ ids: [id], capture })}
            />
          )}
          {!inTrial && sheet === "export" && <Export sounds={done} />}
          {!inTrial && sheet === "log" && <Log songId={song.id} />}
        </Box>
      </Box>

      <Transport
        playing={playing}
        loading={loading}
        ready={!!heard && !inTrial}
        onPlay={() => (playing ? stop() : heard && void play(heard.id, position))}
        toggles={toggles}
        onToggles={change}
        difference={
          other && heard
            ? {
                id: other.id,
                words: `Difference ${heard.letter} − ${toggles.difference ? (done.find((s) => s.id === toggles.difference)?.letter ?? other.letter) : other.letter}`,
              }
            : null
        }
        looped={looped}
        onLoop={setLooped}
        matched={matched}
        onMatched={setMatched}
        basis={basis}
        onBasis={setBasis}
      />
      <Box fontSize="13px" color="ink2" marginTop="4px">
        The other sources are silent. Playback fades in and stays below −1 dBFS. Long loud work
        harms hearing: take breaks, and follow your local noise-exposure rules.
      </Box>
    </Box>
  );
}

function useVariantOf(id: string, revision: number) {
  return useQuery({
    queryKey: ["variant", id, revision],
    placeholderData: keepPreviousData,
    queryFn: () =>
      ask(api.GET("/api/v1/variants/{variant_id}", { params: { path: { variant_id: id } } })),
  }).data;
}

const lufsOf = (level: number | null) => (level === null ? "-" : `${num(level, 1)} LUFS`);

const placeName = (sound: Sound | undefined) =>
  sound?.render?.place ? `“${sound.render.place}”` : "its place";
