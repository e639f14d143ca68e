/** Sends settings to the rig in hand: names it, and lists what changes before several are sent. */
import { Box } from "@chakra-ui/react";
import { useState } from "react";

import type { RigAction } from "../api/client";
import { Dialog, Press } from "../ui/controls";
import { Table, Td, Th } from "../ui/table";
import { changesOf } from "./changes";
import { useKinds } from "./kinds";
import type { RouteHandle } from "./variants";

interface Props {
  route: RouteHandle;
  /** Made when it is pressed, so that they are of this moment. */
  actions: RigAction[];
  /** On the press: "Set Hall of Two sends A". */
  label: string;
  /** Once it is done: "Hall is set to it." */
  said: string;
  look?: "primary" | "plain" | "quiet";
  disabled?: boolean;
  onSent?: () => void;
}

export function SendTo({ route, actions, label, said, look = "plain", disabled, onSent }: Props) {
  const [open, setOpen] = useState(false);
  const kinds = useKinds().data ?? [];
  const changes = route.variant ? changesOf(actions, route.variant, kinds) : [];
  const send = () => {
    route.send(actions, said);
    setOpen(false);
    onSent?.();
  };
  const many = changes.length > 1;
  return (
    <>
      <Press
        look={look}
        disabled={disabled || !route.variant}
        onClick={() => (changes.length === 1 ? send() : setOpen(true))}
      >
        {label}
        {many ? ` (${changes.length} settings)` : ""}
      </Press>
      {open && (
        <Dialog title={label} onClose={() => setOpen(false)}>
          {changes.length === 0 ? (
            <Box>It is set so already: nothing would change.</Box>
          ) : (
            <Box maxHeight="50vh" overflow="auto">
              <Table>
                <thead>
                  <tr>
                    <Th textAlign="left">setting</Th>
                    <Th>now</Th>
                    <Th>then</Th>
                  </tr>
                </thead>
                <tbody>
                  {changes.map((c) => (
                    <tr key={`${c.of} ${c.what}`}>
                      <Td textAlign="left">
                        {c.of}: <strong>{c.what}</strong>
                      </Td>
                      <Td>{c.before}</Td>
                      <Td fontWeight="650">{c.after}</Td>
                    </tr>
                  ))}
                </tbody>
              </Table>
            </Box>
          )}
          <Box display="flex" gap="10px" marginTop="12px">
            {changes.length > 0 && (
              <Press look="primary" onClick={send} autoFocus>
                Send {changes.length} to {route.named}
              </Press>
            )}
            <Press onClick={() => setOpen(false)} hint="Esc">
              {changes.length ? "Keep it as it is" : "Close"}
            </Press>
          </Box>
        </Dialog>
      )}
    </>
  );
}
