/** All songs, each with its tempo on one shared scale; make, open, duplicate, delete with undo. */
import { Box, chakra } from "@chakra-ui/react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { scaleLog } from "d3-scale";
import { type FormEvent, useRef, useState } from "react";
import { Link, useNavigate } from "react-router";

import { AccountBar } from "../accounts/AccountBar";
import { api, ask, type Schemas, type Song, sentenceOf } from "../api/client";
import { Mark } from "../ui/Mark";
import { Deleted } from "../song/Deleted";
import { ink } from "../ui/theme";
import { turnTheme } from "../ui/theme-choice";
import { announce, buttonCss, Notice, Press, SheetTitle, Unseen } from "../ui/controls";
import { msShort, num } from "../ui/format";
import { To } from "../ui/Links";
import { NoNetwork } from "../ui/NoNetwork";
import { TakeFile } from "./TakeFile";
import { fieldsRead, Labelled, QuantityField, TextInput } from "../ui/QuantityField";

export function SongList({ session }: { session: Schemas["Session"] }) {
  const songs = useQuery({ queryKey: ["songs"], queryFn: () => ask(api.GET("/api/v1/songs")) });
  return (
    <Box
      maxWidth="1240px"
      marginInline="auto"
      paddingInline={{ base: "12px", sm: "20px" }}
      paddingBottom="80px"
    >
      <Box
        as="header"
        display="flex"
        flexWrap="wrap"
        alignItems="center"
        gap="6px 20px"
        minHeight="44px"
        paddingBlock="8px"
        borderBottom="1.5px solid"
        borderColor="ink"
      >
        <Mark />
        <To to="/set-lists">Set lists</To>
        <Box flex="1" />
        <AccountBar session={session} />
        <Press look="quiet" onClick={turnTheme} hint="G" named="light or dark">
          theme
        </Press>
      </Box>
      <NoNetwork />
      <Box
        as="main"
        display="grid"
        gridTemplateColumns={{ base: "1fr", lg: "minmax(0, 1fr) 320px" }}
        gap="28px 40px"
        paddingTop="14px"
      >
        <Box as="section" minWidth="0">
          <SheetTitle page about="open one to go on where you left it">
            Songs
          </SheetTitle>
          {songs.isError && (
            <Notice
              kind="fault"
              word="Not loaded."
              actions={<Press onClick={() => void songs.refetch()}>Try again</Press>}
            >
              {sentenceOf(songs.error)}
            </Notice>
          )}
          {songs.data && songs.data.length === 0 && (
            <Box paddingBlock="20px">No songs yet. A name and a tempo make one.</Box>
          )}
          {songs.data && songs.data.length > 0 && <Rows songs={songs.data} />}
          <Box as="section" aria-label="Deleted" marginTop="26px">
            <SheetTitle about="kept for 30 days">Deleted</SheetTitle>
            <Deleted />
          </Box>
        </Box>
        <Box>
          <NewSong />
          <TakeFile />
        </Box>
      </Box>
    </Box>
  );
}

const COLUMNS = { base: "minmax(0, 1fr) auto", md: "minmax(0, 1fr) minmax(180px, 0.8fr) auto" };

function Rows({ songs }: { songs: Song[] }) {
  return (
    <Box marginTop="8px" borderTop="1px solid" borderColor="ink">
      <Box as="ul">
        {songs.map((song) => (
          <Row key={song.id} song={song} />
        ))}
      </Box>
    </Box>
  );
}

