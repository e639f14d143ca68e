/** The stage sheet as pages of A4 in one ink; the same on the screen as on paper. */
import { Box, chakra } from "@chakra-ui/react";
import type { ReactNode } from "react";

import { dateAndTime, exact, num } from "../ui/format";
import { Drawing } from "./Drawing";
import {
  ACROSS,
  type Block,
  cellWords,
  COLUMN,
  type Density,
  fewest,
  type Page,
  courseOf,
  end,
  linesIn,
  PAPER,
  pagesOf,
  plugsOf,
  type Piece,
  rowHeight,
  scenesBeside,
  type Sheet,
  SIZES,
  type TableRow,
  tableOf,
} from "./sheet";

const NOTE_LINE = 22;
/** Scenes in one table of their own. */
const SCENES_ACROSS = 8;

interface Part {
  block: Block;
  show: (piece: Piece) => ReactNode;
}

interface Laid {
  pages: Page[];
  parts: Map<string, Part>;
}

/** All parts of a sheet, and how they fall on pages. */
function laidOut(sheet: Sheet, printedAt: Date, density: Density): Laid {
  const rows = tableOf(sheet);
  const beside = scenesBeside(sheet);
  const full = [
    headPart(sheet, printedAt),
    drawingPart(sheet),
    setPart(sheet, rows, beside, density),
  ];
  if (!beside) full.push(...scenesParts(sheet));
  const left = [timesPart(sheet, density), cablesPart(sheet, density)];
  const right = [
    movesPart(sheet, density),
    powerPart(sheet, density),
    boardPart(sheet, density),
    mixerPart(sheet, density),
    notesPart(sheet, density),
  ];
  const known = (parts: (Part | null)[]) => parts.filter((p) => p !== null);
  const [a, b, c] = [known(full), known(left), known(right)];
  const blocks = (parts: Part[]) => parts.map((p) => p.block);
  return {
    pages: pagesOf(blocks(a), blocks(b), blocks(c)),
    parts: new Map([...a, ...b, ...c].map((p) => [p.block.key, p])),
  };
}

export function Paper({ sheet, printedAt }: { sheet: Sheet; printedAt: Date }) {
  const { pages, parts } = fewest((density) => laidOut(sheet, printedAt, density));
  const draw = (piece: Piece) => (
    <Box key={`${piece.key} ${piece.from}`}>{parts.get(piece.key)!.show(piece)}</Box>
  );
  return (
    <Box data-paper>
      {pages.map((page, n) => (
        <Box
          key={n}
          as="section"
          aria-label={`Page ${n + 1} of ${pages.length}`}
          data-page
          position="relative"
          width={`${PAPER.width}px`}
          height={`${PAPER.height}px`}
          paddingInline={`${PAPER.margin}px`}
          paddingTop={`${PAPER.top}px`}
          background="white"
          color="black"
          overflow="hidden"
          fontSize="12.5px"
          lineHeight="15px"
        >
          {page.full.map(draw)}
          <Box display="flex" gap="26px">
            {[page.left, page.right].map((pieces, side) => (
              <Box key={side} width={`${COLUMN}px`}>
                {pieces.map(draw)}
              </Box>
            ))}
          </Box>
          <Foot sheet={sheet} page={n + 1} pages={pages.length} />
        </Box>
      ))}
    </Box>
  );
}

