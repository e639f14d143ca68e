/** One line: song, rig and variant, clip, tempo, saved state. Short of width the tempo opens a sheet. */
import { Box, chakra } from "@chakra-ui/react";
import { useRef, useState } from "react";
import { useNavigate } from "react-router";

import type { Section, Song } from "../api/client";
import { BringIn } from "../clips/BringIn";
import { Recording } from "../clips/Record";
import type { Flow } from "../rigs/outbox";
import type { SongContext } from "../song/context";
import { latest, savedWords } from "../song/saved";
import { useDraft, useTakes } from "../ui/drafts";
import { Dialog, Press } from "../ui/controls";
import { clock, num, timeOfDay } from "../ui/format";
import { Choice, QuantityField } from "../ui/QuantityField";
import { turnTheme } from "../ui/theme-choice";
import { Mark } from "../ui/Mark";
import { SavedWord } from "./SavedState";

interface HeaderProps {
  context: SongContext;
  flow: Flow;
  setSection: (changes: Partial<Section>) => void;
  onTap: () => void;
}

const BEATS: [string, string][] = [
  ["1/4", "quarter"],
  ["1/4.", "dotted quarter"],
  ["1/8", "eighth"],
  ["1/8.", "dotted eighth"],
  ["1/2", "half"],
  ["1/2.", "dotted half"],
  ["1/16", "sixteenth"],
];
const METRES = [
  "2/4",
  "3/4",
  "4/4",
  "5/4",
  "6/4",
  "7/4",
  "2/2",
  "3/8",
  "5/8",
  "6/8",
  "7/8",
  "9/8",
  "12/8",
];

export function Header({ context, flow, setSection, onTap }: HeaderProps) {
  const { song, section, edit, saved } = context;
  const [sheet, setSheet] = useState(false);
  const at = latest(new Date(song.updated_at), saved.state === "saved" ? saved.at : null, flow.at)!;
  const said = savedWords(saved, flow, timeOfDay(at));
  return (
    <Box
      as="header"
      display="flex"
      flexWrap={{ base: "wrap", md: "nowrap" }}
      alignItems="center"
      columnGap={{ base: "10px", xl: "16px" }}
      minHeight="44px"
      maxHeight={{ base: "64px", md: "none" }}
      paddingBlock={{ base: "2px", md: "6px" }}
    >
      <Mark />
      <Box display={{ base: "none", md: "block" }} width="1px" height="22px" background="rule" />
      <TitleField key={song.title} song={song} onTitle={(title) => edit({ title })} />
      <Box flex="1" display={{ base: "block", md: "none" }} />
      <Box display={{ base: "block", md: "none" }}>
        <SavedWord said={said} />
      </Box>
      <Box display={{ base: "block", md: "none" }} flexBasis="100%" height="0" />
      <InHand context={context} />
      <Box flex="1" />
      <Box display={{ base: "block", lg: "none" }}>
        <Press
          look="quiet"
          minHeight="30px"
          whiteSpace="nowrap"
          named="BPM: change the tempo"
          onClick={() => setSheet(true)}
        >
          {section.beat_unit} = {num(section.tempo_bpm, section.tempo_bpm % 1 ? 1 : 0)}
        </Press>
      </Box>
      <Box display={{ base: "none", lg: "flex" }} alignItems="center" gap="6px">
        <Tempo section={section} setSection={setSection} />
        <Press onClick={onTap} hint="T" named="the tempo" paddingInline="6px">
          tap
        </Press>
        <Metre section={section} setSection={setSection} />
      </Box>
      <Box display={{ base: "none", md: "block" }}>
        <SavedWord said={said} />
      </Box>
      <Box display={{ base: "none", md: "block" }}>
        <Press
          look="quiet"
          onClick={turnTheme}
          aria-label="theme: light or dark"
          title="Light or dark: G"
          textDecoration="none"
          fontSize="17px"
        >
          ◐
        </Press>
      </Box>
      {sheet && (
        <Dialog title="Tempo" onClose={() => setSheet(false)}>
          <Box display="flex" flexWrap="wrap" gap="10px" alignItems="center">
            <Tempo section={section} setSection={setSection} />
            <Metre section={section} setSection={setSection} />
            <Press onClick={onTap} hint="T" named="the tempo">
              tap
            </Press>
          </Box>
          <Box display="flex" flexWrap="wrap" gap="8px" marginTop="12px">
            <Press look="primary" onClick={() => setSheet(false)}>
              Done
            </Press>
            <Press onClick={turnTheme}>Light or dark</Press>
          </Box>
        </Dialog>
      )}
    </Box>
  );
}

/** A choice that reads as a word of the line, underlined. */
const Word = chakra("select", {
  base: {
    appearance: "none",
    background: "transparent",
    color: "ink",
    border: 0,
    borderBottom: "1.5px solid",
    borderBottomColor: "ink",
    borderRadius: 0,
    padding: "0 2px",
    height: { base: "30px", md: "24px" },
    fontSize: "14px",
    fontWeight: 650,
    textOverflow: "ellipsis",
    cursor: "pointer",
    "& option": { background: "var(--chakra-colors-sheet)", color: "var(--chakra-colors-ink)" },
  },
});

const NEW = "new";
const RECORD = "record";
const MANAGE = "manage";

