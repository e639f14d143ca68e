/** Take a song or a studio from a file, and keep the whole studio in one. */
import { Box, chakra } from "@chakra-ui/react";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";

import { Refused, sentenceOf } from "../api/client";
import { announce, Notice, Press, SheetTitle } from "../ui/controls";
import { Keep } from "../ui/Links";
import { type Clash, sendFile, type Taken, takenWords } from "./taking";

export function TakeFile() {
  const client = useQueryClient();
  const picker = useRef<HTMLInputElement>(null);
  const [share, setShare] = useState(0);
  const [file, setFile] = useState<File | null>(null);
  const [left, setLeft] = useState<string[]>([]);
  const stop = useRef<AbortController | null>(null);
  const take = useMutation({
    mutationFn: ({ from, clash }: { from: File; clash: Clash }): Promise<Taken> => {
      stop.current = new AbortController();
      setShare(0);
      setLeft([]);
      return sendFile(from, clash, setShare, stop.current.signal);
    },
    onSuccess: (taken) => {
      setFile(null);
      setLeft(taken.left_out);
      announce(takenWords(taken));
      return client.invalidateQueries({ queryKey: ["songs"] });
    },
  });
  const stopped = take.error instanceof DOMException;
  const asks = take.error instanceof Refused && take.error.problem.status === 409;
  return (
    <Box as="section" aria-label="Files" marginTop="26px">
      <SheetTitle about="a song with its sounds, or all of them">Files</SheetTitle>
      <Box display="flex" flexWrap="wrap" gap="8px 14px" alignItems="center" marginTop="8px">
        <Press disabled={take.isPending} onClick={() => picker.current?.click()}>
          Take from a file
        </Press>
        <Keep href="/api/v1/studio/file">Keep all songs in a file</Keep>
      </Box>
      <input
        ref={picker}
        type="file"
        accept=".zip,application/zip"
        aria-label="File of a song or a studio"
        hidden
        onChange={(event) => {
          const chosen = event.target.files?.[0] ?? null;
          event.target.value = "";
          setFile(chosen);
          if (chosen) take.mutate({ from: chosen, clash: "ask" });
        }}
      />
      {take.isPending && (
        <Box marginTop="8px">
          <chakra.progress
            aria-label="Sending the file"
            value={share < 1 ? share : undefined}
            max={1}
            width="100%"
          />
          <Box display="flex" gap="10px" alignItems="center">
            <Box role="status" color="ink2">
              {share < 1 ? `${Math.round(100 * share)} % sent` : "Reading it"}
            </Box>
            <Press look="quiet" onClick={() => stop.current?.abort()}>
              Stop
            </Press>
          </Box>
        </Box>
      )}
      {asks && file && (
        <Notice
          kind="caution"
          actions={
            <>
              <Press onClick={() => take.mutate({ from: file, clash: "second" })}>
                Take as a second one
              </Press>
              <Press onClick={() => take.mutate({ from: file, clash: "skip" })}>
                Leave what is here
              </Press>
              <Press look="quiet" onClick={() => take.reset()}>
                Take nothing
              </Press>
            </>
          }
        >
          {sentenceOf(take.error)}
        </Notice>
      )}
      {take.isError && !asks && !stopped && (
        <Notice kind="fault" word="Not taken.">
          {sentenceOf(take.error)}
        </Notice>
      )}
      {stopped && <Box color="ink2">Stopped. Nothing was taken.</Box>}
      {left.length > 0 && (
        <Notice
          kind="caution"
          word="Left out."
          actions={<Press onClick={() => setLeft([])}>Understood</Press>}
        >
          <Box as="ul">
            {left.map((one) => (
              <li key={one}>{one}</li>
            ))}
          </Box>
        </Notice>
      )}
    </Box>
  );
}
