/**
 * One question a view: the picture of a group stays, an index names its tools with their answers, and
 * one of them is open beside it. Each has its own address.
 */
import { Box } from "@chakra-ui/react";
import { type ReactNode } from "react";
import { NavLink, useNavigate } from "react-router";

import { Hint, Pennant, SheetTitle } from "./controls";
import { type Scope, useKey } from "./keys";

export interface Tool {
  id: string;
  name: string;
  /** Its answer in a figure or a word. */
  answer: string;
  kind?: "plain" | "caution" | "passed";
  panel: ReactNode;
}

export interface ToolGroup {
  name: string;
  /** Stays while a tool of the group is open. */
  picture: ReactNode;
  /** The picture takes the room of the tool as well, which then stands under it. */
  wide?: boolean;
  tools: Tool[];
}

interface Props {
  scope: Scope;
  title: string;
  about: string;
  /** Address of the step; a tool's is `base/tool`. */
  base: string;
  open: string | undefined;
  groups: ToolGroup[];
  /** Under the frame: what can be done with it. */
  actions?: ReactNode;
  /** The index lies between picture and tool: the picture needs the whole width. */
  across?: boolean;
}

const COLOURS = { plain: "ink", caution: "caution", passed: "ok" } as const;

/** The tool before or after one, round the end. */
export function beside(ids: string[], open: string, by: number): string {
  const at = Math.max(0, ids.indexOf(open));
  return ids[(at + by + ids.length) % ids.length] ?? open;
}

export function ToolFrame({ scope, title, about, base, open, groups, actions, across }: Props) {
  const navigate = useNavigate();
  const all = groups.flatMap((g) => g.tools);
  const tool = all.find((t) => t.id === open) ?? all[0]!;
  const group = groups.find((g) => g.tools.includes(tool))!;
  const ids = all.map((t) => t.id);
  const rest = group.wide ? "minmax(0, 1fr)" : "minmax(0, 1fr) minmax(0, 1fr)";
  const turn = (by: number) => void navigate(`${base}/${beside(ids, tool.id, by)}`);
  useKey(scope, ",", () => turn(-1));
  useKey(scope, ".", () => turn(1));
  const panel = (
    <Box as="section" aria-label={tool.name} minWidth="0">
      <Box
        display="flex"
        alignItems="baseline"
        borderBottom="1px solid"
        borderColor="ink"
        paddingBottom="3px"
        marginBottom="6px"
      >
        <SheetTitle>{tool.name}</SheetTitle>
        <Box flex="1" />
        <Box display={{ base: "none", lg: "block" }} color="ink2" fontSize="13px">
          <Hint>,</Hint> <Hint>.</Hint> tool before, after
        </Box>
      </Box>
      {tool.panel}
    </Box>
  );
  if (across)
    return (
      <Box>
        {group.picture}
        <Across {...{ title, base, tools: all, tool }} />
        {panel}
      </Box>
    );
  return (
    <Box>
      <Box
        display="grid"
        gridTemplateColumns={{
          base: "minmax(0, 1fr)",
          lg: `236px ${rest}`,
          xl: `256px ${rest}`,
        }}
        gap={{ base: "10px", lg: "0 24px" }}
      >
        <Index {...{ title, about, base, groups, tool }} />
        {!group.wide && <Box minWidth="0">{group.picture}</Box>}
        <Box minWidth="0">
          {group.wide && group.picture && <Box marginBottom="10px">{group.picture}</Box>}
          {panel}
        </Box>
      </Box>
      {actions && (
        <Box
          display="flex"
          flexWrap="wrap"
          gap="8px 12px"
          alignItems="center"
          marginTop="12px"
          paddingTop="8px"
          borderTop="1px solid"
          borderColor="ink"
        >
          {actions}
        </Box>
      )}
    </Box>
  );
}

interface AcrossProps {
  title: string;
  base: string;
  tools: Tool[];
  tool: Tool;
}

