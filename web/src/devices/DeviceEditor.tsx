/** A device profile as it is typed in: its range first, everything else one press away. */
import { Box, chakra } from "@chakra-ui/react";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { type FormEvent, type ReactNode, useRef, useState } from "react";

import { api, ask, type Device, sentenceOf } from "../api/client";
import { Dialog, Notice, Press, SheetTitle } from "../ui/controls";
import { Choice, fieldsRead, Labelled, QuantityField, TextInput } from "../ui/QuantityField";

export const NEW_DEVICE: Device = {
  name: "",
  min_ms: 20,
  max_ms: 1000,
  step_ms: 1,
  dialled: true,
  tap: false,
  clock: false,
  clock_acts_on: "time",
  subdivisions: [],
  free_min_ms: null,
  free_max_ms: null,
  detents_ms: [],
  dead_zones: [],
  offset_ms: 0,
  offset_percent: 0,
  label_error_percent: 0,
  fixed_ratios: [],
  hold: false,
  hold_volts: null,
  insert_modes: "",
  knob_moves: "",
  blend: "mix",
  mix_min_percent: 0,
  mix_max_percent: 100,
  mix_step_percent: 1,
  level_step_db: 0.1,
  feedback_min_percent: 0,
  feedback_max_percent: 100,
  latency_ms: 0,
  trails: false,
  on_change: "jump",
};

interface Props {
  id?: string;
  profile: Device;
  onClose: () => void;
  onMade: (device: Device) => void;
}

const numbers = (text: string) =>
  text
    .split(/[\s;]+/)
    .map((word) => Number.parseFloat(word.replace(",", ".")))
    .filter((n) => !Number.isNaN(n));