// Head and foot ------------------------------------------------------------------------------------
function headPart(sheet: Sheet, at: Date): Part {
  const { facts, tempo } = sheet;
  const about = [
    facts.players && `${facts.players}.`,
    `${facts.rig}, variant ${facts.variant}.`,
    sheet.scene ? `Scene ${sheet.scene} alone.` : "",
  ];
  const told = `${about.filter(Boolean).join(" ")} Made ${dateAndTime(at)}; one ink: dashed and italic is wet.`;
  const room = ACROSS - 200;
  const title = linesIn(facts.song, room, 27, true) * 32;
  const lines = linesIn(told, room, 12.5) + (tempo.note ? linesIn(tempo.note, room, 12.5) : 0);
  return {
    block: { key: "head", head: Math.max(70, title + lines * 15 + 10), rows: [] },
    show: () => (
      <Box
        display="flex"
        justifyContent="space-between"
        gap="10px"
        borderBottom="2px solid black"
        minHeight={`${Math.max(70, title + lines * 15 + 10)}px`}
      >
        <Box width={`${room}px`}>
          <Box
            as="h1"
            fontFamily="title"
            fontSize="27px"
            lineHeight="32px"
            fontWeight="600"
            overflowWrap="anywhere"
          >
            {facts.song}
          </Box>
          <Box overflowWrap="anywhere">{told}</Box>
          {tempo.note && <Box>{tempo.note}</Box>}
        </Box>
        <Box display="flex" gap="12px" alignItems="flex-start" flexShrink={0}>
          <Box fontSize="44px" lineHeight="50px" fontWeight="700">
            {exact(tempo.bpm)}
          </Box>
          <Box paddingTop="6px">
            <Box fontSize="15px" lineHeight="18px" fontWeight="650">
              {tempo.metre}
            </Box>
            <Box>beat {tempo.beat_unit}</Box>
            <Box>
              <strong>{num(tempo.beat_ms, 1)}</strong> ms
            </Box>
          </Box>
        </Box>
      </Box>
    ),
  };
}

function Foot({ sheet, page, pages }: { sheet: Sheet; page: number; pages: number }) {
  return (
    <Box
      data-foot
      position="absolute"
      insetInline={`${PAPER.margin}px`}
      bottom="10px"
      fontSize="11px"
      lineHeight="14px"
      display="flex"
      justifyContent="space-between"
      gap="10px"
    >
      <Box overflow="hidden" textOverflow="ellipsis" whiteSpace="nowrap">
        Stage sheet {page} of {pages}, revision {sheet.facts.saved}
      </Box>
      <Box as="span" borderInline="2px solid black" width="6px" height="13px" flexShrink={0} />
    </Box>
  );
}

// Across -------------------------------------------------------------------------------------------
function drawingPart(sheet: Sheet): Part {
  const course = courseOf(sheet);
  return {
    block: { key: "drawing", head: 2, rows: course.decks.map(() => course.deckHeight), foot: 20 },
    show: ({ from, to }) => (
      <Box borderBottom="2px solid black" paddingTop="2px">
        <Drawing sheet={sheet} course={course} decks={course.decks.slice(from, to)} />
        <Box height="18px" fontSize="11px">
          Round or barred: stage, in the table. Square: cable, in the list. Dashed: wet.
        </Box>
      </Box>
    ),
  };
}

const Cell = chakra("div", { base: { overflowWrap: "anywhere", minWidth: 0 } });

function NumberMark({ row }: { row: TableRow }) {
  return row.box ? (
    <Box
      as="span"
      display="inline-flex"
      alignItems="center"
      justifyContent="center"
      minWidth="18px"
      height="17px"
      border="1.5px solid black"
      borderRadius="9px"
      fontWeight="650"
      fontSize="11.5px"
    >
      {row.number}
    </Box>
  ) : (
    <Box as="span" paddingLeft="5px" fontWeight="650">
      {row.number}
    </Box>
  );
}