function Row({ song }: { song: Song }) {
  const client = useQueryClient();
  const navigate = useNavigate();
  const section = song.tempo_map[0]!;
  const refresh = () => {
    void client.invalidateQueries({ queryKey: ["deleted"] });
    return client.invalidateQueries({ queryKey: ["songs"] });
  };
  const path = { params: { path: { song_id: song.id } } };
  const fail = (fault: unknown) => announce(sentenceOf(fault), { kind: "fault" });
  const duplicate = useMutation({
    mutationFn: () => ask(api.POST("/api/v1/songs/{song_id}/duplicate", path)),
    onSuccess: (made) => {
      announce(`“${made.title}” is made.`);
      return refresh();
    },
    onError: fail,
  });
  const restore = () =>
    ask(api.POST("/api/v1/songs/{song_id}/restore", path)).then(refresh).catch(fail);
  const remove = useMutation({
    mutationFn: () => ask(api.DELETE("/api/v1/songs/{song_id}", path)),
    onSuccess: () => {
      announce(`“${song.title}” is deleted. It stays below for 30 days.`, {
        action: { word: "Undo", run: () => void restore() },
      });
      return refresh();
    },
    onError: fail,
  });
  return (
    <Box
      as="li"
      display="grid"
      gridTemplateColumns={COLUMNS}
      gap="4px 20px"
      alignItems="center"
      paddingBlock="10px"
      borderBottom="1px solid"
      borderColor="rule"
    >
      <Box minWidth="0">
        <Box
          asChild
          fontFamily="title"
          fontWeight="600"
          fontSize="19px"
          lineHeight="24px"
          color="ink"
        >
          <Link to={`/songs/${song.id}`}>{song.title}</Link>
        </Box>
        <Box color="ink2" fontSize="13px">
          {num(section.tempo_bpm, section.tempo_bpm % 1 ? 1 : 0)} BPM ({section.beat_unit}),{" "}
          {section.metre_count}/{section.metre_unit}
          {song.players && `, ${song.players}`}
        </Box>
      </Box>
      <Box display={{ base: "none", md: "block" }}>
        <BeatBar beatMs={song.beat_ms} />
      </Box>
      <Box display="flex" flexWrap="wrap" gap="4px 8px" justifyContent="flex-end">
        <Press onClick={() => navigate(`/songs/${song.id}`)} named={song.title}>
          Open
        </Press>
        <To to={`/songs/${song.id}/share`}>
          Share
          <Unseen> {song.title}</Unseen>
        </To>
        <Press look="quiet" onClick={() => duplicate.mutate()} named={song.title}>
          Duplicate
        </Press>
        <chakra.a css={buttonCss("quiet")} href={`/api/v1/songs/${song.id}/file`} download>
          Keep in a file
          <Unseen> {song.title}</Unseen>
        </chakra.a>
        <Press look="quiet" onClick={() => remove.mutate()} named={song.title}>
          Delete
        </Press>
      </Box>
    </Box>
  );
}

/** The beat's length on one log scale that all rows share. */
function BeatBar({ beatMs }: { beatMs: number }) {
  const x = scaleLog([200, 2000], [4, 236]).clamp(true);
  return (
    <svg
      viewBox="0 0 240 34"
      width="100%"
      role="img"
      aria-label={`Beat ${msShort(beatMs)} ms`}
      display="block"
    >
      <rect x="4" y="2" width="232" height="18" fill={ink("sheet")} />
      <line x1="4" x2="236" y1="20" y2="20" stroke={ink("ink")} />
      {[200, 500, 1000, 2000].map((tick) => (
        <g key={tick}>
          <line x1={x(tick)} x2={x(tick)} y1="20" y2="24" stroke={ink("ink")} />
          <text
            x={x(tick)}
            y="33"
            fontSize="10"
            textAnchor={tick === 200 ? "start" : tick === 2000 ? "end" : "middle"}
            fill={ink("ink2")}
          >
            {tick === 2000 ? "2000 ms" : tick}
          </text>
        </g>
      ))}
      <line x1={x(beatMs)} x2={x(beatMs)} y1="4" y2="20" stroke={ink("ink")} strokeWidth="4" />
      <text x={x(beatMs) + 6} y="15" fontSize="11" fontWeight="650" fill={ink("ink")}>
        {msShort(beatMs)}
      </text>
    </svg>
  );
}

function NewSong() {
  const client = useQueryClient();
  const navigate = useNavigate();
  const [title, setTitle] = useState("");
  const [tempo, setTempo] = useState(120);
  const latest = useRef(tempo);
  const make = useMutation({
    mutationFn: async () => {
      await fieldsRead();
      return ask(
        api.POST("/api/v1/songs", {
          body: {
            title,
            players: "",
            sample_rate_hz: 48_000,
            tempo_map: [
              {
                name: "",
                tempo_bpm: latest.current,
                beat_unit: "1/4",
                metre_count: 4,
                metre_unit: 4,
                beats: 0,
              },
            ],
          },
        }),
      );
    },
    onSuccess: (song) => {
      void client.invalidateQueries({ queryKey: ["songs"] });
      navigate(`/songs/${song.id}`);
    },
  });
  const send = (event: FormEvent) => {
    event.preventDefault();
    make.mutate();
  };
  return (
    <Box as="section">
      <SheetTitle about="a name and a tempo are enough">New song</SheetTitle>
      <form onSubmit={send}>
        <Box display="grid" gap="10px" marginTop="8px">
          <Labelled label="Name">
            <TextInput
              value={title}
              maxLength={120}
              onChange={(event) => setTitle(event.target.value)}
            />
          </Labelled>
          <QuantityField
            label="Tempo"
            kind="tempo"
            unit="BPM"
            value={String(tempo)}
            help="of quarters; the beat can be changed later"
            onCommit={(read) => {
              latest.current = read.value;
              setTempo(read.value);
            }}
          />
          {make.isError && (
            <Notice kind="fault" word="Not made.">
              {sentenceOf(make.error)}
            </Notice>
          )}
          <Box>
            <Press type="submit" look="primary" disabled={make.isPending}>
              Make “{title.trim() || "untitled"}”
            </Press>
          </Box>
        </Box>
      </form>
    </Box>
  );
}