function Across({ title, base, tools, tool }: AcrossProps) {
  return (
    <Box
      as="nav"
      aria-label={`${title}: tools`}
      display="flex"
      overflowX="auto"
      marginBlock="8px 10px"
      borderBlock="1px solid"
      borderColor="ink"
    >
      {tools.map((one) => {
        const here = one === tool;
        const kind = one.kind ?? "plain";
        return (
          <NavLink
            key={one.id}
            to={`${base}/${one.id}`}
            style={{ color: "inherit", textDecoration: "none", flex: "1 0 auto" }}
          >
            <Box
              padding="4px 10px"
              minHeight="44px"
              whiteSpace="nowrap"
              borderLeft="1px solid"
              borderColor="fine"
              background={here ? "well" : undefined}
              boxShadow={here ? "inset 0 4px 0 var(--chakra-colors-ink)" : undefined}
              _hover={{ background: "well" }}
            >
              <Box fontWeight={here ? 650 : 400}>{one.name}</Box>
              <Box
                fontSize="13px"
                fontWeight="650"
                color={COLOURS[kind]}
                display="flex"
                gap="4px"
                alignItems="center"
              >
                {kind === "caution" && <Pennant kind="caution" small />}
                {one.answer}
              </Box>
            </Box>
          </NavLink>
        );
      })}
    </Box>
  );
}

interface IndexProps {
  title: string;
  about: string;
  base: string;
  groups: ToolGroup[];
  tool: Tool;
}

function Index({ title, about, base, groups, tool }: IndexProps) {
  return (
    <Box as="nav" aria-label={`${title}: tools`} minWidth="0">
      <Box
        paddingBottom="3px"
        borderBottom={{ lg: "1px solid" }}
        borderColor="ink"
        css={{ "& p": { display: { base: "none", xl: "block" } } }}
      >
        <SheetTitle page about={about}>
          {title}
        </SheetTitle>
      </Box>
      <Box
        display={{ base: "flex", lg: "block" }}
        overflowX={{ base: "auto", lg: "visible" }}
        gap="0 4px"
        paddingBottom={{ base: "2px", lg: 0 }}
      >
        {groups.map((group) => (
          <Box
            key={group.name}
            display={{ base: "flex", lg: "block" }}
            paddingTop={{ lg: "8px" }}
            borderBottom={{ lg: "1px solid" }}
            borderColor="ink"
          >
            <Box display={{ base: "none", lg: "block" }} color="ink2" fontSize="13px">
              {group.name}
            </Box>
            {group.tools.map((one) => (
              <Row key={one.id} to={`${base}/${one.id}`} one={one} here={one === tool} />
            ))}
          </Box>
        ))}
      </Box>
    </Box>
  );
}

function Row({ to, one, here }: { to: string; one: Tool; here: boolean }) {
  const kind = one.kind ?? "plain";
  return (
    <NavLink to={to} style={{ color: "inherit", textDecoration: "none" }}>
      <Box
        display="flex"
        alignItems="center"
        gap="8px"
        minHeight={{ base: "44px", lg: "34px" }}
        paddingInline="8px"
        whiteSpace="nowrap"
        background={here ? "well" : "transparent"}
        boxShadow={here ? "inset 4px 0 0 var(--chakra-colors-ink)" : undefined}
        fontWeight={here ? 650 : 400}
        _hover={{ background: "well" }}
        borderTop={{ lg: "1px solid" }}
        borderColor="fine"
      >
        {one.name}
        <Box flex="1" />
        <Box
          as="span"
          display={{ base: here ? "inline-flex" : "none", md: "inline-flex" }}
          gap="4px"
          alignItems="center"
          fontWeight="650"
          color={COLOURS[kind]}
        >
          {kind === "caution" && <Pennant kind="caution" small />}
          {kind === "passed" && <span aria-hidden>✓</span>}
          {one.answer}
        </Box>
      </Box>
    </NavLink>
  );
}
