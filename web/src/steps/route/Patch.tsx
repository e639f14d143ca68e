/** The patch sheet: what to plug into what, what it draws, and where it stands. Prints alone. */
import { Box, chakra } from "@chakra-ui/react";
import { scaleLinear } from "d3-scale";
import { type FormEvent, useState } from "react";
import { useParams } from "react-router";

import type { RigAction, RigView, Variant } from "../../api/client";
import { ink } from "../../ui/theme";
import { AxisBottom } from "../../charts/axes";
import { Press, SheetTitle, Unseen } from "../../ui/controls";
import { exact } from "../../ui/format";
import { Keep, To } from "../../ui/Links";
import { useWidth } from "../../ui/hooks";
import { Choice, Labelled, TextInput } from "../../ui/QuantityField";
import { Table, Td, Th } from "../../ui/table";

interface Props {
  variant: Variant;
  onEdit: (action: RigAction) => void;
}
type PatchOf = RigView["patch"];
type CableRow = PatchOf["cables"][number];

const end = (number: number | null, name: string) => (number === null ? name : `${number} ${name}`);

export function Patch({ variant, onEdit }: Props) {
  const { patch } = variant.view;
  const { songId = "" } = useParams();
  const [open, setOpen] = useState("");
  const base = `/songs/${songId}/variants/${variant.id}`;
  const rows = patch.channels.flatMap((c) => c.ways.map((way, i) => ({ c, way, first: i === 0 })));
  return (
    <Box overflowX="auto" data-print>
      <Box display="flex" flexWrap="wrap" gap="6px 14px" alignItems="baseline">
        <SheetTitle
          sub
          about={`${patch.cables.length} cables, ${exact(patch.drawn_ma)} mA drawn; the numbers are those of the stage sheet`}
        >
          Patch sheet
        </SheetTitle>
        <To to={`${base}/sheet`} data-no-print>
          Stage sheet
        </To>
        <To to={`${base}/set-up`} data-no-print>
          Set it up
        </To>
        <Keep href={`/api/v1/variants/${variant.id}/patch.csv`} data-no-print>
          Save as CSV
        </Keep>
        <Press look="quiet" data-no-print onClick={() => window.print()}>
          Print
        </Press>
      </Box>
      <Table>
        <thead>
          <tr>
            <Th textAlign="left">Cable</Th>
            <Th textAlign="left">From</Th>
            <Th textAlign="left">To</Th>
            <Th textAlign="left">Connector</Th>
            <Th textAlign="left">Carries</Th>
            <Th>Length</Th>
            <Th data-no-print>
              <Unseen>Change</Unseen>
            </Th>
          </tr>
        </thead>
        <tbody>
          {patch.cables.map((c) => (
            <CableLine
              key={`${c.port} ${c.number}`}
              cable={c}
              variant={variant}
              open={open === c.port && c.port !== ""}
              onOpen={() => setOpen(open === c.port ? "" : c.port)}
              onEdit={(values) => {
                onEdit({ do: "cable", rail: c.port, values } as RigAction);
                setOpen("");
              }}
            />
          ))}
        </tbody>
      </Table>
      <Uncabled patch={patch} onEdit={onEdit} />
      {rows.length > 0 && (
        <Table marginTop="10px">
          <thead>
            <tr>
              <Th textAlign="left">Mixer input</Th>
              <Th textAlign="left">Name</Th>
              <Th textAlign="left">Goes to</Th>
              <Th>Level, dB</Th>
              <Th textAlign="left">And</Th>
            </tr>
          </thead>
          <tbody>
            {rows.map(({ c, way, first }, i) => (
              <tr key={i}>
                <Td textAlign="left">{first ? c.inputs : ""}</Td>
                <Td textAlign="left" fontWeight="650">
                  {first ? c.name : ""}
                </Td>
                <Td textAlign="left">{way.to}</Td>
                <Td>
                  {way.level_db <= -120
                    ? "off"
                    : `${way.level_db > 0 ? "+" : ""}${exact(way.level_db)}`}
                </Td>
                <Td textAlign="left">{wayWords(way)}</Td>
              </tr>
            ))}
          </tbody>
        </Table>
      )}
      {patch.supply.length > 0 && (
        <Box as="p" marginTop="8px">
          Supply:{" "}
          {patch.supply
            .map((s) => `${end(s.number, s.name)} ${exact(s.current_ma)} mA at ${exact(s.volts)} V`)
            .join(", ")}
          .
          {patch.rating_ma !== null &&
            patch.reserve_ma !== null &&
            ` Rated ${exact(patch.rating_ma)} mA: ${exact(patch.reserve_ma)} left.`}
        </Box>
      )}
      <Footprints variant={variant} onEdit={onEdit} />
    </Box>
  );
}

