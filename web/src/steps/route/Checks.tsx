/** Checks that explain: what will be heard, the number, one action that mends it. */
import { Box } from "@chakra-ui/react";
import { useState } from "react";

import type { Finding, RigAction, RigView } from "../../api/client";
import { Pennant, Press, SheetTitle } from "../../ui/controls";
import { TextInput } from "../../ui/QuantityField";
import type { Flag } from "./Plan";

const KIND = { alarm: "fault", caution: "caution", note: "note" } as const;
const WORD = { alarm: "Alarm.", caution: "Caution.", note: "Note." } as const;
const COLOUR = { alarm: "diff", caution: "caution", note: "ink" } as const;

/** Numbered flags for the drawing, the same numbers as in the list. */
export function flagsOf(findings: Finding[]): Flag[] {
  return findings
    .filter((f) => !f.intended && f.at)
    .slice(0, 12)
    .map((f, i) => ({ at: f.at, mark: String(i + 1), kind: KIND[f.severity] }));
}

interface Props {
  checks: RigView["checks"];
  onEdit: (action: RigAction) => void;
  onSelect: (id: string) => void;
}

export function Checks({ checks, onEdit, onSelect }: Props) {
  const [all, setAll] = useState(false);
  const open = checks.findings.filter((f) => !f.intended);
  const meant = checks.findings.filter((f) => f.intended);
  const shown = all ? open : open.slice(0, 5);
  const marked = open.filter((f) => f.at);
  const count = (s: Finding["severity"]) => open.filter((f) => f.severity === s).length;
  const counts = [
    [count("alarm"), "alarm"],
    [count("caution"), "caution"],
    [count("note"), "note"],
  ]
    .filter(([n]) => Number(n) > 0)
    .map(([n, word]) => `${n} ${word}${n === 1 ? "" : "s"}`);
  return (
    <Box as="section" aria-label="Checks">
      <SheetTitle about={[...counts, `${checks.passed.length} passed`].join(", ")}>
        Checks
      </SheetTitle>
      <Box as="ol" marginTop="4px" borderTop="1px solid" borderColor="rule">
        {shown.map((finding, i) => (
          <Row
            key={`${finding.check}${finding.at}`}
            finding={finding}
            mark={marked.includes(finding) ? String(marked.indexOf(finding) + 1) : ""}
            primary={i === 0}
            onEdit={onEdit}
            onSelect={onSelect}
          />
        ))}
      </Box>
      {open.length > shown.length && (
        <Press look="quiet" onClick={() => setAll(true)}>
          Show {open.length - shown.length} more
        </Press>
      )}
      {checks.failed.length > 0 && (
        <Box paddingBlock="6px">
          <Box as="strong" color="caution">
            Not worked out:
          </Box>{" "}
          {checks.failed.join(", ")}.
        </Box>
      )}
      {open.length === 0 && (
        <Box display="flex" gap="12px" paddingBlock="8px">
          <Pennant kind="passed" />
          <Box>
            <Box as="strong" color="ok">
              Passed.
            </Box>{" "}
            {checks.passed.length} checks found nothing to say.
          </Box>
        </Box>
      )}
      {open.length > 0 && (
        <Box display="flex" gap="12px" paddingBlock="6px" color="ink2">
          <Pennant kind="passed" />
          <Box>
            <Box as="strong" color="ok">
              Passed.
            </Box>{" "}
            {capital(checks.passed.slice(0, 4).join(", "))}, and{" "}
            {Math.max(0, checks.passed.length - 4)} more
          </Box>
        </Box>
      )}
      {meant.length > 0 && (
        <details>
          <summary>{meant.length} marked as intended</summary>
          {meant.map((f) => (
            <Box
              key={`${f.check}${f.at}`}
              display="flex"
              gap="12px"
              paddingBlock="4px"
              color="ink2"
            >
              <Box flex="1">{f.sentence}</Box>
              <Reason key={f.intended_reason} finding={f} onEdit={onEdit} />
              <Press
                look="quiet"
                onClick={() =>
                  onEdit({ do: "intend", check: f.check, at: f.at, on: false, reason: "" })
                }
              >
                No longer
              </Press>
            </Box>
          ))}
        </details>
      )}
    </Box>
  );
}