function setPart(sheet: Sheet, rows: TableRow[], beside: boolean, { pad }: Density): Part | null {
  if (!rows.length) return null;
  const scenes = beside ? sheet.scenes : [];
  const columns = `${SIZES.number}px ${SIZES.name}px minmax(0, 1fr) ${scenes.map(() => `${SIZES.scene}px`).join(" ")}`;
  const head = scenes.length ? 46 : 30;
  return {
    block: { key: "set", head, rows: rows.map((r) => rowHeight(r, scenes.length, pad)), foot: 18 },
    show: ({ from, to }) => (
      <Box>
        <Box
          display="grid"
          gridTemplateColumns={columns}
          alignItems="end"
          height={`${head}px`}
          borderBottom="1.5px solid black"
          paddingBottom="3px"
        >
          <Box gridColumn="1 / 4" display="flex" alignItems="baseline" gap="10px">
            <Title>{from ? "Set to, further" : "Set to"}</Title>
            <span>as the device shows it</span>
          </Box>
          {scenes.map((scene) => (
            <Box key={scene.name} textAlign="center" fontSize="11px" lineHeight="13px">
              <Box fontWeight="650" overflow="hidden" maxHeight="26px" overflowWrap="anywhere">
                {scene.name}
              </Box>
              {scene.program !== null && <Box>program {scene.program}</Box>}
            </Box>
          ))}
        </Box>
        {rows.slice(from, to).map((row, i) => (
          <Box
            key={row.number}
            display="grid"
            gridTemplateColumns={columns}
            minHeight={`${rowHeight(row, scenes.length, pad)}px`}
            alignItems="center"
            borderBottom="1px solid #888"
          >
            <Cell>
              <NumberMark row={row} />
            </Cell>
            <Cell
              fontWeight="650"
              fontStyle={row.wet && row.box ? "italic" : undefined}
              paddingRight="6px"
            >
              {row.name}
            </Cell>
            <Cell fontWeight="650" paddingRight="8px">
              {row.said}
              {row.beside && (
                <Box fontSize="11px" lineHeight="13.5px" fontWeight="400">
                  {row.beside}
                </Box>
              )}
            </Cell>
            {scenes.map((scene, n) => (
              <SceneBar key={scene.name} cell={row.scenes[n]} first={i === 0} />
            ))}
          </Box>
        ))}
        <Box height="18px" fontSize="11px" paddingTop="2px">
          {scenes.length > 0 && "Bar: on. Ring: off. Words: another setting in that scene."}
        </Box>
      </Box>
    ),
  };
}

function SceneBar({ cell }: { cell: TableRow["scenes"][number] | undefined; first: boolean }) {
  if (!cell) return <span />;
  if (!cell.on)
    return (
      <Box display="flex" justifyContent="center" title="off">
        <Box
          role="img"
          aria-label="off"
          width="10px"
          height="10px"
          borderRadius="5px"
          border="1.5px solid black"
        />
      </Box>
    );
  const words = cellWords(cell);
  return (
    <Box
      position="relative"
      paddingInline="3px"
      minHeight="15px"
      display="flex"
      alignItems="center"
    >
      {words ? (
        <Box
          width="100%"
          border="1.2px solid black"
          textAlign="center"
          fontSize="11px"
          lineHeight="12px"
          fontWeight="650"
          overflowWrap="anywhere"
        >
          {words}
        </Box>
      ) : (
        <Box role="img" aria-label="on" width="100%" height="4px" background="black" />
      )}
    </Box>
  );
}

function scenesParts(sheet: Sheet): Part[] {
  const rows = sheet.rows.filter((r) => r.scenes.some((c) => c.changed || !c.on));
  const shown = rows.length ? rows : sheet.rows;
  const parts: Part[] = [];
  for (let from = 0; from < sheet.scenes.length; from += SCENES_ACROSS) {
    const scenes = sheet.scenes.slice(from, from + SCENES_ACROSS);
    const width = Math.floor((ACROSS - SIZES.number - SIZES.name) / SCENES_ACROSS);
    const columns = `${SIZES.number}px ${SIZES.name}px ${scenes.map(() => `${width}px`).join(" ")}`;
    const high = (row: (typeof shown)[number]) =>
      Math.max(
        linesIn(row.name, SIZES.name - 6, 12.5, true) * 15,
        ...scenes.map(
          (_, n) => linesIn(cellWords(row.scenes[from + n]!), width - 8, 11, true) * 12 + 3,
        ),
      ) + 7;
    parts.push({
      block: { key: `scenes ${from}`, head: 60, rows: shown.map(high) },
      show: (piece) => (
        <Box>
          <Box
            display="grid"
            gridTemplateColumns={columns}
            height="60px"
            alignItems="end"
            borderBottom="1.5px solid black"
            paddingBottom="3px"
          >
            <Box gridColumn="1 / 3">
              <Title>Scenes</Title>
              <Box fontSize="11px">what they change</Box>
            </Box>
            {scenes.map((scene) => (
              <Box key={scene.name} textAlign="center" fontSize="11px" lineHeight="12px">
                <Box fontWeight="650" maxHeight="36px" overflow="hidden" overflowWrap="anywhere">
                  {scene.name}
                </Box>
                {scene.program !== null && `program ${scene.program}`}
              </Box>
            ))}
          </Box>
          {shown.slice(piece.from, piece.to).map((row) => (
            <Box
              key={row.id}
              display="grid"
              gridTemplateColumns={columns}
              minHeight={`${high(row)}px`}
              alignItems="center"
              borderBottom="1px solid #888"
            >
              <Cell fontWeight="650">{row.number}</Cell>
              <Cell fontWeight="650">{row.name}</Cell>
              {scenes.map((scene, n) => (
                <SceneBar key={scene.name} cell={row.scenes[from + n]} first={false} />
              ))}
            </Box>
          ))}
        </Box>
      ),
    });
  }
  return parts;
}