/** What is set on a way through the mixer besides its level. */
export function wayWords(way: PatchOf["channels"][number]["ways"][number]): string {
  const side = way.pan_percent < 0 ? "L" : "R";
  return [
    way.pan_percent ? `pan ${side}${exact(Math.abs(way.pan_percent))}` : "",
    way.width_percent === 100 ? "" : `width ${exact(way.width_percent)} %`,
    way.delay_ms ? `${exact(way.delay_ms)} ms late` : "",
    way.inverted ? "inverted" : "",
    way.muted ? "muted" : "",
  ]
    .filter(Boolean)
    .join(", ");
}

function CableLine({
  cable: c,
  variant,
  open,
  onOpen,
  onEdit,
}: {
  cable: CableRow;
  variant: Variant;
  open: boolean;
  onOpen: () => void;
  onEdit: (values: Record<string, unknown>) => void;
}) {
  const jack = (where: string, name: string) => (name ? `${where}, ${name}` : where);
  return (
    <>
      <tr>
        <Td textAlign="left" fontWeight="650">
          {c.number}
        </Td>
        <Td textAlign="left">{jack(end(c.from_number, c.source), c.from_jack)}</Td>
        <Td textAlign="left">{jack(end(c.to_number, c.target), c.to_jack)}</Td>
        <Td textAlign="left">{[c.plug, c.adaptor].filter(Boolean).join("; ")}</Td>
        <Td textAlign="left">
          {c.level}, {c.carries}
        </Td>
        <Td>{c.length_m === null ? "" : `${exact(c.length_m)} m`}</Td>
        <Td data-no-print>
          {c.port && (
            <Press look="quiet" aria-expanded={open} named={`cable ${c.number}`} onClick={onOpen}>
              Change
            </Press>
          )}
        </Td>
      </tr>
      {open && (
        <tr data-no-print>
          <Td colSpan={7} textAlign="left" background="well">
            <CableFields
              cable={variant.document.rails?.[c.port]?.cable ?? NOTHING_SAID}
              number={c.number}
              onEdit={onEdit}
            />
          </Td>
        </tr>
      )}
    </>
  );
}

type Said = NonNullable<NonNullable<Variant["document"]["rails"]>[string]["cable"]>;
const NOTHING_SAID: Said = { counts: "auto", carries: "auto" };
const TEXTS = [
  ["from_jack", "From jack"],
  ["to_jack", "To jack"],
  ["connector", "Connector"],
  ["adaptor", "Adaptor"],
] as const;

function CableFields({
  cable,
  number,
  onEdit,
}: {
  cable: Said;
  number: number;
  onEdit: (values: Record<string, unknown>) => void;
}) {
  const [fault, setFault] = useState("");
  const keep = (event: FormEvent<HTMLFormElement>) => {
    event.preventDefault();
    const form = new FormData(event.currentTarget);
    const text = (name: string) => (form.get(name) as string).trim();
    const typed = text("length_m").replace(",", ".").replace(/\s*m$/, "");
    const length = typed === "" ? null : Number(typed);
    if (length !== null && !(length >= 0.01 && length <= 500)) {
      setFault(`“${text("length_m")}” is no length: 0.01 to 500 m.`);
      return;
    }
    onEdit({
      ...Object.fromEntries(TEXTS.map(([name]) => [name, text(name) || null])),
      length_m: length,
      carries: text("carries"),
    });
  };
  return (
    <chakra.form onSubmit={keep} aria-label={`Cable ${number}`}>
      <Box display="flex" flexWrap="wrap" gap="6px 12px" alignItems="flex-end">
        {TEXTS.map(([name, label]) => (
          <Labelled key={name} label={label}>
            <TextInput name={name} width="150px" maxLength={60} defaultValue={cable[name] ?? ""} />
          </Labelled>
        ))}
        <Labelled label="Length, m">
          <TextInput name="length_m" width="72px" defaultValue={cable.length_m ?? ""} />
        </Labelled>
        <Labelled label="Carries">
          <Choice name="carries" width="auto" defaultValue={cable.carries ?? "auto"}>
            <option value="auto">as the plan says</option>
            <option value="mono">mono</option>
            <option value="stereo">stereo</option>
          </Choice>
        </Labelled>
        <Press type="submit" look="primary">
          Keep
        </Press>
        <Press onClick={() => onEdit({ counts: "no" })}>It is no cable</Press>
      </Box>
      {fault && (
        <Box role="alert" color="diff">
          {fault}
        </Box>
      )}
    </chakra.form>
  );
}

