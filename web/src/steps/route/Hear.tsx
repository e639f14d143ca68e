/** The variants of a rig heard on the song's own clip, switched without a gap at equal loudness. */
import { Box } from "@chakra-ui/react";
import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";

import {
  api,
  ask,
  type RigSummary,
  type Schemas,
  sentenceOf,
  type Variant,
} from "../../api/client";
import { useKey } from "../../app/keys";
import { useSongContext } from "../../app/Shell";
import { ClipChoice, useReadyClips } from "../../ui/clips";
import { announce, Notice, Press, SheetTitle } from "../../ui/controls";
import { num, signed } from "../../ui/format";
import { Choice, Labelled } from "../../ui/QuantityField";
import { SideBySide } from "../../ui/sound";
import { Table, Td, Th } from "../../ui/table";
import { nameOf } from "./Inspector";

type Render = Schemas["RenderOut"];

export function Hear({ rig, variant }: { rig: RigSummary; variant: Variant }) {
  const { song } = useSongContext();
  const client = useQueryClient();
  const [clip, setClip] = useState("");
  const boards = variant.view.report.boards;
  const [at, setAt] = useState(0);
  const way = boards[Math.min(at, boards.length - 1)];
  const [matched, setMatched] = useState(true);
  const [heard, setHeard] = useState("");
  const [player] = useState(() => new SideBySide(() => setHeard("")));
  useEffect(() => () => player.close(), [player]);
  const renders = useQuery({
    queryKey: ["renders", rig.id, variant.revision, song.revision],
    placeholderData: keepPreviousData,
    queryFn: () =>
      ask(api.GET("/api/v1/rigs/{rig_id}/renders", { params: { path: { rig_id: rig.id } } })),
    refetchInterval: (query) =>
      query.state.data?.some((r) => r.status === "queued" || r.status === "running") ? 500 : false,
  });
  const start = useMutation({
    mutationFn: (ids: string[]) =>
      Promise.all(
        ids.map((id) =>
          ask(
            api.POST("/api/v1/variants/{variant_id}/renders", {
              params: { path: { variant_id: id } },
              body: { clip, source: way!.source, output: way!.output },
            }),
          ),
        ),
      ),
    onSuccess: () => client.invalidateQueries({ queryKey: ["renders", rig.id] }),
    onError: (fault) => announce(sentenceOf(fault), { kind: "fault" }),
  });
  const cancel = (id: string) =>
    void ask(
      api.POST("/api/v1/renders/{render_id}/cancel", { params: { path: { render_id: id } } }),
    ).then(() => client.invalidateQueries({ queryKey: ["renders", rig.id] }));
  const ready = useReadyClips(song.id);
  const mine = rig.variants.map((v) =>
    (renders.data ?? []).find(
      (r) =>
        r.variant === v.id &&
        r.clip === clip &&
        r.source === way?.source &&
        r.output === way?.output,
    ),
  );
  const done = mine.filter((r): r is Render => r?.status === "done" && r.report !== null);
  const levels = done.map((r) => r.report!.loudness_lufs).filter((l): l is number => l !== null);
  const quietest = levels.length ? Math.min(...levels) : null;
  const matchOf = (r: Render) =>
    matched && quietest !== null && r.report?.loudness_lufs != null
      ? Math.min(0, quietest - r.report.loudness_lufs)
      : 0;
  const urls = Object.fromEntries(done.map((r) => [r.letter, `/api/v1/renders/${r.id}/audio`]));
  const gains = Object.fromEntries(done.map((r) => [r.letter, 10 ** (matchOf(r) / 20)]));
  const hear = async (letter: string) => {
    if (heard === letter) return player.stop();
    if (heard && player.holds(urls)) {
      player.switchTo(letter, gains);
      return setHeard(letter);
    }
    try {
      await player.load(urls);
      player.play(urls, gains, letter);
      setHeard(letter);
    } catch {
      announce("The render could not be loaded. Try again.", { kind: "fault" });
    }
  };
  useKey("route", "Space", () => {
    if (heard) player.stop();
    else if (done.length)
      void hear((done.find((r) => r.variant === variant.id) ?? done[0]!).letter);
  });
  const open = mine.some((r) => r?.status === "queued" || r?.status === "running");
  return (
    <Box as="section" aria-label="Hear it">
      <SheetTitle
        sub
        about="the rig rendered on a clip; variants switch without a gap, the louder ones turned down"
      >
        Hear it
      </SheetTitle>
      {ready.length === 0 ? (
        <Box color="ink2">Bring a clip in under Verify first.</Box>
      ) : (
        <Box display="flex" flexWrap="wrap" gap="8px 12px" alignItems="end" marginTop="4px">
          <ClipChoice label="Clip" clips={ready} value={clip} onChoose={setClip} />
          {boards.length > 1 && (
            <Labelled label="played into, heard at">
              <Choice value={at} onChange={(event) => setAt(Number(event.target.value))}>
                {boards.map((b, i) => (
                  <option key={`${b.source}${b.output}`} value={i}>
                    {nameOf(variant, b.source)} at {nameOf(variant, b.output)}
                  </option>
                ))}
              </Choice>
            </Labelled>
          )}
          <Press
            look="primary"
            disabled={!clip || !way || start.isPending || open}
            onClick={() => start.mutate([variant.id])}
          >
            Render {letterOf(rig, variant.id)}
          </Press>
          {rig.variants.length > 1 && (
            <Press
              disabled={!clip || !way || start.isPending || open}
              onClick={() => start.mutate(rig.variants.map((v) => v.id))}
            >
              Render all variants
            </Press>
          )}
          <label>
            <input
              type="checkbox"
              checked={matched}
              onChange={(event) => setMatched(event.target.checked)}
            />{" "}
            at equal loudness
          </label>
        </Box>
      )}
      {!matched && <Notice kind="caution">Not matched: what is louder will seem better.</Notice>}
      {clip && mine.some(Boolean) && (
        <Box overflowX="auto" marginTop="8px">
          <Table width="auto" minWidth="min(100%, 620px)">
            <thead>
              <tr>
                <Th textAlign="left">Variant</Th>
                <Th>loudness, LUFS</Th>
                <Th>peak, dBFS</Th>
                <Th>match, dB</Th>
                <Th textAlign="left">state</Th>
              </tr>
            </thead>
            <tbody>
              {rig.variants.map((v, i) => {
                const r = mine[i];
                if (!r) return null;
                const waits = r.status === "queued" || r.status === "running";
                return (
                  <tr key={v.id}>
                    <Td textAlign="left">
                      <Press
                        aria-pressed={heard === r.letter}
                        look={heard === r.letter ? "primary" : "plain"}
                        disabled={r.status !== "done"}
                        onClick={() => void hear(r.letter)}
                      >
                        {heard === r.letter ? "Stop" : heard ? "Switch to" : "Hear"} {r.letter}
                      </Press>{" "}
                      {v.name}
                    </Td>
                    <Td fontWeight="650">
                      {r.report?.loudness_lufs != null ? num(r.report.loudness_lufs, 1) : ""}
                    </Td>
                    <Td color={(r.report?.peak_dbfs ?? -1) > 0 ? "diff" : "ink"}>
                      {r.report?.peak_dbfs != null ? signed(r.report.peak_dbfs, 1) : ""}
                    </Td>
                    <Td>{r.status === "done" ? signed(matchOf(r), 1) : ""}</Td>
                    <Td textAlign="left">
                      {waits && (
                        <>
                          <progress
                            aria-label={`Rendering ${r.letter}`}
                            value={r.progress}
                            max={1}
                          />{" "}
                          <Press look="quiet" onClick={() => cancel(r.id)}>
                            Cancel
                          </Press>
                        </>
                      )}
                      {r.status === "done" &&
                        (r.older ? "older than the rig: render it again" : r.report?.sentence)}
                      {r.status === "failed" && (
                        <Box as="span" color="diff" fontWeight="650">
                          {r.problem}
                        </Box>
                      )}
                      {r.status === "cancelled" && "cancelled"}
                    </Td>
                  </tr>
                );
              })}
            </tbody>
          </Table>
          <Box fontSize="13px" color="ink2" marginTop="4px">
            The other sources are silent; the clip plays at its own level. Integrated loudness after
            BS.1770.
          </Box>
        </Box>
      )}
    </Box>
  );
}

function letterOf(rig: RigSummary, id: string): string {
  return rig.variants.find((v) => v.id === id)?.letter ?? "it";
}
