/** Who is signed in, and what can be done about it. */
import { Box } from "@chakra-ui/react";
import { useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";

import { api, ask, type Schemas, sentenceOf } from "../api/client";
import { enter } from "./enter";
import { announce, Dialog, Notice, Press } from "../ui/controls";
import { forgetTyped } from "../ui/drafts";
import { To } from "../ui/Links";
import { Labelled, TextInput } from "../ui/QuantityField";

type Session = Schemas["Session"];

export function AccountBar({ session }: { session: Session }) {
  const client = useQueryClient();
  const [open, setOpen] = useState<"password" | "keep" | null>(null);
  const signOut = async () => {
    try {
      const now = await ask(api.DELETE("/api/v1/session"));
      forgetTyped();
      enter(client, now);
    } catch (fault) {
      announce(sentenceOf(fault), { kind: "fault" });
    }
  };
  return (
    <Box display="flex" flexWrap="wrap" alignItems="center" gap="4px 14px">
      <Box color="ink2">{session.is_guest ? "Demo studio, private copy" : session.name}</Box>
      {session.is_guest ? (
        <Press onClick={() => setOpen("keep")}>Keep it: sign up</Press>
      ) : (
        <Press look="quiet" onClick={() => setOpen("password")}>
          Change password
        </Press>
      )}
      <To to="/scripts">Scripts</To>
      <Press look="quiet" onClick={() => void signOut()}>
        Sign out
      </Press>
      {open === "password" && (
        <TwoFields
          title="Change password"
          first={{ label: "Old password", type: "password", complete: "current-password" }}
          act="Change the password"
          onClose={() => setOpen(null)}
          send={async (old_password, new_password) => {
            await ask(api.POST("/api/v1/password", { body: { old_password, new_password } }));
            announce("The password is changed.");
          }}
        />
      )}
      {open === "keep" && (
        <TwoFields
          title="Keep this studio"
          first={{ label: "Name", type: "text", complete: "username" }}
          act="Make my account"
          onClose={() => setOpen(null)}
          send={async (name, password) => {
            const now = await ask(api.POST("/api/v1/accounts", { body: { name, password } }));
            client.setQueryData(["session"], now);
            announce(`Signed up as ${now.name}. The songs are yours.`);
          }}
        />
      )}
    </Box>
  );
}

interface TwoFieldsProps {
  title: string;
  first: { label: string; type: string; complete: string };
  act: string;
  onClose: () => void;
  send: (first: string, second: string) => Promise<void>;
}

function TwoFields({ title, first, act, onClose, send }: TwoFieldsProps) {
  const [a, setA] = useState("");
  const [b, setB] = useState("");
  const [fault, setFault] = useState("");
  const submit = async (event: FormEvent) => {
    event.preventDefault();
    try {
      await send(a, b);
      onClose();
    } catch (problem) {
      setFault(sentenceOf(problem));
    }
  };
  return (
    <Dialog title={title} onClose={onClose}>
      <form onSubmit={(event) => void submit(event)}>
        <Box display="grid" gap="10px">
          <Labelled label={first.label}>
            <TextInput
              type={first.type}
              autoComplete={first.complete}
              required
              value={a}
              onChange={(e) => setA(e.target.value)}
            />
          </Labelled>
          <Labelled label="New password, 10 characters or more">
            <TextInput
              type="password"
              autoComplete="new-password"
              required
              value={b}
              onChange={(e) => setB(e.target.value)}
            />
          </Labelled>
          {fault && (
            <Notice kind="fault" word="Not changed.">
              {fault}
            </Notice>
          )}
          <Box display="flex" gap="10px">
            <Press onClick={onClose} hint="Esc">
              Leave it
            </Press>
            <Press type="submit" look="primary">
              {act}
            </Press>
          </Box>
        </Box>
      </form>
    </Dialog>
  );
}
