/** All set lists; make one, open one, put one away and bring it back. */
import { Box } from "@chakra-ui/react";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { useNavigate } from "react-router";

import { api, ask, sentenceOf } from "../../api/client";
import { announce, Notice, Press, SheetTitle } from "../../ui/controls";
import { Beside } from "../../ui/Beside";
import { To } from "../../ui/Links";
import { NoNetwork } from "../../ui/NoNetwork";
import { Labelled, TextInput } from "../../ui/QuantityField";
import { useSetLists } from "./queries";

const fail = (fault: unknown) => announce(sentenceOf(fault), { kind: "fault" });

export default function SetListsPage() {
  const client = useQueryClient();
  const lists = useSetLists();
  const gone = useSetLists(true);
  const again = () => client.invalidateQueries({ queryKey: ["set-lists"] });
  const restore = (id: string) =>
    ask(api.POST("/api/v1/set-lists/{list_id}/restore", { params: { path: { list_id: id } } }))
      .then(again)
      .catch(fail);
  const remove = useMutation({
    mutationFn: (one: { id: string; name: string }) =>
      ask(api.DELETE("/api/v1/set-lists/{list_id}", { params: { path: { list_id: one.id } } })),
    onSuccess: (_, one) => {
      announce(`“${one.name}” is deleted. It stays below for 30 days.`, {
        action: { word: "Undo", run: () => void restore(one.id) },
      });
      return again();
    },
    onError: fail,
  });
  return (
    <Beside back="/" backWords="All songs" above={<NoNetwork />}>
      <SheetTitle page about="songs in the order they are played">
        Set lists
      </SheetTitle>
      {lists.isError && <Notice kind="fault">{sentenceOf(lists.error)}</Notice>}
      {lists.data?.length === 0 && (
        <Box paddingBlock="14px">None yet. A name makes one; songs come in after.</Box>
      )}
      <Box as="ul">
        {lists.data?.map(({ id, values }) => (
          <Box
            as="li"
            key={id}
            display="flex"
            flexWrap="wrap"
            gap="6px 16px"
            alignItems="center"
            paddingBlock="10px"
            borderBottom="1px solid"
            borderColor="rule"
          >
            <Box flex="1 1 240px" minWidth="0">
              <Box fontFamily="title" fontSize="19px" lineHeight="24px" overflowWrap="anywhere">
                <To to={`/set-lists/${id}`}>{values.name}</To>
              </Box>
              <Box color="ink2" fontSize="13px">
                {songsIn(values.entries.filter((e) => e.kind === "song").length)}
              </Box>
            </Box>
            <To to={`/set-lists/${id}/stage`}>On stage</To>
            <Press
              look="quiet"
              named={values.name}
              onClick={() => remove.mutate({ id, name: values.name })}
            >
              Delete
            </Press>
          </Box>
        ))}
      </Box>
      <NewList onMade={again} />
      {gone.data && gone.data.length > 0 && (
        <Box as="section" aria-label="Deleted" marginTop="26px">
          <SheetTitle about="kept for 30 days">Deleted</SheetTitle>
          <Box as="ul">
            {gone.data.map(({ id, values }) => (
              <Box
                as="li"
                key={id}
                display="flex"
                gap="16px"
                alignItems="center"
                paddingBlock="4px"
              >
                <Box flex="1" overflowWrap="anywhere">
                  {values.name}
                </Box>
                <Press look="quiet" named={values.name} onClick={() => void restore(id)}>
                  Bring back
                </Press>
              </Box>
            ))}
          </Box>
        </Box>
      )}
    </Beside>
  );
}

const songsIn = (count: number) => (count === 1 ? "1 song" : `${count || "no"} songs`);

function NewList({ onMade }: { onMade: () => Promise<unknown> }) {
  const navigate = useNavigate();
  const [name, setName] = useState("");
  const make = useMutation({
    mutationFn: () =>
      ask(
        api.POST("/api/v1/set-lists", {
          body: { name: name.trim(), channel: 1, send_clock: false, entries: [] },
        }),
      ),
    onSuccess: async (made) => {
      await onMade();
      void navigate(`/set-lists/${made.id}`);
    },
  });
  const send = (event: FormEvent) => {
    event.preventDefault();
    if (name.trim()) make.mutate();
  };
  return (
    <Box as="section" aria-label="New set list" marginTop="26px" maxWidth="420px">
      <SheetTitle>New set list</SheetTitle>
      <form onSubmit={send}>
        <Box display="grid" gap="10px" marginTop="8px">
          <Labelled label="Name of the set list">
            <TextInput value={name} maxLength={80} onChange={(e) => setName(e.target.value)} />
          </Labelled>
          {make.isError && <Notice kind="fault">{sentenceOf(make.error)}</Notice>}
          <Box>
            <Press type="submit" look="primary" disabled={!name.trim() || make.isPending}>
              Make the list
            </Press>
          </Box>
        </Box>
      </form>
    </Box>
  );
}
