/** The person's devices and how they read: to look through, take away, keep in a file and bring back. */
import { Box } from "@chakra-ui/react";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";

import { api, ask, Refused, type Schemas, sentenceOf } from "../api/client";
import { Dialog, Notice, Press, announce } from "../ui/controls";
import { Keep } from "../ui/Links";
import { usePanels } from "./queries";

type File_ = Schemas["PanelsIn"]["file"];
/** Larger is no file of devices. */
const MOST_BYTES = 2_000_000;

export function Devices({ onClose }: { onClose: () => void }) {
  const client = useQueryClient();
  const panels = usePanels();
  const picker = useRef<HTMLInputElement>(null);
  const [waiting, setWaiting] = useState<File_ | null>(null);
  const again = () =>
    Promise.all(["panels", "sheet"].map((key) => client.invalidateQueries({ queryKey: [key] })));
  const take = useMutation({
    mutationFn: ({ file, clash }: { file: File_; clash: "ask" | "replace" | "keep" }) =>
      ask(api.POST("/api/v1/panels/file", { body: { file, clash } })),
    onSuccess: async (done) => {
      setWaiting(null);
      announce(`${done.taken} ${done.taken === 1 ? "device" : "devices"} taken.`);
      await again();
    },
    onError: (fault, { file }) => {
      const asks = fault instanceof Refused && fault.problem.status === 409;
      setWaiting(asks ? file : null);
    },
  });
  const read = useMutation({
    mutationFn: async (file: File) => {
      if (file.size > MOST_BYTES) throw new Error("This file is too large to be one of devices.");
      try {
        return JSON.parse(await file.text()) as File_;
      } catch {
        throw new Error(`“${file.name}” is no file of devices: it is not JSON.`);
      }
    },
    onSuccess: (file) => take.mutate({ file, clash: "ask" }),
  });
  const remove = useMutation({
    mutationFn: (panel_id: string) =>
      ask(api.DELETE("/api/v1/panels/{panel_id}", { params: { path: { panel_id } } })),
    onSuccess: again,
  });
  const rows = panels.data ?? [];
  return (
    <Dialog title="How your devices read" onClose={onClose}>
      {rows.length === 0 && (
        <Box color="ink2">
          None yet. On the sheet, press a stage's “Reads” and say how it shows.
        </Box>
      )}
      {rows.map(({ id, panel }) => (
        <Box
          key={id}
          display="flex"
          gap="10px"
          alignItems="center"
          borderBottom="1px solid"
          borderColor="rule"
          paddingBlock="4px"
        >
          <Box flex="1" minWidth="0" overflowWrap="anywhere">
            <strong>{panel.name}</strong>{" "}
            <Box as="span" color="ink2" fontSize="13px">
              {(panel.controls ?? []).map((c) => c.field.replace(/_.*$/, "")).join(", ") ||
                "as planned"}
            </Box>
          </Box>
          <Press look="quiet" named={panel.name} onClick={() => remove.mutate(id)}>
            Delete
          </Press>
        </Box>
      ))}
      {read.isError && (
        <Notice kind="fault" word="Not taken.">
          {read.error.message}
        </Notice>
      )}
      {take.isError && !waiting && (
        <Notice kind="fault" word="Not taken.">
          {sentenceOf(take.error)}
        </Notice>
      )}
      {waiting && (
        <Notice
          kind="caution"
          actions={
            <>
              <Press onClick={() => take.mutate({ file: waiting, clash: "keep" })}>Keep mine</Press>
              <Press onClick={() => take.mutate({ file: waiting, clash: "replace" })}>
                Replace mine
              </Press>
              <Press look="quiet" onClick={() => setWaiting(null)}>
                Take none
              </Press>
            </>
          }
        >
          {sentenceOf(take.error)}
        </Notice>
      )}
      <Box display="flex" flexWrap="wrap" gap="10px" marginTop="12px" alignItems="center">
        <Press look="primary" onClick={onClose}>
          Done
        </Press>
        <Press onClick={() => picker.current?.click()}>Take from a file</Press>
        <input
          ref={picker}
          type="file"
          accept=".json,application/json"
          aria-label="File of devices"
          hidden
          onChange={(event) => {
            const file = event.target.files?.[0];
            event.target.value = "";
            take.reset();
            setWaiting(null);
            if (file) read.mutate(file);
          }}
        />
        {rows.length > 0 && <Keep href="/api/v1/panels/file">Keep in a file</Keep>}
      </Box>
    </Dialog>
  );
}