// In columns ---------------------------------------------------------------------------------------
function Title({ children }: { children: ReactNode }) {
  return (
    <Box as="h2" fontFamily="title" fontSize="15px" lineHeight="20px" fontWeight="600">
      {children}
    </Box>
  );
}

/** A titled list of rows that are all as high as was said. */
function list(
  { title: titleHeight, gap }: Density,
  key: string,
  title: string,
  about: string,
  heights: number[],
  row: (i: number) => ReactNode,
  top?: ReactNode,
  topHeight = 0,
): Part {
  const head = titleHeight + (about ? 15 * linesIn(about, COLUMN, 11) : 0) + topHeight + 6;
  return {
    block: { key, head, rows: heights, foot: gap },
    show: ({ from, to }) => (
      <Box paddingBottom={`${gap}px`}>
        <Box
          height={`${head}px`}
          borderBottom="1.5px solid black"
          display="flex"
          flexDirection="column"
          justifyContent="flex-end"
          paddingBottom="2px"
        >
          <Title>{from ? `${title}, further` : title}</Title>
          {about && <Box fontSize="11px">{about}</Box>}
          {top}
        </Box>
        {heights.slice(from, to).map((height, i) => (
          <Box
            key={from + i}
            minHeight={`${height}px`}
            borderBottom="1px solid #888"
            display="flex"
            alignItems="center"
          >
            {row(from + i)}
          </Box>
        ))}
      </Box>
    ),
  };
}

function timesPart(sheet: Sheet, density: Density): Part {
  const devices = sheet.devices.slice(0, 2);
  const columns = `minmax(0, 1fr) 62px 50px ${devices.map(() => "66px").join(" ")}`;
  const about = devices.map((d, i) => `${devices.length > 1 ? `set ${i + 1}` : "set to"}: ${d}`);
  return list(
    density,
    "times",
    `Times at ${exact(sheet.tempo.bpm)}`,
    about.join("; "),
    sheet.times.map(() => density.row),
    (i) => {
      const t = sheet.times[i]!;
      return (
        <Box
          width="100%"
          display="grid"
          gridTemplateColumns={columns}
          textAlign="right"
          fontWeight={t.used ? 700 : 400}
          border={t.used ? "1.5px solid black" : undefined}
          paddingInline="3px"
        >
          <Box textAlign="left">{t.note}</Box>
          <Box>{num(t.ms, 1)}</Box>
          <Box>{num(t.hz, 2)}</Box>
          {devices.map((d, n) => (
            <Box key={d}>{t.set_to[n] == null ? "beyond" : exact(t.set_to[n])}</Box>
          ))}
        </Box>
      );
    },
    <Box display="grid" gridTemplateColumns={columns} textAlign="right" paddingInline="3px">
      <Box textAlign="left">note</Box>
      <Box>ms</Box>
      <Box>Hz</Box>
      {devices.map((d, n) => (
        <Box key={d}>{devices.length > 1 ? `set ${n + 1}` : "set to"}</Box>
      ))}
    </Box>,
    15,
  );
}

