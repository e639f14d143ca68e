/** Work of Verify that is under way, with what is cancelled by a press; and what is deleted with a way back. */
import { Box } from "@chakra-ui/react";
import { useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";

import { sentenceOf } from "../../api/client";
import { announce, Press, SheetTitle } from "../../ui/controls";
import { Course } from "../../ui/Course";
import { num } from "../../ui/format";

interface Props {
  title: string;
  about: string;
  stages: string[];
  /** What it is called by those who hear the page. */
  label: string;
  row: { status: string; progress: number; stage: string; attempt?: number };
  cancelWord: string;
  note: string;
  cancel: () => Promise<unknown>;
  /** What is asked again once it is cancelled. */
  queryKey: string[];
}

/** Once it has ended the steps say so at once; also of what ended before it was ever seen under way. */
export function useEnded(ended: boolean): void {
  const client = useQueryClient();
  useEffect(() => {
    if (ended) void client.invalidateQueries({ queryKey: ["steps"] });
  }, [client, ended]);
}

export function UnderWay(props: Props) {
  const { row } = props;
  const client = useQueryClient();
  const cancel = async () => {
    try {
      await props.cancel();
    } catch (fault) {
      announce(sentenceOf(fault), { kind: "fault" });
    }
    await client.invalidateQueries({ queryKey: props.queryKey });
  };
  const again = row.attempt ?? 1;
  return (
    <Box maxWidth="760px">
      <SheetTitle page about={props.about}>
        {props.title}
      </SheetTitle>
      <Box marginBlock="14px">
        <Course share={row.progress} stages={props.stages} label={props.label} />
      </Box>
      <Box display="flex" flexWrap="wrap" alignItems="center" gap="12px">
        <Box flex="1" role="status">
          <strong>{num(row.progress * 100, 0)} %</strong>,{" "}
          {row.status === "queued" ? "waiting its turn" : row.stage || "starting"}
          {again > 1 && `; attempt ${again}, taken up again after an interruption`}
        </Box>
        <Press onClick={() => void cancel()}>{props.cancelWord}</Press>
      </Box>
      <Box as="p" color="ink2" fontSize="13px" marginTop="6px">
        {props.note}
      </Box>
    </Box>
  );
}
