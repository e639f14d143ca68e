/** The song as it was: kept by name or by itself, what changed since, and going back. */
import { Box } from "@chakra-ui/react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";

import { api, ask, type Schemas, sentenceOf } from "../../api/client";
import { announce, Hint, Notice, Press, SheetTitle } from "../../ui/controls";
import { deleteWithUndo } from "../../ui/deleting";
import { useKey } from "../../ui/keys";
import { Labelled, TextInput } from "../../ui/QuantityField";
import { whenKept } from "./log";

type Snapshot = Schemas["SnapshotOut"];

export function Snapshots({ songId }: { songId: string }) {
  const client = useQueryClient();
  const [name, setName] = useState("");
  const field = useRef<HTMLInputElement>(null);
  const [open, setOpen] = useState<string | null>(null);
  const list = useQuery({
    queryKey: ["snapshots", songId],
    queryFn: () =>
      ask(api.GET("/api/v1/songs/{song_id}/snapshots", { params: { path: { song_id: songId } } })),
    refetchOnMount: "always",
  });
  const refresh = () => {
    void client.invalidateQueries({ queryKey: ["snapshots", songId] });
    void client.invalidateQueries({ queryKey: ["log", songId] });
    void client.invalidateQueries({ queryKey: ["steps", songId] });
  };
  const take = useMutation({
    mutationFn: () =>
      ask(
        api.POST("/api/v1/songs/{song_id}/snapshots", {
          params: { path: { song_id: songId } },
          body: { name },
        }),
      ),
    onSuccess: () => {
      setName("");
      refresh();
    },
  });
  useKey("log", "S", () => field.current?.focus());
  const ready = name.trim() !== "" && !take.isPending;
  const back = async (snapshot: Snapshot, rig: string | null, words: string) => {
    try {
      const before = await ask(
        api.POST("/api/v1/snapshots/{snapshot_id}/go-back", {
          params: { path: { snapshot_id: snapshot.id } },
          body: { rig },
        }),
      );
      await client.invalidateQueries();
      announce(words, {
        action: { word: "Undo", run: () => void back(before, null, "It is as it was before.") },
      });
    } catch (fault) {
      announce(sentenceOf(fault), { kind: "fault" });
    }
  };
  const remove = (one: Snapshot) => {
    const path = { params: { path: { snapshot_id: one.id } } };
    return deleteWithUndo(
      `“${one.name}” is deleted.`,
      () => ask(api.DELETE("/api/v1/snapshots/{snapshot_id}", path)),
      () => ask(api.POST("/api/v1/snapshots/{snapshot_id}/restore", path)),
      () => client.invalidateQueries({ queryKey: ["snapshots", songId] }),
    );
  };
  return (
    <Box as="section" aria-label="Snapshots" minWidth="0">
      <SheetTitle sub about="going back loses nothing">
        Snapshots
      </SheetTitle>
      <Box asChild display="flex" gap="8px" alignItems="end" marginBlock="6px 10px">
        <form
          onSubmit={(event) => {
            event.preventDefault();
            if (ready) take.mutate();
          }}
        >
          <Box flex="1" minWidth="0">
            <Labelled
              label={
                <>
                  Keep the song as it is, named <Hint>S</Hint>
                </>
              }
            >
              <TextInput
                ref={field}
                value={name}
                maxLength={120}
                onChange={(event) => setName(event.target.value)}
              />
            </Labelled>
          </Box>
          <Press type="submit" disabled={!ready}>
            Keep it
          </Press>
        </form>
      </Box>
      {take.isError && (
        <Notice kind="fault" word="Not kept.">
          {sentenceOf(take.error)}
        </Notice>
      )}
      {list.data?.length === 0 && (
        <Box color="ink2">
          None yet. Each day's first change keeps one by itself, and so does going back.
        </Box>
      )}
      <Box as="ul" borderTop={list.data?.length ? "1px solid" : undefined} borderColor="ink">
        {list.data?.map((one) => (
          <Box
            as="li"
            key={one.id}
            borderBottom="1px solid"
            borderColor="rule"
            paddingBlock="7px"
            overflowWrap="anywhere"
          >
            <Box display="flex" flexWrap="wrap" gap="0 10px" alignItems="center">
              <Box flex="1 1 100%" minWidth="0">
                <Box fontWeight={one.kind === "named" ? 650 : 400}>{one.name}</Box>
                <Box color="ink2" fontSize="13px">
                  {whenKept(one)}
                </Box>
              </Box>
              <Press
                look="quiet"
                aria-expanded={open === one.id}
                named={`since ${one.name}`}
                onClick={() => setOpen(open === one.id ? null : one.id)}
              >
                What changed
              </Press>
              <Press look="quiet" named={one.name} onClick={() => void remove(one)}>
                Delete
              </Press>
            </Box>
            {open === one.id && <Since snapshot={one} onBack={back} />}
          </Box>
        ))}
      </Box>
    </Box>
  );
}

function Since({
  snapshot,
  onBack,
}: {
  snapshot: Snapshot;
  onBack: (snapshot: Snapshot, rig: string | null, words: string) => Promise<void>;
}) {
  const changes = useQuery({
    queryKey: ["changes", snapshot.id],
    queryFn: () =>
      ask(
        api.GET("/api/v1/snapshots/{snapshot_id}/changes", {
          params: { path: { snapshot_id: snapshot.id } },
        }),
      ),
    refetchOnMount: "always",
  });
  if (changes.isPending) return <Box color="ink2">Comparing</Box>;
  if (changes.isError)
    return (
      <Notice kind="fault" word="Not compared.">
        {sentenceOf(changes.error)}
      </Notice>
    );
  if (changes.data.length === 0) return <Box color="ink2">Nothing: the song is as it was.</Box>;
  return (
    <Box paddingTop="4px">
      {changes.data.map((one) => (
        <Box key={one.rig ?? "song"} paddingBlock="3px">
          <Box display="flex" gap="8px" alignItems="baseline">
            <Box fontWeight="650" flex="1">
              {one.of}
            </Box>
            {one.rig && one.lines[0] !== "The rig is new" && (
              <Press
                look="quiet"
                named={`to ${one.of} of ${snapshot.name}`}
                onClick={() =>
                  void onBack(snapshot, one.rig, `${one.of} is as in “${snapshot.name}”.`)
                }
              >
                Go back
              </Press>
            )}
          </Box>
          {one.lines.map((line) => (
            <Box key={line} fontSize="13px">
              {line}
            </Box>
          ))}
        </Box>
      ))}
      <Box paddingTop="6px">
        <Press
          named={`, as in ${snapshot.name}`}
          onClick={() => void onBack(snapshot, null, `The song is as in “${snapshot.name}”.`)}
        >
          Go back to all of it
        </Press>
      </Box>
    </Box>
  );
}