export function DeviceEditor({ id, profile: first, onClose, onMade }: Props) {
  const client = useQueryClient();
  const [profile, setProfile] = useState(first);
  const latest = useRef(profile);
  const set = (values: Partial<Device>) => {
    latest.current = { ...latest.current, ...values };
    setProfile(latest.current);
  };
  const make = useMutation({
    mutationFn: async () => {
      await fieldsRead();
      const body = { ...latest.current, name: latest.current.name.trim() };
      return id
        ? ask(api.PUT("/api/v1/devices/{device_id}", { params: { path: { device_id: id } }, body }))
        : ask(api.POST("/api/v1/devices", { body }));
    },
    onSuccess: async (made) => {
      await client.invalidateQueries({ queryKey: ["devices"] });
      onMade(made.profile);
      onClose();
    },
  });
  const time = (key: "min_ms" | "max_ms" | "step_ms", label: string) => (
    <QuantityField
      label={label}
      kind="time"
      unit="ms"
      value={String(profile[key])}
      onCommit={(read) => set({ [key]: Number(read.value.toFixed(6)) })}
    />
  );
  const number = (key: keyof Device, label: string, optional = false) => (
    <Labelled label={label}>
      <Text
        value={profile[key] === null || profile[key] === undefined ? "" : String(profile[key])}
        onSet={(text) => {
          const value = Number.parseFloat(text.replace(",", ".").replace("−", "-"));
          if (optional && text.trim() === "") set({ [key]: null });
          else if (!Number.isNaN(value)) set({ [key]: value });
        }}
      />
    </Labelled>
  );
  const text = (key: keyof Device, label: string) => (
    <Labelled label={label}>
      <Text value={String(profile[key] ?? "")} onSet={(value) => set({ [key]: value })} />
    </Labelled>
  );
  const flag = (key: keyof Device, label: string) => (
    <label>
      <input
        type="checkbox"
        checked={profile[key] === true}
        onChange={(event) => set({ [key]: event.target.checked })}
      />{" "}
      {label}
    </label>
  );
  const send = (event: FormEvent) => {
    event.preventDefault();
    make.mutate();
  };
  return (
    <Dialog title={id ? `Edit ${first.name}` : "Type in a device"} onClose={onClose}>
      <form onSubmit={send}>
        <Labelled label="What you call it">
          <TextInput
            value={profile.name}
            maxLength={80}
            required
            onChange={(event) => set({ name: event.target.value })}
          />
        </Labelled>
        <Part>
          {time("min_ms", "Shortest time")}
          {time("max_ms", "Longest time")}
          {time("step_ms", "Step")}
        </Part>
        <Box display="flex" flexWrap="wrap" gap="6px 16px">
          {flag("dialled", "times can be dialled")}
          {flag("tap", "has a tap")}
          {flag("clock", "follows a clock")}
          {flag("trails", "trails on bypass")}
        </Box>
        {(profile.tap || profile.clock) && (
          <Part>
            <Labelled label="Subdivisions">
              <Text
                value={profile.subdivisions.join(" ")}
                onSet={(value) => set({ subdivisions: value.split(/[\s,]+/).filter(Boolean) })}
              />
            </Labelled>
            {profile.clock && (
              <Labelled label="A clock ratio acts on">
                <Choice
                  value={profile.clock_acts_on}
                  onChange={(event) =>
                    set({ clock_acts_on: event.target.value as Device["clock_acts_on"] })
                  }
                >
                  <option value="time">the time</option>
                  <option value="rate">the rate</option>
                </Choice>
              </Labelled>
            )}
            {profile.clock && number("free_min_ms", "Free from, ms", true)}
            {profile.clock && number("free_max_ms", "Free to, ms", true)}
          </Part>
        )}
        <chakra.details marginTop="10px" open={id !== undefined}>
          <summary>Knob, offset, mix, feedback, hold and the rest</summary>
          <SheetTitle sub>Knob</SheetTitle>
          <Part>
            <Labelled label="Detents, ms">
              <Text
                value={profile.detents_ms.join(" ")}
                onSet={(value) => set({ detents_ms: numbers(value) })}
              />
            </Labelled>
            <Labelled label="Dead zones, from-to ms">
              <Text
                value={profile.dead_zones.map((z) => `${z.from_ms}-${z.to_ms}`).join(" ")}
                onSet={(value) =>
                  set({
                    dead_zones: value
                      .split(/[\s;]+/)
                      .map((word) => word.split(/[-–]/).map(Number))
                      .filter((pair) => pair.length === 2 && pair.every((n) => !Number.isNaN(n)))
                      .map(([from_ms, to_ms]) => ({ from_ms: from_ms!, to_ms: to_ms! })),
                  })
                }
              />
            </Labelled>
            {text("knob_moves", "One knob moves")}
          </Part>
          <SheetTitle sub>What it really does</SheetTitle>
          <Part>
            {number("offset_ms", "Known offset, ms")}
            {number("offset_percent", "Known offset, %")}
            {number("label_error_percent", "Reading good to, %")}
            {number("latency_ms", "Latency, ms")}
            <Labelled label="Echoes at fixed ratios">
              <Text
                value={profile.fixed_ratios.join(" ")}
                onSet={(value) => set({ fixed_ratios: numbers(value) })}
              />
            </Labelled>
            <Labelled label="Time changed while sounding">
              <Choice
                value={profile.on_change}
                onChange={(event) => set({ on_change: event.target.value as Device["on_change"] })}
              >
                <option value="jump">jumps</option>
                <option value="glide">glides, pitch bends</option>
                <option value="crossfade">crossfades</option>
              </Choice>
            </Labelled>
          </Part>
          <SheetTitle sub>Mix and feedback</SheetTitle>
          <Part>
            <Labelled label="Dry and wet">
              <Choice
                value={profile.blend}
                onChange={(event) => set({ blend: event.target.value as Device["blend"] })}
              >
                <option value="mix">one mix control</option>
                <option value="separate">separate levels</option>
                <option value="kill-dry">dry can be cut</option>
              </Choice>
            </Labelled>
            {number("mix_min_percent", "Mix from, %")}
            {number("mix_max_percent", "Mix to, %")}
            {number("mix_step_percent", "Mix step, %")}
            {number("level_step_db", "Level step, dB")}
            {number("feedback_min_percent", "Feedback from, %")}
            {number("feedback_max_percent", "Feedback to, %")}
          </Part>
          <SheetTitle sub>Sockets and modes</SheetTitle>
          <Part>
            {text("insert_modes", "Modes with an insert in the loop")}
            {number("hold_volts", "Voltage that holds, V", true)}
          </Part>
          {flag("hold", "has a hold input")}
        </chakra.details>
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

function Part({ children }: { children: ReactNode }) {
  return (
    <Box
      display="grid"
      gridTemplateColumns={{ base: "1fr", sm: "1fr 1fr 1fr" }}
      gap="10px"
      marginBlock="10px"
      alignItems="end"
    >
      {children}
    </Box>
  );
}

function Text({ value, onSet }: { value: string; onSet: (text: string) => void }) {
  const [draft, setDraft] = useState<string | null>(null);
  return (
    <TextInput
      value={draft ?? value}
      onChange={(event) => {
        setDraft(event.target.value);
        onSet(event.target.value);
      }}
      onBlur={() => setDraft(null)}
    />
  );
}
