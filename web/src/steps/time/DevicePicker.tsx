/** Which device the delay is to be set on: those that ship, those typed in, or none. */
import { Box } from "@chakra-ui/react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useRef, useState } from "react";

import { api, ask, type Device, sentenceOf } from "../../api/client";
import { announce, Dialog, Notice, Press } from "../../ui/controls";
import { Choice, fieldsRead, Labelled, QuantityField, TextInput } from "../../ui/QuantityField";

interface Props {
  device: Device | null;
  onChoose: (device: Device | null) => void;
}

export function DevicePicker({ device, onChoose }: Props) {
  const client = useQueryClient();
  const [typing, setTyping] = useState(false);
  const devices = useQuery({
    queryKey: ["devices"],
    queryFn: () => ask(api.GET("/api/v1/devices")),
    staleTime: 60_000,
  });
  const rows = devices.data ?? [];
  const same = (p: Device) => JSON.stringify(p) === JSON.stringify(device);
  const at = device === null ? "none" : String(rows.findIndex((row) => same(row.profile)));
  const own = rows.find((row) => row.id && same(row.profile));
  const forget = useMutation({
    mutationFn: (id: string) =>
      ask(api.DELETE("/api/v1/devices/{device_id}", { params: { path: { device_id: id } } })),
    onSuccess: async () => {
      const kept = own?.profile;
      onChoose(null);
      await client.invalidateQueries({ queryKey: ["devices"] });
      announce(`“${kept?.name}” is forgotten.`, {
        action: {
          word: "Undo",
          run: () =>
            void ask(api.POST("/api/v1/devices", { body: kept! })).then((made) => {
              onChoose(made.profile);
              return client.invalidateQueries({ queryKey: ["devices"] });
            }),
        },
      });
    },
    onError: (fault) => announce(sentenceOf(fault), { kind: "fault" }),
  });
  return (
    <Box display="flex" flexWrap="wrap" alignItems="center" gap="6px 12px">
      <Choice
        aria-label="Device"
        width="auto"
        value={at}
        onChange={(event) => {
          const value = event.target.value;
          if (value === "type") setTyping(true);
          else onChoose(value === "none" ? null : (rows[Number(value)]?.profile ?? device));
        }}
      >
        <option value="none">No device</option>
        {at === "-1" && device && <option value="-1">{device.name}</option>}
        {rows.map((row, i) => (
          <option key={row.id ?? row.profile.name} value={String(i)}>
            {row.profile.name}
          </option>
        ))}
        <option value="type">Type one in …</option>
      </Choice>
      {own?.id && (
        <Press look="quiet" onClick={() => forget.mutate(own.id!)}>
          Forget this device
        </Press>
      )}
      {typing && <TypeIn onClose={() => setTyping(false)} onMade={onChoose} />}
    </Box>
  );
}

function TypeIn({ onClose, onMade }: { onClose: () => void; onMade: (device: Device) => void }) {
  const client = useQueryClient();
  const [name, setName] = useState("");
  const [profile, setProfile] = useState({ min_ms: 20, max_ms: 1000, step_ms: 1 });
  const latest = useRef(profile);
  const make = useMutation({
    mutationFn: async () => {
      await fieldsRead();
      return ask(api.POST("/api/v1/devices", { body: { name: name.trim(), ...latest.current } }));
    },
    onSuccess: async (made) => {
      await client.invalidateQueries({ queryKey: ["devices"] });
      onMade(made.profile);
      onClose();
    },
  });
  const field = (key: keyof typeof profile, label: string) => (
    <QuantityField
      label={label}
      kind="time"
      unit="ms"
      value={String(profile[key])}
      onCommit={(read) => {
        latest.current = { ...latest.current, [key]: Number(read.value.toFixed(6)) };
        setProfile(latest.current);
      }}
    />
  );
  const send = (event: FormEvent) => {
    event.preventDefault();
    make.mutate();
  };
  return (
    <Dialog title="Type in a device" onClose={onClose}>
      <form onSubmit={send}>
        <Labelled label="What you call it">
          <TextInput
            value={name}
            maxLength={80}
            required
            onChange={(event) => setName(event.target.value)}
          />
        </Labelled>
        <Box
          display="grid"
          gridTemplateColumns={{ base: "1fr", sm: "1fr 1fr 1fr" }}
          gap="10px"
          marginTop="10px"
        >
          {field("min_ms", "Shortest time")}
          {field("max_ms", "Longest time")}
          {field("step_ms", "Step")}
        </Box>
        {make.isError && (
          <Notice kind="fault" word="Not kept.">
            {sentenceOf(make.error)}
          </Notice>
        )}
        <Box display="flex" gap="10px" marginTop="8px">
          <Press onClick={onClose} hint="Esc">
            Leave it
          </Press>
          <Press type="submit" look="primary" disabled={make.isPending}>
            Keep this device
          </Press>
        </Box>
      </form>
    </Dialog>
  );
}