function movesPart(sheet: Sheet, density: Density): Part | null {
  if (!sheet.moves.length) return null;
  const middle = sheet.moves.find((m) => m.bpm === sheet.tempo.bpm);
  return list(
    density,
    "moves",
    "If the tempo moves",
    `beats a minute; below them ${sheet.moved_by}`,
    [46],
    () => (
      <Box
        width="100%"
        display="grid"
        gridTemplateColumns={`repeat(${sheet.moves.length}, minmax(0, 1fr))`}
        textAlign="center"
      >
        {sheet.moves.map((m) => (
          <Box
            key={m.bpm}
            border={m === middle ? "1.5px solid black" : "1.5px solid transparent"}
            fontWeight={m === middle ? 700 : 400}
          >
            <Box borderBottom="1.5px solid black" paddingBlock="2px">
              {exact(m.bpm)}
            </Box>
            <Box paddingBlock="2px">{m.set_to === null ? num(m.ms, 1) : exact(m.set_to)}</Box>
          </Box>
        ))}
      </Box>
    ),
  );
}

function powerPart(sheet: Sheet, density: Density): Part | null {
  const { patch } = sheet;
  if (!patch.supply.length) return null;
  const most = Math.max(patch.rating_ma ?? 0, ...patch.supply.map((s) => s.current_ma));
  const about =
    patch.rating_ma !== null && patch.reserve_ma !== null
      ? `${exact(patch.drawn_ma)} of ${exact(patch.rating_ma)} mA, ${exact(patch.reserve_ma)} left`
      : `${exact(patch.drawn_ma)} mA in all`;
  return list(
    density,
    "power",
    "Power",
    about,
    patch.supply.map(() => density.row),
    (i) => {
      const s = patch.supply[i]!;
      return (
        <Box
          width="100%"
          display="grid"
          gridTemplateColumns="minmax(0, 1fr) 90px 42px 66px"
          gap="6px"
          alignItems="center"
        >
          <Box overflow="hidden" textOverflow="ellipsis" whiteSpace="nowrap">
            {end(s.number, s.name)}
          </Box>
          <Box border="1px solid black" height="9px">
            <Box
              background="black"
              height="100%"
              width={`${Math.min(100, (100 * s.current_ma) / most)}%`}
            />
          </Box>
          <Box textAlign="right">{exact(s.volts)} V</Box>
          <Box textAlign="right">{exact(s.current_ma)} mA</Box>
        </Box>
      );
    },
  );
}

function cablesPart(sheet: Sheet, density: Density): Part | null {
  const { cables } = sheet.patch;
  if (!cables.length) return null;
  const plugs = plugsOf(cables);
  const rows = cables.map((c) => ({
    c,
    from: [end(c.from_number, c.source), c.from_jack].filter(Boolean).join(", "),
    to: [`to ${[end(c.to_number, c.target), c.to_jack].filter(Boolean).join(", ")}`, c.adaptor]
      .filter(Boolean)
      .join("; "),
    plug: `${plugs.letter(c.plug)}${c.carries === "stereo" ? ", st" : ""}`,
  }));
  const half = (COLUMN - 24 - 30 - 32) / 2;
  return list(
    density,
    "cables",
    "Cables",
    `${plugs.words}; st: stereo; metres`,
    rows.map(
      (r) =>
        Math.max(linesIn(r.from, half - 6, 12), linesIn(r.to, half - 4, 12)) * 14 +
        Math.max(3, Math.min(4, density.pad)),
    ),
    (i) => {
      const r = rows[i]!;
      return (
        <Box
          width="100%"
          display="grid"
          gridTemplateColumns={`24px ${half}px ${half}px 30px 32px`}
          fontSize="12px"
          lineHeight="14px"
          alignItems="center"
        >
          <Box
            border="1.2px solid black"
            width="19px"
            lineHeight="13px"
            textAlign="center"
            fontSize="11.5px"
          >
            {r.c.number}
          </Box>
          <Cell paddingRight="6px">{r.from}</Cell>
          <Cell>{r.to}</Cell>
          <Box>{r.plug}</Box>
          <Box textAlign="right">{r.c.length_m === null ? "" : exact(r.c.length_m)}</Box>
        </Box>
      );
    },
  );
}

