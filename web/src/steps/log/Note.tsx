/** A note of one's own, with pictures beside it. */
import { Box, chakra } from "@chakra-ui/react";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { type RefObject, useEffect, useRef, useState } from "react";

import { api, ask, Refused, sentenceOf } from "../../api/client";
import { useDraft } from "../../ui/drafts";
import { Hint, Notice, Press } from "../../ui/controls";
import { Labelled, TextArea } from "../../ui/QuantityField";
import { chosen, MOST, send, smaller, type Waiting } from "./pictures";

export function Note({
  songId,
  field,
}: {
  songId: string;
  field: RefObject<HTMLTextAreaElement | null>;
}) {
  const client = useQueryClient();
  const [typed, setTyped] = useDraft("Note", "");
  const text = typed ?? "";
  const setText = (next: string) => setTyped(next || null);
  const [waiting, setWaiting] = useState<Waiting[]>([]);
  const [said, setSaid] = useState("");
  const [over, setOver] = useState(false);
  const picker = useRef<HTMLInputElement>(null);
  const held = useRef(waiting);
  useEffect(() => {
    held.current = waiting;
  });
  useEffect(() => () => held.current.forEach((one) => URL.revokeObjectURL(one.url)), []);

  const add = async (files: File[]) => {
    const { taken, said: why } = chosen(waiting.length, files);
    setSaid(why);
    const made = await Promise.all(
      taken.map(async (file) => {
        const content = await smaller(file);
        const url = URL.createObjectURL(content);
        return { key: crypto.randomUUID(), name: file.name, url, content, sent: null };
      }),
    );
    setWaiting((those) => [...those, ...made].slice(0, MOST));
  };
  const drop = (key: string) => {
    const one = waiting.find((w) => w.key === key);
    if (one) URL.revokeObjectURL(one.url);
    setWaiting((those) => those.filter((w) => w.key !== key));
    setSaid("");
    picker.current?.parentElement?.querySelector("button")?.focus();
  };

  const write = useMutation({
    mutationFn: async () => {
      const sent: string[] = [];
      for (const one of waiting) {
        const id = one.sent ?? (await send(songId, one.content));
        sent.push(id);
        setWaiting((those) => those.map((w) => (w.key === one.key ? { ...w, sent: id } : w)));
      }
      return ask(
        api.POST("/api/v1/songs/{song_id}/log", {
          params: { path: { song_id: songId } },
          body: { text, pictures: sent },
        }),
      );
    },
    onSuccess: () => {
      setText("");
      setSaid("");
      waiting.forEach((one) => URL.revokeObjectURL(one.url));
      setWaiting([]);
      void client.invalidateQueries({ queryKey: ["log", songId] });
      void client.invalidateQueries({ queryKey: ["steps", songId] });
    },
    onError: (error) => {
      // What the server let go is sent anew.
      if (error instanceof Refused && error.problem.status === 409)
        setWaiting((those) => those.map((w) => ({ ...w, sent: null })));
    },
  });
  const ready = text.trim() !== "" && !write.isPending;
  return (
    <Box
      asChild
      display="grid"
      gridTemplateColumns={{ base: "minmax(0, 1fr)", sm: "minmax(0, 1fr) auto" }}
      gap="8px 12px"
      alignItems="end"
      marginBlock="8px 12px"
      outline={over ? "2px dashed" : "none"}
      outlineOffset="4px"
    >
      <form
        aria-label="A note"
        onSubmit={(event) => {
          event.preventDefault();
          if (ready) write.mutate();
        }}
        onDragOver={(event) => {
          event.preventDefault();
          setOver(true);
        }}
        onDragLeave={() => setOver(false)}
        onDrop={(event) => {
          event.preventDefault();
          setOver(false);
          void add([...event.dataTransfer.files]);
        }}
        onPaste={(event) => {
          const files = [...event.clipboardData.files];
          if (files.length === 0) return;
          event.preventDefault();
          void add(files);
        }}
      >
        <Labelled
          label={
            <>
              A note of your own; its first line is what is seen <Hint>N</Hint>
            </>
          }
        >
          <TextArea
            ref={field}
            rows={2}
            maxLength={4000}
            value={text}
            onChange={(event) => setText(event.target.value)}
            onKeyDown={(event) => {
              if (event.key === "Enter" && (event.ctrlKey || event.metaKey) && ready)
                write.mutate();
            }}
          />
        </Labelled>
        <Box display="flex" flexDirection={{ base: "row", sm: "column" }} gap="6px">
          <Press disabled={waiting.length >= MOST} onClick={() => picker.current?.click()}>
            Add pictures
          </Press>
          <Press type="submit" disabled={!ready} look={ready ? "primary" : "plain"}>
            {write.isPending ? "Writing" : "Write it down"}
          </Press>
          <input
            ref={picker}
            type="file"
            accept="image/*"
            multiple
            hidden
            aria-label="Pictures of the note"
            onChange={(event) => {
              const files = [...(event.target.files ?? [])];
              event.target.value = "";
              void add(files);
            }}
          />
        </Box>
        {waiting.length > 0 && (
          <Box
            as="ul"
            aria-label="Pictures to go with it"
            display="flex"
            flexWrap="wrap"
            gap="12px"
          >
            {waiting.map((one) => (
              <Box as="li" key={one.key} width="96px">
                <chakra.img
                  src={one.url}
                  alt={one.name}
                  height="72px"
                  width="96px"
                  objectFit="contain"
                  background="well"
                  border="1px solid"
                  borderColor="rule"
                />
                <Press look="quiet" named={one.name} onClick={() => drop(one.key)}>
                  Leave out
                </Press>
              </Box>
            ))}
          </Box>
        )}
        {said && (
          <Box role="status" gridColumn="1 / -1" color="ink2">
            {said}
          </Box>
        )}
        {write.isError && (
          <Box gridColumn="1 / -1">
            <Notice kind="fault" word="Not written.">
              {sentenceOf(write.error)} What you wrote is still here.
            </Notice>
          </Box>
        )}
      </form>
    </Box>
  );
}