function InHand({ context }: { context: SongContext }) {
  const { song, rigs, rig, variant, clips, clip, take } = context;
  const navigate = useNavigate();
  const bring = useRef<HTMLInputElement>(null);
  const [recording, setRecording] = useState(false);
  return (
    <>
      <Box as="label" display="flex" alignItems="center" gap="6px" minWidth="0" flexShrink={1}>
        <Box as="span" color="ink2" fontSize="13px" display={{ base: "none", md: "inline" }}>
          Rig
        </Box>
        <Word
          aria-label="Rig"
          value={rig?.id ?? ""}
          maxWidth={{ base: "104px", lg: "140px", xl: "190px" }}
          onChange={(event) => {
            const to = event.target.value;
            if (to === NEW) void navigate(`/songs/${song.id}/route?new=1`);
            else if (to === MANAGE) void navigate(`/songs/${song.id}/rigs`);
            else take({ variant: rigs.find((r) => r.id === to)!.variants[0]!.id, selected: "" });
          }}
        >
          {!rig && <option value="">none</option>}
          {rigs.map((r) => (
            <option key={r.id} value={r.id}>
              {r.name}
            </option>
          ))}
          <option value={NEW}>A new rig …</option>
          <option value={MANAGE}>Names, order, deleted …</option>
        </Word>
      </Box>
      {rig && (
        <Box position="relative" flexShrink={0} title={variant?.name || undefined}>
          <Word
            aria-label="Variant"
            value={variant?.id}
            background="ink"
            color="transparent"
            width="26px"
            onChange={(event) => take({ variant: event.target.value, selected: "" })}
          >
            {rig.variants.map((v) => (
              <option key={v.id} value={v.id}>
                {v.letter} {v.name || "unnamed"}
              </option>
            ))}
          </Word>
          <Box
            aria-hidden
            position="absolute"
            inset="0"
            display="flex"
            alignItems="center"
            justifyContent="center"
            color="paper"
            fontWeight="650"
            pointerEvents="none"
          >
            {variant?.letter}
          </Box>
        </Box>
      )}
      <Box as="label" display="flex" alignItems="center" gap="6px" minWidth="0" flexShrink={2}>
        <Box as="span" color="ink2" fontSize="13px" display={{ base: "none", md: "inline" }}>
          Clip
        </Box>
        <Word
          aria-label="Clip in hand"
          value={clip?.id ?? ""}
          maxWidth={{ base: "104px", lg: "150px", xl: "220px" }}
          onChange={(event) => {
            if (event.target.value === NEW) bring.current?.click();
            else if (event.target.value === RECORD) setRecording(true);
            else take({ clip: event.target.value });
          }}
        >
          {!clip && <option value="">none</option>}
          {clips.map((c) => (
            <option key={c.id} value={c.id}>
              {c.name}
            </option>
          ))}
          <option value={NEW}>Bring one in …</option>
          <option value={RECORD}>Record one …</option>
        </Word>
        {clip?.facts && (
          <Box as="span" color="ink2" fontSize="13px" display={{ base: "none", lg: "inline" }}>
            {clock(clip.facts.seconds)}
          </Box>
        )}
      </Box>
      {recording && (
        <Recording
          songId={song.id}
          onClip={(id) => take({ clip: id })}
          onClose={() => setRecording(false)}
        />
      )}
      <BringIn input={bring} songId={song.id} onClip={(id) => take({ clip: id })} />
    </>
  );
}

interface Part {
  section: Section;
  setSection: (changes: Partial<Section>) => void;
}

function Tempo({ section, setSection }: Part) {
  return (
    <>
      <Choice
        aria-label="Beat"
        value={section.beat_unit}
        width="auto"
        paddingInline="4px"
        onChange={(event) => setSection({ beat_unit: event.target.value })}
      >
        {BEATS.some(([id]) => id === section.beat_unit) ? null : (
          <option value={section.beat_unit}>{section.beat_unit}</option>
        )}
        {BEATS.map(([id, name]) => (
          <option key={id} value={id} title={name}>
            {id}
          </option>
        ))}
      </Choice>
      <QuantityField
        label="Tempo in BPM"
        hideLabel
        kind="tempo"
        value={String(section.tempo_bpm)}
        width="68px"
        onCommit={(read) => setSection({ tempo_bpm: read.value })}
      />
    </>
  );
}

function Metre({ section, setSection }: Part) {
  const metre = `${section.metre_count}/${section.metre_unit}`;
  return (
    <Choice
      aria-label="Metre"
      width="auto"
      paddingInline="4px"
      value={metre}
      onChange={(event) => {
        const [count, unit] = event.target.value.split("/").map(Number);
        setSection({ metre_count: count, metre_unit: unit as Section["metre_unit"] });
      }}
    >
      {METRES.includes(metre) ? null : <option value={metre}>{metre}</option>}
      {METRES.map((m) => (
        <option key={m}>{m}</option>
      ))}
    </Choice>
  );
}

/** The title is its own field: press to rename, Enter accepts, Escape restores. */
function TitleField({ song, onTitle }: { song: Song; onTitle: (title: string) => void }) {
  const [typed, setTyped, takes] = useDraft("Song title", song.title);
  const draft = typed ?? song.title;
  const accept = (text: string = draft) => {
    const title = text.trim();
    if (title && title !== song.title) onTitle(title);
    setTyped(null);
  };
  useTakes(takes, accept);
  return (
    <chakra.input
      aria-label="Song title"
      value={draft}
      maxLength={120}
      width={`${Math.max(8, draft.length + 1) * 0.6}em`}
      onChange={(event) => setTyped(event.target.value)}
      onBlur={() => accept()}
      onKeyDown={(event) => {
        if (event.key === "Enter") event.currentTarget.blur();
        if (event.key === "Escape") setTyped(null);
      }}
      background="transparent"
      border="0"
      borderBottom="1px solid transparent"
      _hover={{ borderBottomColor: "edge" }}
      color="ink"
      padding="0"
      maxWidth="min(340px, 60vw)"
      fontFamily="title"
      fontWeight="600"
      fontSize="19px"
      lineHeight="30px"
      textOverflow="ellipsis"
    />
  );
}
