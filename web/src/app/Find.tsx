/** One line to find everything by, and to have things done: songs, rigs, stages, clips, checks, log, words. */
import { Box, chakra } from "@chakra-ui/react";
import { keepPreviousData, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useId, useRef, useState } from "react";
import { useNavigate } from "react-router";

import { api, ask, type Schemas, sentenceOf } from "../api/client";
import { allWords } from "../ui/Gloss";
import { announce, Dialog, Notice } from "../ui/controls";
import { useSteady, useStill } from "../ui/hooks";
import { useKey } from "../ui/keys";
import { TextInput } from "../ui/QuantityField";
import { handOf, type Line, linesOf, NAMES, nextLine, pathOf, type Wish } from "./find";

/** What of the song in hand can be changed from here. */
export interface InSong {
  id: string;
  setTempo: (bpm: number) => void;
  setDelay: (value: string) => void;
}

/** Opens by its key; without a song it finds all the same. */
export function Find({ song }: { song: InSong | null }) {
  const [open, setOpen] = useState(false);
  useKey("everywhere", "Shift F", () => setOpen(true));
  return open ? <FindDialog song={song} onClose={() => setOpen(false)} /> : null;
}

const STILL_MS = 120;
/** A song begins in quarters at 120, as any other. */
const QUARTERS = { tempo_bpm: 120 };
type SongIn = Schemas["SongCreate"];

function FindDialog({ song, onClose }: { song: InSong | null; onClose: () => void }) {
  const navigate = useNavigate();
  const client = useQueryClient();
  const list = useId();
  const [typed, setTyped] = useState("");
  const [at, setAt] = useState(0);
  const meant = useRef("");
  const words = useStill(typed.trim(), STILL_MS);
  const answer = useQuery({
    queryKey: ["find", song?.id, words],
    queryFn: ({ signal }) =>
      ask(
        api.GET("/api/v1/find", {
          params: { query: { words, ...(song ? { song: song.id } : {}) } },
          signal,
        }),
      ),
    enabled: words !== "",
    placeholderData: keepPreviousData,
    staleTime: 0,
  });
  const lines = words && answer.data ? linesOf(answer.data, allWords, song !== null) : [];
  const here = Math.min(at, Math.max(0, lines.length - 1));
  const grant = async (wish: Wish) => {
    if (wish.does === "tempo") song?.setTempo(Number(wish.value));
    if (wish.does === "delay") song?.setDelay(wish.value);
    if (wish.does === "rig" && song) {
      const made = await ask(
        api.POST("/api/v1/songs/{song_id}/rigs", {
          params: { path: { song_id: song.id } },
          body: { name: wish.title.replace(/^.*“|”$/g, ""), template: wish.value },
        }),
      );
      await client.invalidateQueries({ queryKey: ["rigs", song.id] });
      const variant = made.variants[0]!.id;
      await navigate(`/songs/${song.id}/route`, { state: { take: { variant, selected: "" } } });
    }
    if (wish.does === "song") {
      const made = await ask(
        api.POST("/api/v1/songs", { body: { title: wish.value, tempo_map: [QUARTERS] } as SongIn }),
      );
      await client.invalidateQueries({ queryKey: ["songs"] });
      await navigate(`/songs/${made.id}`);
    }
    announce(`${wish.title}: done.`);
  };
  // Enter before the answer is there is meant of what comes.
  const known = words === typed.trim() && !answer.isFetching;
  const choose = (line: Line | undefined) => {
    if (!line) return;
    if ("wish" in line) {
      onClose();
      grant(line.wish).catch((fault: unknown) => announce(sentenceOf(fault), { kind: "fault" }));
      return;
    }
    if (!("found" in line)) return;
    const path = pathOf(line.found, song?.id ?? null);
    if (!path) return;
    onClose();
    void navigate(path, { state: { take: handOf(line.found) } });
  };
  const chooseFirst = useSteady(() => choose(lines[0]));
  useEffect(() => {
    if (!known || !meant.current || meant.current !== words) return;
    meant.current = "";
    chooseFirst();
  }, [words, known, chooseFirst]);
  return (
    <Dialog title="Find, or say what to do" onClose={onClose}>
      <TextInput
        autoFocus
        aria-label="Find, or say what to do"
        role="combobox"
        aria-expanded={lines.length > 0}
        aria-controls={list}
        aria-activedescendant={lines.length ? `${list}-${here}` : undefined}
        width="100%"
        maxLength={80}
        placeholder="aux, phase invert, set tempo 96, new rig from parallel compression"
        value={typed}
        onChange={(event) => {
          setTyped(event.target.value);
          setAt(0);
          meant.current = "";
        }}
        onKeyDown={(event) => {
          if (event.key === "Enter") {
            event.preventDefault();
            if (known) choose(lines[here]);
            else meant.current = typed.trim();
          }
          if (["ArrowDown", "ArrowUp"].includes(event.key)) {
            event.preventDefault();
            setAt(nextLine(here, lines.length, event.key));
          }
        }}
      />
      {answer.isError && words && (
        <Notice kind="fault" word="Not looked for.">
          {sentenceOf(answer.error)}
        </Notice>
      )}
      <Box
        role="listbox"
        id={list}
        aria-label="Found"
        marginTop="8px"
        maxHeight="60vh"
        overflowY="auto"
      >
        {lines.map((line, n) => (
          <Row
            key={line.key}
            id={`${list}-${n}`}
            line={line}
            here={n === here}
            onChoose={() => choose(line)}
          />
        ))}
      </Box>
      <Box role="status" color="ink2" fontSize="13px" marginTop="6px">
        {words && answer.data && !answer.isFetching
          ? lines.length
            ? `${lines.length} found. Arrows choose, Enter opens.`
            : "Nothing of that is here."
          : "Songs, rigs, stages, clips, devices, checks, log and words."}
      </Box>
    </Dialog>
  );
}

const Option = chakra("div");

function Row({
  id,
  line,
  here,
  onChoose,
}: {
  id: string;
  line: Line;
  here: boolean;
  onChoose: () => void;
}) {
  return (
    <Option
      role="option"
      id={id}
      aria-selected={here}
      ref={(row: HTMLDivElement | null) => {
        if (here) row?.scrollIntoView({ block: "nearest" });
      }}
      onClick={onChoose}
      display="grid"
      gridTemplateColumns="64px minmax(0, 1fr)"
      gap="0 10px"
      padding="6px 8px"
      cursor="pointer"
      borderBottom="1px solid"
      borderColor="rule"
      borderLeft="3px solid"
      borderLeftColor={here ? "ink" : "transparent"}
      background={here ? "well" : "transparent"}
    >
      <Box color="ink2" fontSize="13px">
        {NAMES[line.sort]}
      </Box>
      <Box minWidth="0" overflowWrap="anywhere">
        <Box fontWeight="650">{line.title}</Box>
        {line.about && (
          <Box color="ink2" fontSize="13px">
            {line.about}
          </Box>
        )}
      </Box>
    </Option>
  );
}
