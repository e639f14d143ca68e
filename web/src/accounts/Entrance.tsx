/** Before signing in: look round the demo, sign in, or sign up. */
import { Box } from "@chakra-ui/react";
import { useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { useNavigate } from "react-router";

import { api, ask, sentenceOf } from "../api/client";
import { ink } from "../ui/theme";
import { enter } from "./enter";
import { Notice, Press, SheetTitle } from "../ui/controls";
import { Labelled, TextInput } from "../ui/QuantityField";

export function Entrance({ demo }: { demo: boolean }) {
  const client = useQueryClient();
  const navigate = useNavigate();
  const [busy, setBusy] = useState(false);
  const [fault, setFault] = useState("");
  const openDemo = async () => {
    setBusy(true);
    try {
      const session = await ask(api.POST("/api/v1/demo"));
      const songs = await ask(api.GET("/api/v1/songs"));
      enter(client, session);
      navigate(songs[0] ? `/songs/${songs[0].id}/route` : "/");
    } catch (problem) {
      setFault(sentenceOf(problem));
      setBusy(false);
    }
  };
  return (
    <Box
      as="main"
      maxWidth="1040px"
      marginInline="auto"
      padding={{ base: "20px 16px", sm: "40px 24px" }}
    >
      <Box
        as="h1"
        fontFamily="title"
        fontSize={{ base: "30px", sm: "40px" }}
        lineHeight="1.15"
        fontWeight="600"
      >
        Fonodrome
      </Box>
      <Box as="p" fontSize="17px" lineHeight="25px" maxWidth="62ch" marginTop="6px">
        Plan parallel and send-return routing, read off delay times that a device can really be set
        to, and prove with a null test whether two signals are the same.
      </Box>
      <Course />
      <Box
        display="grid"
        gridTemplateColumns={{ base: "1fr", md: "1fr 1fr" }}
        gap="28px 48px"
        marginTop="16px"
      >
        <Box as="section">
          <SheetTitle>Look round</SheetTitle>
          <Box as="p" marginBlock="8px 12px">
            A private copy of a made-up studio: the trio Saltmarsh Post, three songs, and five pairs
            of recordings with something to find. Nobody else sees what you do in it.
          </Box>
          {demo ? (
            <Press look="primary" onClick={() => void openDemo()} disabled={busy}>
              {busy ? "Opening" : "Open the demo studio"}
            </Press>
          ) : (
            <Box color="ink2">This installation was started without demo data.</Box>
          )}
          {fault && (
            <Notice kind="fault" word="Not opened.">
              {fault}
            </Notice>
          )}
        </Box>
        <SignForm />
      </Box>
    </Box>
  );
}

function Course() {
  return (
    <Box marginBlock="18px" overflow="hidden">
      <svg
        viewBox="0 0 900 96"
        width="100%"
        role="img"
        aria-label="A course: the dry rail runs straight, the wet rail leaves and comes back, both cross the finish line"
      >
        <rect width="900" height="96" fill={ink("sheet")} />
        <path d="M40 30H852M40 20v20" stroke={ink("ink")} strokeWidth="2.25" fill="none" />
        <path d="M180 30l22 38H330" stroke={ink("ink")} strokeWidth="2.25" fill="none" />
        <path
          d="M330 68H690l22-38"
          stroke={ink("wet")}
          strokeWidth="2.25"
          strokeDasharray="11 4"
          fill="none"
        />
        <circle cx="330" cy="68" r="8" fill={ink("sheet")} stroke={ink("ink")} strokeWidth="2" />
        <circle cx="330" cy="68" r="2.500" fill={ink("ink")} />
        <path d="M174 23l12 7-12 7zM706 23l12 7-12 7z" fill={ink("ink")} />
        <path d="M858 14v68M864 14v68" stroke={ink("ink")} strokeWidth="1.75" />
        <text x="48" y="54" fontSize="14" fill={ink("ink2")}>
          Source
        </text>
        <text x="420" y="22" fontSize="14" fill={ink("ink2")}>
          dry
        </text>
        <text x="345" y="88" fontSize="14" fontStyle="italic" fill={ink("wet")}>
          wet, 319.15 ms later
        </text>
        <text x="846" y="88" fontSize="14" textAnchor="end" fill={ink("ink2")}>
          what counts is what arrives
        </text>
      </svg>
    </Box>
  );
}

function SignForm() {
  const client = useQueryClient();
  const [making, setMaking] = useState(false);
  const [name, setName] = useState("");
  const [password, setPassword] = useState("");
  const [fault, setFault] = useState("");
  const [busy, setBusy] = useState(false);
  const send = async (event: FormEvent) => {
    event.preventDefault();
    setBusy(true);
    setFault("");
    try {
      const body = { name, password };
      const session = await ask(
        making ? api.POST("/api/v1/accounts", { body }) : api.POST("/api/v1/session", { body }),
      );
      enter(client, session);
    } catch (problem) {
      setFault(sentenceOf(problem));
    } finally {
      setBusy(false);
    }
  };
  return (
    <Box as="section">
      <SheetTitle>{making ? "Sign up" : "Sign in"}</SheetTitle>
      <form onSubmit={(event) => void send(event)}>
        <Box display="grid" gap="10px" marginTop="8px" maxWidth="360px">
          <Labelled label="Name">
            <TextInput
              name="username"
              autoComplete="username"
              required
              value={name}
              onChange={(event) => setName(event.target.value)}
            />
          </Labelled>
          <Labelled label={making ? "Password, 10 characters or more" : "Password"}>
            <TextInput
              name="password"
              type="password"
              autoComplete={making ? "new-password" : "current-password"}
              required
              value={password}
              onChange={(event) => setPassword(event.target.value)}
            />
          </Labelled>
          {fault && (
            <Notice kind="fault" word={making ? "Not made." : "Not signed in."}>
              {fault}
            </Notice>
          )}
          <Box display="flex" gap="12px" flexWrap="wrap">
            <Press type="submit" disabled={busy}>
              {making ? "Make my account" : "Sign in"}
            </Press>
            <Press look="quiet" onClick={() => setMaking(!making)}>
              {making ? "I have an account" : "Make an account"}
            </Press>
          </Box>
        </Box>
      </form>
    </Box>
  );
}
