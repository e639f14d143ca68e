/** Tokens for scripts, and ten calls that go the whole way with one. */
import { Box, chakra } from "@chakra-ui/react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";

import { api, ask, type Schemas, sentenceOf } from "../api/client";
import { announce, copyText, Notice, Press, SheetTitle } from "../ui/controls";
import { dateAndTime, dateOf } from "../ui/format";
import { Beside } from "../ui/Beside";
import { Choice, Labelled, TextInput } from "../ui/QuantityField";
import { Tick } from "../ui/Tick";

type Scope = Schemas["TokenOut"]["scopes"][number];
const SCOPES: [Scope, string][] = [
  ["read", "read: look at everything that is yours"],
  ["write", "write: make and change"],
  ["delete", "delete: put away"],
];

export default function ScriptsPage() {
  const client = useQueryClient();
  const tokens = useQuery({ queryKey: ["tokens"], queryFn: () => ask(api.GET("/api/v1/tokens")) });
  const calls = useQuery({
    queryKey: ["ten-calls"],
    queryFn: () => ask(api.GET("/api/v1/ten-calls")),
  });
  const [name, setName] = useState("");
  const [scopes, setScopes] = useState<Scope[]>(["read"]);
  const [days, setDays] = useState(30);
  const again = () => client.invalidateQueries({ queryKey: ["tokens"] });
  const make = useMutation({
    mutationFn: () => ask(api.POST("/api/v1/tokens", { body: { name, scopes, days } })),
    onSuccess: () => {
      setName("");
      return again();
    },
  });
  const takeBack = useMutation({
    mutationFn: (id: string) =>
      ask(api.DELETE("/api/v1/tokens/{token_id}", { params: { path: { token_id: id } } })),
    onSuccess: () => {
      announce("The token is taken back: what uses it is refused from now on.");
      return again();
    },
    onError: (fault) => announce(sentenceOf(fault), { kind: "fault" }),
  });
  const send = (event: FormEvent) => {
    event.preventDefault();
    if (name.trim() && scopes.length) make.mutate();
  };
  const made = make.data?.token;
  return (
    <Beside back="/" backWords="All songs">
      <SheetTitle page about="sign in with a token, do what it allows">
        Scripts
      </SheetTitle>
      <form onSubmit={send}>
        <Box display="flex" flexWrap="wrap" gap="10px 20px" alignItems="flex-end" marginTop="8px">
          <Box flex="1 1 220px">
            <Labelled label="What the token is for">
              <TextInput value={name} maxLength={60} onChange={(e) => setName(e.target.value)} />
            </Labelled>
          </Box>
          <Labelled label="In force for">
            <Choice value={days} onChange={(e) => setDays(Number(e.target.value))}>
              {[1, 7, 30, 90, 365].map((n) => (
                <option key={n} value={n}>
                  {n === 1 ? "1 day" : `${n} days`}
                </option>
              ))}
            </Choice>
          </Labelled>
        </Box>
        <Box display="flex" flexWrap="wrap" gap="2px 20px" marginBlock="8px">
          {SCOPES.map(([scope, words]) => (
            <Tick
              key={scope}
              checked={scopes.includes(scope)}
              onTurn={(on) =>
                setScopes(on ? [...scopes, scope] : scopes.filter((s) => s !== scope))
              }
            >
              {words}
            </Tick>
          ))}
        </Box>
        {make.isError && (
          <Notice kind="fault" word="Not made.">
            {sentenceOf(make.error)}
          </Notice>
        )}
        <Press
          type="submit"
          look="primary"
          disabled={!name.trim() || !scopes.length || make.isPending}
        >
          Make a token
        </Press>
      </form>
      {made && (
        <Box
          role="status"
          aria-label="The new token"
          background="cautionWash"
          padding="10px 12px"
          marginTop="12px"
        >
          <strong>Copy it now: it is shown this once.</strong>
          <Box display="flex" flexWrap="wrap" gap="8px 14px" alignItems="center" marginTop="6px">
            <Box as="code" fontFamily="mono" overflowWrap="anywhere" minWidth="0">
              {made}
            </Box>
            <Press onClick={() => void copyText(made)}>Copy the token</Press>
          </Box>
        </Box>
      )}
      <Box as="section" aria-label="Tokens" marginTop="22px">
        <SheetTitle>Tokens</SheetTitle>
        {tokens.isError && <Notice kind="fault">{sentenceOf(tokens.error)}</Notice>}
        {tokens.data?.length === 0 && <Box paddingBlock="6px">None yet.</Box>}
        <Box as="ul">
          {tokens.data?.map((t) => (
            <Box
              as="li"
              key={t.id}
              display="flex"
              flexWrap="wrap"
              gap="2px 14px"
              alignItems="center"
              paddingBlock="7px"
              borderBottom="1px solid"
              borderColor="rule"
            >
              <Box flex="1 1 240px" minWidth="0" overflowWrap="anywhere">
                <strong>{t.name}</strong> …{t.ends_in}
                <Box color="ink2" fontSize="13px">
                  {t.scopes.join(", ")};{" "}
                  {t.in_force ? `until ${dateOf(t.expires_at)}` : "no longer in force"};{" "}
                  {t.used_at ? `last used ${dateAndTime(t.used_at)}` : "not used yet"}
                </Box>
              </Box>
              {t.in_force && (
                <Press look="quiet" named={t.name} onClick={() => takeBack.mutate(t.id)}>
                  Take back
                </Press>
              )}
            </Box>
          ))}
        </Box>
      </Box>
      <Box as="section" aria-label="Ten calls" marginTop="22px">
        <SheetTitle about="from two sound files to a verdict">Ten calls</SheetTitle>
        <Box as="ol">
          {calls.data?.map((call, n) => (
            <Box as="li" key={n} paddingBlock="6px">
              {n + 1}. {call.title}.
              <Code tabIndex={0} aria-label={`Call ${n + 1}`}>
                {call.typed}
              </Code>
              {call.then && (
                <Box color="ink2" fontSize="13px">
                  Of the answer: {call.then}.
                </Box>
              )}
            </Box>
          ))}
        </Box>
        <Box color="ink2">
          Every other call, each with an example:{" "}
          <chakra.a href="/api/v1/openapi.json" color="ink" textDecoration="underline">
            openapi.json
          </chakra.a>
        </Box>
      </Box>
    </Beside>
  );
}

const Code = chakra("pre", {
  base: {
    fontFamily: "mono",
    fontSize: "12.5px",
    lineHeight: "18px",
    background: "sheet",
    padding: "8px 10px",
    margin: "4px 0",
    overflowX: "auto",
  },
});
