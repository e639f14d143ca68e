/** All rigs of a song with their variants: named, put in order, duplicated, deleted and brought back. */
import { Box } from "@chakra-ui/react";
import { useQueryClient } from "@tanstack/react-query";
import { Link } from "react-router";

import { api, ask, type RigSummary, sentenceOf, type VariantSummary } from "../api/client";
import { useClips } from "../clips/queries";
import { useSongContext } from "../song/context";
import { Deleted } from "../song/Deleted";
import { announce, Empty, Hint, Press, SheetTitle } from "../ui/controls";
import { clock } from "../ui/format";
import { NameField } from "../ui/NameField";

export default function RigsPage() {
  const { song, rigs } = useSongContext();
  return (
    <Box
      display="grid"
      gridTemplateColumns={{ base: "minmax(0, 1fr)", lg: "minmax(0, 1.5fr) minmax(0, 1fr)" }}
      gap="20px 40px"
    >
      <Box as="section" aria-label="Rigs" minWidth="0">
        <SheetTitle page about="press a name to change it">
          Rigs of {song.title}
        </SheetTitle>
        {!rigs.length && (
          <Empty action={<Link to={`/songs/${song.id}/route?new=1`}>Begin a rig</Link>}>
            There is no rig yet.
          </Empty>
        )}
        <Box as="ol" marginTop="6px">
          {rigs.map((rig, i) => (
            <RigRow key={rig.id} rig={rig} at={i} last={i === rigs.length - 1} />
          ))}
        </Box>
      </Box>
      <Box minWidth="0" display="grid" gap="20px" alignContent="start">
        <Clips songId={song.id} />
        <Box as="section" aria-label="Deleted">
          <SheetTitle about="kept for 30 days">Deleted</SheetTitle>
          <Deleted songId={song.id} />
        </Box>
      </Box>
    </Box>
  );
}

/** Does something and shows the lists anew; what fails is said. */
function useDo() {
  const client = useQueryClient();
  const again = () => {
    for (const key of ["rigs", "deleted", "clips", "variant"])
      void client.invalidateQueries({ queryKey: [key] });
  };
  return {
    again,
    run: (doing: Promise<unknown>, said?: string, undo?: () => Promise<unknown>) =>
      doing
        .then(() => {
          if (said)
            announce(said, {
              action: undo && {
                word: "Undo",
                run: () =>
                  void undo().then(again, (f) => announce(sentenceOf(f), { kind: "fault" })),
              },
            });
          again();
        })
        .catch((fault) => announce(sentenceOf(fault), { kind: "fault" })),
  };
}

function Order({
  of,
  at,
  last,
  move,
}: {
  of: string;
  at: number;
  last: boolean;
  move: (to: number) => void;
}) {
  return (
    <>
      <Press
        look="quiet"
        minHeight="28px"
        aria-label={`Move ${of} up`}
        disabled={at === 0}
        onClick={() => move(at - 1)}
      >
        ↑
      </Press>
      <Press
        look="quiet"
        minHeight="28px"
        aria-label={`Move ${of} down`}
        disabled={last}
        onClick={() => move(at + 1)}
      >
        ↓
      </Press>
    </>
  );
}

function RigRow({ rig, at, last }: { rig: RigSummary; at: number; last: boolean }) {
  const { again, run } = useDo();
  const path = { params: { path: { rig_id: rig.id } } };
  const patch = (body: { name?: string; was?: string; position?: number }) =>
    ask(api.PATCH("/api/v1/rigs/{rig_id}", { ...path, body }));
  return (
    <Box as="li" paddingBlock="10px" borderTop="1px solid" borderColor="ink">
      <Box display="flex" flexWrap="wrap" gap="4px 8px" alignItems="center">
        <Box flex="1" minWidth="180px" fontSize="17px" fontFamily="title">
          <NameField
            key={rig.name}
            label={`Name of rig ${rig.name}`}
            value={rig.name}
            onName={(name) => patch({ name, was: rig.name }).then(again)}
          />
        </Box>
        <Order
          of={rig.name}
          at={at}
          last={last}
          move={(position) => void run(patch({ position }))}
        />
        <Press
          named={rig.name}
          look="quiet"
          minHeight="28px"
          onClick={() =>
            void run(
              ask(api.POST("/api/v1/rigs/{rig_id}/duplicate", path)),
              `“${rig.name} (copy)” is made.`,
            )
          }
        >
          Duplicate
        </Press>
        <Press
          named={rig.name}
          look="quiet"
          minHeight="28px"
          onClick={() =>
            void run(
              ask(api.DELETE("/api/v1/rigs/{rig_id}", path)),
              `“${rig.name}” is deleted. It stays in the list of deleted things for 30 days.`,
              () => ask(api.POST("/api/v1/rigs/{rig_id}/restore", path)),
            )
          }
        >
          Delete
        </Press>
      </Box>
      <Box as="ol" marginTop="4px" paddingLeft={{ base: "0", md: "18px" }}>
        {rig.variants.map((variant, i) => (
          <VariantRow
            key={variant.id}
            variant={variant}
            rig={rig}
            at={i}
            last={i === rig.variants.length - 1}
          />
        ))}
      </Box>
    </Box>
  );
}

