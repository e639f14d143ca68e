/** Round every step of a song: its header, the steps that exist, what is unsent, and the taps. */
import { Box, chakra } from "@chakra-ui/react";
import { type ReactNode, useState } from "react";
import { NavLink, Outlet, useOutletContext, useParams } from "react-router";

import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { api, ask, type Frame, type Section, type Song, sentenceOf } from "../api/client";
import { Figure, Notice, Press, Waiting } from "../ui/controls";
import { msShort, num, timeOfDay } from "../ui/format";
import { Choice, QuantityField } from "../ui/QuantityField";
import { Mark } from "./Mark";
import { TapStrip, useTaps } from "./TapStrip";
import { SavedRibbon, SavedWord } from "./SavedState";
import { type SongHandle, useSong } from "./useSong";
import { turnTheme } from "./theme-choice";

export interface SongContext extends SongHandle {
  song: Song;
  frame: Frame;
  section: Section;
}

export function useSongContext(): SongContext {
  return useOutletContext<SongContext>();
}

export function frameOf(song: Song): Frame {
  const section = song.tempo_map[0]!;
  return {
    tempo_bpm: section.tempo_bpm,
    beat_unit: section.beat_unit,
    metre_count: section.metre_count,
    metre_unit: section.metre_unit,
    sample_rate_hz: song.sample_rate_hz,
  };
}

const STEPS = [
  { to: "route", name: "Route" },
  { to: "time", name: "Time" },
  { to: "space", name: "Space" },
  { to: "blend", name: "Blend" },
  { to: "listen", name: "Listen" },
  { to: "verify", name: "Verify" },
];

export function Shell() {
  const { songId = "" } = useParams();
  return <SongShell key={songId} songId={songId} />;
}

function SongShell({ songId }: { songId: string }) {
  const handle = useSong(songId);
  const { song, error } = handle;
  const setSection = (changes: Partial<Section>) => {
    if (song) {
      const [first, ...rest] = song.tempo_map;
      handle.edit({ tempo_map: [{ ...first!, ...changes }, ...rest] });
    }
  };
  const taps = useTaps((bpm) => setSection({ tempo_bpm: bpm }));
  if (!song && error) {
    return (
      <Box padding="20px" maxWidth="640px">
        <Mark />
        <Notice kind="fault" word="Not opened." actions={<NavLink to="/">All songs</NavLink>}>
          {sentenceOf(error)}
        </Notice>
      </Box>
    );
  }
  if (!song) return <Waiting />;
  const section = song.tempo_map[0]!;
  const context: SongContext = { ...handle, song, section, frame: frameOf(song) };
  return (
    <Box
      maxWidth="1600px"
      marginInline="auto"
      paddingInline={{ base: "12px", sm: "20px" }}
      paddingBottom="64px"
    >
      <Header context={context} setSection={setSection} onTap={taps.tap} />
      <SavedRibbon handle={handle} song={song} />
      <Steps />
      {taps.shown && <TapStrip taps={taps} />}
      <Box as="main" paddingTop="10px">
        <Outlet context={context} />
      </Box>
    </Box>
  );
}

function Steps() {
  return (
    <Box
      as="nav"
      aria-label="Steps"
      display="flex"
      borderBottom="1.5px solid"
      borderColor="ink"
      position="relative"
      paddingRight="12px"
      overflowX="auto"
    >
      {STEPS.map((step) => (
        <NavLink key={step.to} to={step.to} style={{ textDecoration: "none", color: "inherit" }}>
          {({ isActive }) => (
            <Box
              display="flex"
              alignItems="center"
              minHeight={{ base: "44px", sm: "34px" }}
              paddingInline="12px 40px"
              borderLeft="1.5px solid"
              borderColor="ink"
              fontFamily="title"
              fontWeight="600"
              fontSize="15px"
              background={isActive ? "ink" : "transparent"}
              color={isActive ? "paper" : "ink"}
              _hover={isActive ? {} : { background: "well" }}
            >
              {step.name}
            </Box>
          )}
        </NavLink>
      ))}
      <Box
        aria-hidden
        marginLeft="auto"
        alignSelf="stretch"
        width="6px"
        borderInline="1.75px solid"
        borderColor="ink"
        marginTop="12px"
      />
    </Box>
  );
}