/** Rails that are no cables, and why; each can be said to be one. */
function Uncabled({ patch, onEdit }: { patch: PatchOf; onEdit: Props["onEdit"] }) {
  if (!patch.uncabled.length) return null;
  return (
    <chakra.details marginTop="6px" data-no-print>
      <chakra.summary cursor="pointer" textDecoration="underline" textUnderlineOffset="3px">
        {patch.uncabled.length} connections are no cables
      </chakra.summary>
      {patch.uncabled.map((u) => (
        <Box key={u.port} display="flex" flexWrap="wrap" gap="0 12px" alignItems="center">
          <span>
            {u.source} to {u.target}: {u.why}
          </span>
          <Press
            look="quiet"
            named={`from ${u.source} to ${u.target}`}
            onClick={() =>
              onEdit({
                do: "cable",
                rail: u.port,
                values: { counts: u.why === "said to be none" ? "auto" : "yes" },
              } as RigAction)
            }
          >
            It is one
          </Press>
        </Box>
      ))}
    </chakra.details>
  );
}

/** The board from above, to scale, with what is given a size. */
function Footprints({ variant, onEdit }: Props) {
  const [frame, width] = useWidth<HTMLDivElement>(280);
  const {
    placed,
    left_over: left,
    board_width_mm: wide,
    board_depth_mm: deepest,
  } = variant.view.patch;
  const size = wide !== null && deepest !== null ? ([wide, deepest] as const) : null;
  const board = variant.document.board ?? {};
  const set = (values: Record<string, number | null>) =>
    onEdit({ do: "rig", board: { ...board, ...values } } as RigAction);
  const across = Math.min(width - 8, 720);
  const x = scaleLinear([0, size?.[0] ?? 1], [4, across]);
  const scale = size ? (across - 4) / size[0] : 1;
  const deep = size ? size[1] * scale : 0;
  return (
    <Box ref={frame} marginTop="10px">
      <SheetTitle
        sub
        about="from above, to scale; a pedal's width and depth are under All settings"
      >
        Board
      </SheetTitle>
      <Box display="flex" flexWrap="wrap" gap="8px 12px" marginBlock="4px" data-no-print>
        <Size
          label="Board width, mm"
          value={board.width_mm ?? null}
          onSet={(v) => set({ width_mm: v })}
        />
        <Size
          label="Board depth, mm"
          value={board.depth_mm ?? null}
          onSet={(v) => set({ depth_mm: v })}
        />
        <Size
          label="Supply rating, mA"
          value={board.supply_ma ?? null}
          onSet={(v) => set({ supply_ma: v })}
        />
      </Box>
      {size && (
        <svg
          width={across + 8}
          height={deep + 34}
          display="block"
          role="img"
          aria-label={`Board of ${size[0]} by ${size[1]} mm with ${placed.length} pedals`}
        >
          <rect
            x="4"
            y="4"
            width={across - 4}
            height={deep}
            fill={ink("sheet")}
            stroke={ink("ink")}
          />
          {placed.map((p) => (
            <g key={`${p.name}${p.x_mm}`}>
              <rect
                x={4 + p.x_mm * scale}
                y={4 + p.y_mm * scale}
                width={p.width_mm * scale}
                height={p.depth_mm * scale}
                fill={ink("well")}
                stroke={ink("ink")}
                strokeWidth="1.25"
              />
              <text
                x={4 + (p.x_mm + p.width_mm / 2) * scale}
                y={4 + (p.y_mm + p.depth_mm / 2) * scale + 4}
                textAnchor="middle"
                fontSize="13"
                fill={ink("ink")}
              >
                {p.width_mm * scale > p.name.length * 7.4
                  ? p.name
                  : `${p.name.slice(0, Math.max(1, Math.floor((p.width_mm * scale) / 8)))}…`}
              </text>
            </g>
          ))}
          <AxisBottom scale={x} at={deep + 6} ticks={x.ticks(5)} unit="mm" />
        </svg>
      )}
      {left.length > 0 && (
        <Box color="diff" fontWeight="650">
          No room for {left.join(", ")}.
        </Box>
      )}
    </Box>
  );
}

function Size({
  label,
  value,
  onSet,
}: {
  label: string;
  value: number | null;
  onSet: (value: number | null) => void;
}) {
  const stored = value === null ? "" : String(value);
  const [draft, setDraft] = useState<string | null>(null);
  const commit = () => {
    if (draft === null || draft === stored) return;
    const number = Number.parseFloat(draft.replace(",", "."));
    onSet(draft.trim() === "" || Number.isNaN(number) ? null : number);
    setDraft(null);
  };
  return (
    <Labelled label={label}>
      <TextInput
        width="120px"
        value={draft ?? stored}
        onChange={(event) => setDraft(event.target.value)}
        onBlur={commit}
        onKeyDown={(event) => event.key === "Enter" && commit()}
      />
    </Labelled>
  );
}