function VariantRow({
  variant,
  rig,
  at,
  last,
}: {
  variant: VariantSummary;
  rig: RigSummary;
  at: number;
  last: boolean;
}) {
  const { variant: inHand, take } = useSongContext();
  const { again, run } = useDo();
  const path = { params: { path: { variant_id: variant.id } } };
  const patch = (body: { name?: string; was?: string; position?: number }) =>
    ask(api.PATCH("/api/v1/variants/{variant_id}", { ...path, body: { promote: false, ...body } }));
  const called = `${rig.name} ${variant.letter}`;
  const here = inHand?.id === variant.id;
  return (
    <Box
      as="li"
      display="flex"
      flexWrap="wrap"
      gap="2px 8px"
      alignItems="center"
      paddingBlock="2px"
    >
      <Hint>{variant.letter}</Hint>
      <Box flex="1" minWidth="130px">
        <NameField
          key={variant.name}
          label={`Name of ${called}`}
          value={variant.name}
          empty
          onName={(name) => patch({ name, was: variant.name }).then(again)}
        />
      </Box>
      <Order of={called} at={at} last={last} move={(position) => void run(patch({ position }))} />
      <Press
        named={called}
        look="quiet"
        minHeight="28px"
        disabled={here}
        onClick={() => take({ variant: variant.id, selected: "" })}
      >
        {here ? "In hand" : "Take in hand"}
      </Press>
      {rig.variants.length > 1 && (
        <Press
          named={called}
          look="quiet"
          minHeight="28px"
          onClick={() =>
            void run(
              ask(api.DELETE("/api/v1/variants/{variant_id}", path)),
              `${called} is deleted. It stays in the list of deleted things for 30 days.`,
              () => ask(api.POST("/api/v1/variants/{variant_id}/restore", path)),
            )
          }
        >
          Delete
        </Press>
      )}
    </Box>
  );
}

function Clips({ songId }: { songId: string }) {
  const clips = useClips(songId).data ?? [];
  const { again, run } = useDo();
  return (
    <Box as="section" aria-label="Clips">
      <SheetTitle about="the sounds of this song">Clips</SheetTitle>
      {!clips.length && (
        <Box color="ink2" paddingBlock="6px">
          None yet: drop a file anywhere on the page, or choose one in the line above.
        </Box>
      )}
      <Box as="ul">
        {clips.map((clip) => {
          const path = { params: { path: { clip_id: clip.id } } };
          return (
            <Box
              as="li"
              key={clip.id}
              display="flex"
              flexWrap="wrap"
              gap="2px 10px"
              alignItems="center"
              paddingBlock="2px"
            >
              <NameField
                key={clip.name}
                label={`Name of clip ${clip.name}`}
                value={clip.name}
                onName={(name) =>
                  ask(api.PATCH("/api/v1/clips/{clip_id}", { ...path, body: { name } })).then(again)
                }
              />
              <Box color="ink2" fontSize="13px" minWidth="36px">
                {clip.facts ? clock(clip.facts.seconds) : ""}
              </Box>
              <Press
                named={clip.name}
                look="quiet"
                minHeight="28px"
                onClick={() =>
                  void run(
                    ask(api.DELETE("/api/v1/clips/{clip_id}", path)),
                    `“${clip.name}” is deleted. It stays in the list of deleted things for 30 days.`,
                    () => ask(api.POST("/api/v1/clips/{clip_id}/restore", path)),
                  )
                }
              >
                Delete
              </Press>
            </Box>
          );
        })}
      </Box>
    </Box>
  );
}