interface HeaderProps {
  context: SongContext;
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
const RATES = [44_100, 48_000, 88_200, 96_000, 176_400, 192_000];

function Header({ context, setSection, onTap }: HeaderProps) {
  const { song, section, edit, saved } = context;
  const metre = `${section.metre_count}/${section.metre_unit}`;
  const beat = useQuery({
    queryKey: ["beat", context.frame],
    queryFn: () =>
      ask(
        api.POST("/api/v1/compute/quantity", {
          body: { kind: "time", text: "beat", frame: context.frame },
        }),
      ),
    placeholderData: keepPreviousData,
    staleTime: Infinity,
  });
  return (
    <Box
      as="header"
      display="flex"
      flexWrap="wrap"
      alignItems="center"
      columnGap={{ base: "10px", xl: "14px" }}
      rowGap="4px"
      paddingBlock="8px"
      minHeight="44px"
    >
      <Mark />
      <Box display={{ base: "none", md: "block" }} width="1px" height="22px" background="rule" />
      <TitleField key={song.title} song={song} onTitle={(title) => edit({ title })} />
      <Box
        color="ink2"
        display={{ base: "none", xl: "block" }}
        overflow="hidden"
        textOverflow="ellipsis"
        whiteSpace="nowrap"
        maxWidth="280px"
      >
        {song.players}
      </Box>
      <Box flex="1" />
      <Item label="Tempo">
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
          unit="BPM"
          width="100px"
          onCommit={(read) => setSection({ tempo_bpm: read.value })}
        />
        <Press onClick={onTap} hint="T" aria-label="tap the tempo">
          tap
        </Press>
      </Item>
      <Item label="Metre">
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
      </Item>
      <Item label="Beat" wideOnly>
        {beat.data && <Figure label="Beat" value={msShort(beat.data.value)} unit="ms" />}
      </Item>
      <Item label="Rate">
        <Choice
          aria-label="Sample rate"
          width="auto"
          paddingInline="4px"
          value={song.sample_rate_hz}
          onChange={(event) => edit({ sample_rate_hz: Number(event.target.value) })}
        >
          {RATES.includes(song.sample_rate_hz) ? null : (
            <option value={song.sample_rate_hz}>{num(song.sample_rate_hz / 1000, 1)} kHz</option>
          )}
          {RATES.map((rate) => (
            <option key={rate} value={rate}>
              {Number((rate / 1000).toFixed(2))} kHz
            </option>
          ))}
        </Choice>
      </Item>
      <SavedWord saved={saved} at={timeOfDay(new Date(song.updated_at))} />
      <Press look="quiet" onClick={turnTheme} hint="G" aria-label="theme: light or dark">
        theme
      </Press>
    </Box>
  );
}

function Item({
  label,
  wideOnly,
  children,
}: {
  label: string;
  wideOnly?: boolean;
  children: ReactNode;
}) {
  return (
    <Box display={{ base: wideOnly ? "none" : "flex", sm: "flex" }} alignItems="center" gap="6px">
      <Box as="span" color="ink2" fontSize="13px">
        {label}
      </Box>
      {children}
    </Box>
  );
}

/** The title is its own field: press to rename, Enter accepts, Escape restores. */
function TitleField({ song, onTitle }: { song: Song; onTitle: (title: string) => void }) {
  const [draft, setDraft] = useState(song.title);
  const accept = () => {
    const title = draft.trim();
    if (title && title !== song.title) onTitle(title);
    else setDraft(song.title);
  };
  return (
    <chakra.input
      aria-label="Song title"
      value={draft}
      maxLength={120}
      width={`${Math.max(8, draft.length + 1) * 0.6}em`}
      onChange={(event) => setDraft(event.target.value)}
      onBlur={accept}
      onKeyDown={(event) => {
        if (event.key === "Enter") event.currentTarget.blur();
        if (event.key === "Escape") setDraft(song.title);
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