/** Why a check is meant: optional, kept with the rig. */
function Reason({ finding, onEdit }: { finding: Finding; onEdit: (action: RigAction) => void }) {
  const [draft, setDraft] = useState(finding.intended_reason);
  const commit = () => {
    if (draft === finding.intended_reason) return;
    onEdit({ do: "intend", check: finding.check, at: finding.at, on: true, reason: draft });
  };
  return (
    <TextInput
      aria-label={`Reason for ${finding.check}`}
      placeholder="reason, if any"
      width="200px"
      maxLength={200}
      value={draft}
      onChange={(event) => setDraft(event.target.value)}
      onBlur={commit}
      onKeyDown={(event) => event.key === "Enter" && commit()}
    />
  );
}

/** 'From it follow 5 more': what goes with the cause. */
function followsOf(finding: Finding): string {
  const n = finding.consequences.length;
  return n === 1 ? "From it follows one more" : `From it follow ${n} more`;
}

function capital(text: string): string {
  return text.charAt(0).toUpperCase() + text.slice(1);
}

function Row({
  finding,
  mark,
  primary,
  onEdit,
  onSelect,
}: {
  finding: Finding;
  mark: string;
  primary: boolean;
  onEdit: (action: RigAction) => void;
  onSelect: (id: string) => void;
}) {
  return (
    <Box
      as="li"
      display="grid"
      gridTemplateColumns={{ base: "24px minmax(0, 1fr)", sm: "24px minmax(0, 1fr) auto" }}
      gap="4px 12px"
      alignItems="center"
      paddingBlock="7px"
      borderBottom="1px solid"
      borderColor="rule"
    >
      <Box alignSelf="start" onClick={() => onSelect(finding.at)} cursor="pointer">
        <Pennant kind={KIND[finding.severity]} mark={mark} />
      </Box>
      <Box minWidth="0">
        <Box as="strong" color={COLOUR[finding.severity]}>
          {WORD[finding.severity]}
        </Box>{" "}
        {finding.sentence}
        {finding.consequences.length > 0 && (
          <Box as="details" fontSize="13px" color="ink2">
            <summary>{followsOf(finding)}</summary>
            <ul style={{ paddingLeft: "16px", listStyle: "disc" }}>
              {finding.consequences.map((c) => (
                <li key={`${c.check}${c.at}`}>
                  <Press
                    look="quiet"
                    minHeight="0"
                    fontSize="13px"
                    fontWeight="400"
                    padding="1px 0"
                    textAlign="left"
                    whiteSpace="normal"
                    onClick={() => onSelect(c.at)}
                  >
                    {c.sentence}
                  </Press>
                </li>
              ))}
            </ul>
          </Box>
        )}
        <Box as="details" fontSize="13px" color="ink2">
          <summary>Why</summary>
          {finding.reason}
        </Box>
      </Box>
      <Box
        display="flex"
        flexWrap="wrap"
        gap="4px 6px"
        justifyContent={{ base: "flex-start", sm: "flex-end" }}
        gridColumn={{ base: "2", sm: "auto" }}
        maxWidth={{ base: "none", sm: "260px" }}
      >
        <Press
          look="quiet"
          hint={primary ? "K" : undefined}
          onClick={() =>
            onEdit({ do: "intend", check: finding.check, at: finding.at, on: true, reason: "" })
          }
        >
          Keep it
        </Press>
        {finding.fix && (
          <Press
            look={primary ? "primary" : "plain"}
            hint={primary ? "F" : undefined}
            onClick={() => onEdit(finding.fix!.action)}
          >
            {finding.fix.label}
          </Press>
        )}
      </Box>
    </Box>
  );
}
