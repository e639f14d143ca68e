/** A set list as it is put together: order, rig and scene of each song, count-in, programs, notes. */
import { Box } from "@chakra-ui/react";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { useParams } from "react-router";

import { api, ask, sentenceOf, type Song } from "../../api/client";
import { useRigs } from "../../rigs/queries";
import { NameField } from "../../ui/NameField";
import { Notice, Press, SheetTitle, Unseen, Waiting } from "../../ui/controls";
import { exact } from "../../ui/format";
import { Beside } from "../../ui/Beside";
import { To } from "../../ui/Links";
import { NoNetwork } from "../../ui/NoNetwork";
import { Choice, Labelled, TextArea, TextInput } from "../../ui/QuantityField";
import { Tick } from "../../ui/Tick";
import { useSheet } from "../queries";
import { type Card } from "./cards";
import {
  changed,
  type Entry,
  isShown,
  moved,
  newEntry,
  programsRead,
  programsWritten,
  toggled,
  type Values,
  without,
} from "./edits";
import type { Keeper, Standing } from "./keeper";
import { useOnStage, useSetList } from "./queries";
import { TempoLine } from "./TempoLine";

export default function SetListPage() {
  const { listId = "" } = useParams();
  const { values, standing, keeper, error } = useSetList(listId);
  const songs = useQuery({ queryKey: ["songs"], queryFn: () => ask(api.GET("/api/v1/songs")) });
  const stage = useOnStage(listId);
  const client = useQueryClient();
  const saved = standing.is === "saved";
  useEffect(() => {
    // The cards are computed from what is saved.
    if (saved) void client.invalidateQueries({ queryKey: ["on-stage", listId] });
  }, [saved, values, client, listId]);
  if (error && !values)
    return (
      <Box padding="20px" maxWidth="640px">
        <Notice kind="fault" word="Not opened." actions={<To to="/set-lists">All set lists</To>}>
          {sentenceOf(error)}
        </Notice>
      </Box>
    );
  if (!values) return <Waiting />;
  const cards = new Map(stage.data?.cards.map((c) => [c.key, c]));
  const edit = (next: Values) => keeper.edit(next);
  return (
    <Beside
      back="/set-lists"
      backWords="All set lists"
      head={<SavedWord is={standing.is} />}
      above={
        <>
          <NoNetwork />
          <Standing_ standing={standing} keeper={keeper} />
        </>
      }
    >
      <SheetTitle page about={`${values.entries.length} in order`}>
        {values.name}
      </SheetTitle>
      <Box display="flex" flexWrap="wrap" gap="10px 20px" alignItems="flex-end" paddingBlock="10px">
        <Box flex="1 1 220px">
          <NameField
            label="Name of the set list"
            value={values.name}
            onName={async (name) => edit({ ...values, name })}
          />
        </Box>
        <Labelled label="Channel of scenes' programs">
          <Choice
            value={values.channel}
            onChange={(e) => edit({ ...values, channel: Number(e.target.value) })}
          >
            {Array.from({ length: 16 }, (_, i) => (
              <option key={i} value={i + 1}>
                {i + 1}
              </option>
            ))}
          </Choice>
        </Labelled>
        <Tick checked={values.send_clock} onTurn={(send_clock) => edit({ ...values, send_clock })}>
          MIDI clock goes out
        </Tick>
        {values.entries.length > 0 && (
          <Box fontSize="17px" paddingBlock="8px">
            <To to={`/set-lists/${listId}/stage`}>On stage</To>
          </Box>
        )}
      </Box>
      {values.entries.length > 0 && (
        <TempoLine cards={values.entries.flatMap((e) => cards.get(e.key) ?? [])} />
      )}
      <Box
        as="ol"
        aria-label="Songs in order"
        borderTop="1px solid"
        borderColor="ink"
        marginTop="12px"
      >
        {values.entries.map((entry, n) => (
          <Row
            key={entry.key}
            entry={entry}
            place={n}
            last={n === values.entries.length - 1}
            card={cards.get(entry.key)}
            song={songs.data?.find((s) => s.id === entry.song)}
            values={values}
            edit={edit}
          />
        ))}
      </Box>
      <Add songs={songs.data ?? []} values={values} edit={edit} />
    </Beside>
  );
}

const SAVED: Record<Standing["is"], string> = {
  saved: "✓ Saved",
  sending: "Sending",
  waiting: "1 edit waits",
  refused: "Not saved",
  clash: "Not saved",
};

function SavedWord({ is }: { is: Standing["is"] }) {
  return (
    <Box
      role="status"
      aria-label="Saved state"
      fontWeight="650"
      color={is === "saved" ? "ok" : "ink2"}
    >
      {SAVED[is]}
    </Box>
  );
}

