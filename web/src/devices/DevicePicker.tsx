/** Which device the delay is to be set on: those that ship, those typed in, or none. */
import { Box } from "@chakra-ui/react";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { api, ask, type Device, sentenceOf } from "../api/client";
import { announce, Press } from "../ui/controls";
import { Choice } from "../ui/QuantityField";
import { DeviceEditor, NEW_DEVICE } from "./DeviceEditor";
import { useDevices } from "./queries";

interface Props {
  device: Device | null;
  onChoose: (device: Device | null) => void;
}

export function DevicePicker({ device, onChoose }: Props) {
  const client = useQueryClient();
  const [typing, setTyping] = useState<{ id?: string; profile: Device } | null>(null);
  const rows = useDevices().data ?? [];
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
          if (value === "type") setTyping({ profile: NEW_DEVICE });
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
      {own?.id && (
        <Press look="quiet" onClick={() => setTyping({ id: own.id!, profile: own.profile })}>
          Edit it
        </Press>
      )}
      {typing && (
        <DeviceEditor
          id={typing.id}
          profile={typing.profile}
          onClose={() => setTyping(null)}
          onMade={onChoose}
        />
      )}
    </Box>
  );
}