/** The board from above, to scale. */
function boardPart(sheet: Sheet, density: Density): Part | null {
  const { placed, left_over: left, board_width_mm: wide, board_depth_mm: deep } = sheet.patch;
  if (wide === null || deep === null || !placed.length) return null;
  const scale = Math.min((COLUMN - 4) / wide, 150 / deep);
  const words = left.length ? `no room for ${left.join(", ")}` : "";
  const about = `${exact(wide)} by ${exact(deep)} mm, from above${words ? `; ${words}` : ""}`;
  return list(density, "board", "Board", about, [deep * scale + 10], () => (
    <svg
      width={wide * scale + 4}
      height={deep * scale + 4}
      role="img"
      aria-label={`Board with ${placed.length} pedals`}
    >
      <rect
        x="1"
        y="1"
        width={wide * scale}
        height={deep * scale}
        fill="white"
        stroke="black"
        strokeWidth="1.5"
      />
      {placed.map((f) => {
        const [w, h] = [f.width_mm * scale, f.depth_mm * scale];
        const { number } = f;
        return (
          <g
            key={`${f.x_mm} ${f.y_mm}`}
            transform={`translate(${1 + f.x_mm * scale}, ${1 + f.y_mm * scale})`}
          >
            <rect width={w} height={h} fill="white" stroke="black" />
            <text x={w / 2} y={h / 2 + 4} textAnchor="middle" fontSize="11.5" fontWeight="650">
              {fits(end(number, f.name), w - 4) ? end(number, f.name) : (number ?? "")}
            </text>
          </g>
        );
      })}
    </svg>
  ));
}

const fits = (text: string, room: number): boolean => linesIn(text, room, 11.5, true) === 1;

function mixerPart(sheet: Sheet, density: Density): Part | null {
  const rows = sheet.patch.channels.flatMap((c) =>
    c.ways.map((way, i) => ({ c, way, first: i === 0 })),
  );
  if (!rows.length) return null;
  const words = (way: (typeof rows)[number]["way"]) =>
    [
      way.pan_percent
        ? `pan ${way.pan_percent < 0 ? "L" : "R"}${exact(Math.abs(way.pan_percent))}`
        : "",
      way.width_percent !== 100 ? `width ${exact(way.width_percent)} %` : "",
      way.delay_ms ? `${exact(way.delay_ms)} ms` : "",
      way.inverted ? "inverted" : "",
      way.muted ? "muted" : "",
    ]
      .filter(Boolean)
      .join(", ");
  const from = (r: (typeof rows)[number]) => (r.first ? `${r.c.inputs}  ${r.c.name}` : "");
  const to = (r: (typeof rows)[number]) =>
    `to ${r.way.to}${words(r.way) ? `: ${words(r.way)}` : ""}`;
  const width = (COLUMN - 56) / 2;
  return list(
    density,
    "mixer",
    "Mixer",
    "inputs, where each goes, and at what level in all",
    rows.map(
      (r) => Math.max(linesIn(from(r), width - 6, 12), linesIn(to(r), width - 4, 12)) * 14 + 4,
    ),
    (i) => {
      const r = rows[i]!;
      return (
        <Box
          width="100%"
          display="grid"
          gridTemplateColumns={`${width}px ${width}px 56px`}
          fontSize="12px"
          lineHeight="14px"
        >
          <Cell fontWeight="650" paddingRight="6px">
            {from(r)}
          </Cell>
          <Cell>{to(r)}</Cell>
          <Box textAlign="right" fontWeight="650">
            {r.way.level_db <= -120 ? "off" : `${exact(r.way.level_db)} dB`}
          </Box>
        </Box>
      );
    },
  );
}

function notesPart(sheet: Sheet, density: Density): Part | null {
  const { verified } = sheet.facts;
  const null_ = verified
    ? `Null test of ${new Date(verified.at).toISOString().slice(0, 10)}: ${verified.sentence}`
    : "No null test yet.";
  const said = [...sheet.cautions.map((c) => `Caution. ${c}`), ...sheet.notes, null_];
  // Room to write by hand.
  const empty = Math.max(0, density.lines - said.length) + (density.lines ? 1 : 0);
  if (!said.length && !empty) return null;
  const heights = [
    ...said.map((s) => linesIn(s, COLUMN - 4, 12) * 14 + 5),
    ...Array<number>(empty).fill(NOTE_LINE),
  ];
  return list(density, "notes", "Notes", "", heights, (i) => (
    <Cell fontSize="12px" lineHeight="14px">
      {said[i] ?? ""}
    </Cell>
  ));
}