function Standing_({ standing, keeper }: { standing: Standing; keeper: Keeper }) {
  if (standing.is === "refused")
    return (
      <Notice
        kind="fault"
        word="Not saved."
        actions={<Press onClick={() => keeper.giveUp()}>Go back to what is saved</Press>}
      >
        {standing.sentence}
      </Notice>
    );
  if (standing.is === "clash")
    return (
      <Notice
        kind="caution"
        actions={
          <>
            <Press onClick={() => keeper.settle(false)}>
              Take that one: {standing.theirs.entries.length} in order
            </Press>
            <Press onClick={() => keeper.settle(true)}>
              Keep this one: {keeper.values()?.entries.length ?? 0} in order
            </Press>
          </>
        }
      >
        This list was changed in another place meanwhile. Nothing is lost until you choose.
      </Notice>
    );
  return null;
}

interface RowProps {
  entry: Entry;
  place: number;
  last: boolean;
  card: Card | undefined;
  song: Song | undefined;
  values: Values;
  edit: (next: Values) => void;
}

function Row({ entry, place, last, card, song, values, edit }: RowProps) {
  const [open, setOpen] = useState(false);
  const pause = entry.kind === "pause";
  const title = pause
    ? entry.title || "Pause"
    : (song?.title ?? card?.title ?? "A song that is gone");
  const first = card?.lines.find((l) => l.shown);
  return (
    <Box as="li" borderBottom="1px solid" borderColor="rule" paddingBlock="8px">
      <Box display="flex" flexWrap="wrap" gap="4px 14px" alignItems="center">
        <Box
          minWidth="30px"
          height="30px"
          border="1.5px solid"
          borderColor={pause ? "transparent" : "ink"}
          borderRadius="15px"
          display="flex"
          alignItems="center"
          justifyContent="center"
          fontWeight="650"
        >
          {pause ? "·" : place + 1}
        </Box>
        <Box flex="1 1 200px" minWidth="0">
          <Box fontFamily="title" fontSize="18px" fontWeight="600" overflowWrap="anywhere">
            {title}
          </Box>
          <Box color="ink2" fontSize="13px" overflowWrap="anywhere">
            {[
              card?.tempo && `${card.tempo} ${card.counted}, ${card.count?.words.split(",")[0]}`,
              card?.about,
              first && `${first.name} ${first.figure} ${first.unit}`.trim(),
              entry.note,
            ]
              .filter(Boolean)
              .join("; ")}
          </Box>
          {card?.caution && <Notice kind="caution">{card.caution}</Notice>}
        </Box>
        <Box display="flex" gap="4px">
          <Press
            named={title}
            disabled={place === 0}
            onClick={() => edit(moved(values, entry.key, -1))}
          >
            Up
          </Press>
          <Press named={title} disabled={last} onClick={() => edit(moved(values, entry.key, 1))}>
            Down
          </Press>
          <Press aria-expanded={open} named={title} onClick={() => setOpen(!open)}>
            {open ? "Close" : "Set"}
          </Press>
          <Press look="quiet" named={title} onClick={() => edit(without(values, entry.key))}>
            Take out
          </Press>
        </Box>
      </Box>
      {open && (
        <Details
          entry={entry}
          card={card}
          values={values}
          edit={edit}
          pause={pause}
          title={title}
        />
      )}
    </Box>
  );
}

interface DetailsProps {
  entry: Entry;
  card: Card | undefined;
  values: Values;
  edit: (next: Values) => void;
  pause: boolean;
  title: string;
}

function Details({ entry, card, values, edit, pause, title }: DetailsProps) {
  const set = (more: Partial<Entry>) => edit(changed(values, entry.key, more));
  return (
    <Box
      as="section"
      aria-label={`How ${title} is played`}
      display="grid"
      gap="10px 20px"
      gridTemplateColumns={{ base: "minmax(0, 1fr)", sm: "repeat(2, minmax(0, 1fr))" }}
      paddingBlock="10px"
      paddingLeft={{ base: "0", sm: "44px" }}
    >
      {pause ? (
        <Labelled label="What for">
          <TextInput
            defaultValue={entry.title}
            maxLength={80}
            onBlur={(e) => set({ title: e.target.value.trim() })}
          />
        </Labelled>
      ) : (
        <>
          <RigOf entry={entry} set={set} />
          <Labelled label="Count-in">
            <Choice
              value={entry.count_bars}
              onChange={(e) => set({ count_bars: Number(e.target.value) })}
            >
              {["none", "1 bar", "2 bars", "3 bars", "4 bars"].map((word, n) => (
                <option key={word} value={n}>
                  {word}
                </option>
              ))}
            </Choice>
          </Labelled>
          <ProgramsField
            entry={entry}
            channel={values.channel}
            sent={card?.programs ?? []}
            set={set}
          />
        </>
      )}
      <Box gridColumn={{ sm: "1 / -1" }}>
        <Labelled label="Note for the stage">
          <TextArea
            defaultValue={entry.note}
            maxLength={600}
            rows={2}
            onBlur={(e) => set({ note: e.target.value })}
          />
        </Labelled>
      </Box>
      {card && card.lines.length > 0 && (
        <Box
          as="fieldset"
          gridColumn={{ sm: "1 / -1" }}
          border="0"
          padding="0"
          margin="0"
          minWidth="0"
        >
          <Box asChild color="ink2" padding="0">
            <legend>Read on stage</legend>
          </Box>
          <Box display="flex" flexWrap="wrap" gap="4px 18px">
            {card.lines.map((line) => (
              <Tick
                key={line.name}
                checked={isShown(entry.hidden ?? null, card.lines, line.name)}
                onTurn={() => set({ hidden: toggled(entry.hidden ?? null, card.lines, line.name) })}
              >
                {line.name} <strong>{`${line.figure} ${line.unit}`.trim()}</strong>
              </Tick>
            ))}
          </Box>
        </Box>
      )}
    </Box>
  );
}

function RigOf({ entry, set }: { entry: Entry; set: (more: Partial<Entry>) => void }) {
  const rigs = useRigs(entry.song ?? "");
  const sheet = useSheet(entry.variant ?? "", "", entry.variant !== null);
  const scenes = sheet.data?.scenes ?? [];
  return (
    <>
      <Labelled label="Played through">
        <Choice
          value={entry.variant ?? ""}
          onChange={(e) => set({ variant: e.target.value || null, scene: "" })}
        >
          <option value="">the delays alone</option>
          {rigs.data?.map((rig) =>
            rig.variants.map((v) => (
              <option key={v.id} value={v.id}>
                {rig.name} {v.letter} {v.name}
              </option>
            )),
          )}
        </Choice>
      </Labelled>
      {(scenes.length > 0 || entry.scene) && (
        <Labelled label="Begins in scene">
          <Choice value={entry.scene} onChange={(e) => set({ scene: e.target.value })}>
            <option value="">no scene</option>
            {scenes.map((s) => (
              <option key={s.name} value={s.name}>
                {s.name}
                {s.program === null ? "" : `, program ${s.program}`}
              </option>
            ))}
          </Choice>
        </Labelled>
      )}
    </>
  );
}

function ProgramsField({
  entry,
  channel,
  sent,
  set,
}: {
  entry: Entry;
  channel: number;
  sent: Entry["programs"];
  set: (more: Partial<Entry>) => void;
}) {
  const [fault, setFault] = useState("");
  const written = programsWritten(entry.programs, channel);
  const byScene = !entry.programs.length && sent.length > 0;
  return (
    <Box>
      <Labelled label="Programs sent">
        <TextInput
          key={written}
          defaultValue={written}
          aria-invalid={fault ? true : undefined}
          onBlur={(e) => {
            const read = programsRead(e.target.value, channel);
            setFault(typeof read === "string" ? read : "");
            if (typeof read !== "string") set({ programs: read });
          }}
        />
      </Labelled>
      <Box color={fault ? "diff" : "ink2"} fontSize="13px" role={fault ? "alert" : undefined}>
        {fault ||
          (byScene
            ? `the scene's: ${programsWritten(sent, 0)}`
            : "0 to 127, as sent; “12 on 3” for channel 3")}
      </Box>
    </Box>
  );
}

function Add({
  songs,
  values,
  edit,
}: {
  songs: Song[];
  values: Values;
  edit: (next: Values) => void;
}) {
  const put = (more: Partial<Entry>) =>
    edit({ ...values, entries: [...values.entries, newEntry(crypto.randomUUID(), more)] });
  const full = values.entries.length >= 120;
  if (full) return <Box paddingBlock="14px">A set list holds 120; this one is full.</Box>;
  return (
    <Box as="section" aria-label="Put in" marginTop="22px">
      <SheetTitle about="goes to the end">Put in</SheetTitle>
      <Box as="ul">
        {songs.map((song) => {
          const s = song.tempo_map[0]!;
          return (
            <Box
              as="li"
              key={song.id}
              display="flex"
              gap="14px"
              alignItems="center"
              paddingBlock="4px"
            >
              <Press named={song.title} onClick={() => put({ song: song.id })}>
                Put in
              </Press>
              <Box overflowWrap="anywhere">
                {song.title}
                <Box as="span" color="ink2" fontSize="13px" marginLeft="10px">
                  {exact(s.tempo_bpm)}, {s.metre_count}/{s.metre_unit}
                </Box>
              </Box>
            </Box>
          );
        })}
        <Box as="li" display="flex" gap="14px" alignItems="center" paddingBlock="4px">
          <Press onClick={() => put({ kind: "pause", title: "Retune" })}>
            Put in<Unseen> a pause</Unseen>
          </Press>
          a pause: retune, talk, change of guitar
        </Box>
      </Box>
    </Box>
  );
}
