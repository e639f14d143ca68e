/** Checks that explain: what will be heard, the number, one action that mends it, grouped by cause. */
import { Box } from "@chakra-ui/react";
import { memo, type ReactNode, useState } from "react";

import type { Finding, RigAction, RigView } from "../../api/client";
import { Pennant, Press, Unseen } from "../../ui/controls";
import { TextInput } from "../../ui/QuantityField";
import { causesOf, COLOUR, countsOf, KIND, WORD } from "./causes";
import type { Flag } from "./fit";

/** Numbered flags for the drawing, the same numbers as in the list. */
export function flagsOf(findings: Finding[]): Flag[] {
  return findings
    .filter((f) => !f.intended && f.at)
    .slice(0, 12)
    .map((f, i) => ({ at: f.at, mark: String(i + 1), kind: KIND[f.severity] }));
}

export const keyOf = (f: Finding) => `${f.check} ${f.at}`;

interface Props {
  checks: RigView["checks"];
  /** The finding that somebody is about to keep. */
  keeping: string;
  onKeeping: (key: string) => void;
  onEdit: (action: RigAction) => void;
  onSelect: (id: string) => void;
  /** What is found where settings move. */
  moved?: ReactNode;
}

export const Checks = memo(function Checks(props: Props) {
  const { checks, onEdit } = props;
  const [all, setAll] = useState(false);
  const open = checks.findings.filter((f) => !f.intended);
  const kept = checks.findings.filter((f) => f.intended);
  const marked = open.filter((f) => f.at);
  const markOf = (f: Finding) => (marked.includes(f) ? String(marked.indexOf(f) + 1) : "");
  const causes = causesOf(open);
  const shown = all ? causes : causes.slice(0, 5);
  return (
    <Box as="section" aria-label="Checks">
      <Box as="p" fontSize="13px" color="ink2">
        {[...countsOf(open), `${checks.passed.length} passed`].join(", ")}
      </Box>
      {props.moved}
      <Box as="ol" marginTop="2px" borderTop="1.5px solid" borderColor="ink">
        {shown.map(({ first, more }, i) => (
          <Row key={keyOf(first)} {...props} finding={first} mark={markOf(first)} primary={i === 0}>
            {more.length > 0 && (
              <Box as="details" fontSize="13px" color="ink2">
                <summary>
                  {more.length === 1 ? "One more" : `${more.length} more`} of the same cause
                </summary>
                <ol>
                  {more.map((f) => (
                    <Row key={keyOf(f)} {...props} finding={f} mark={markOf(f)} primary={false} />
                  ))}
                </ol>
              </Box>
            )}
          </Row>
        ))}
      </Box>
      {causes.length > shown.length && (
        <Press look="quiet" onClick={() => setAll(true)}>
          Show {causes.length - shown.length} more
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
      <Box display="flex" gap="12px" paddingBlock="6px" color={open.length ? "ink2" : undefined}>
        <Pennant kind="passed" />
        <Box>
          <Box as="strong" color="ok">
            Passed.
          </Box>{" "}
          {open.length === 0 ? (
            `${checks.passed.length} checks found nothing to say.`
          ) : (
            <>
              {capital(checks.passed.slice(0, 4).join(", "))}, and{" "}
              {Math.max(0, checks.passed.length - 4)} more
            </>
          )}
        </Box>
      </Box>
      {kept.length > 0 && (
        <details open={kept.length < 4}>
          <summary>{kept.length} marked as intended</summary>
          <ul>
            {kept.map((f) => (
              <Box
                as="li"
                key={keyOf(f)}
                display="flex"
                flexWrap="wrap"
                alignItems="center"
                gap="4px 12px"
                paddingBlock="4px"
                color="ink2"
              >
                <Box flex="1 1 240px">{f.sentence}</Box>
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
          </ul>
        </details>
      )}
    </Box>
  );
});

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

interface RowProps extends Props {
  finding: Finding;
  mark: string;
  primary: boolean;
  children?: ReactNode;
}

function Row({ finding, mark, primary, children, keeping, onKeeping, onEdit, onSelect }: RowProps) {
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
      <Box alignSelf="start">
        {finding.at ? (
          <Press look="quiet" minHeight="0" padding="0" onClick={() => onSelect(finding.at)}>
            <Pennant kind={KIND[finding.severity]} mark={mark} />
            <Unseen>To the place of: {finding.sentence}</Unseen>
          </Press>
        ) : (
          <Pennant kind={KIND[finding.severity]} mark={mark} />
        )}
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
        {children}
      </Box>
      <Actions {...{ finding, primary, keeping, onKeeping, onEdit }} />
    </Box>
  );
}

interface ActionsProps {
  finding: Finding;
  primary: boolean;
  keeping: string;
  onKeeping: (key: string) => void;
  onEdit: (action: RigAction) => void;
}

/** Keep what is meant, with a reason if there is one; mend the rest. An alarm is kept by a second press. */
export function Actions({ finding, primary, keeping, onKeeping, onEdit }: ActionsProps) {
  if (keeping === keyOf(finding))
    return <Keeping key={keyOf(finding)} finding={finding} onKeeping={onKeeping} onEdit={onEdit} />;
  return (
    <Box
      display="flex"
      flexWrap="wrap"
      gap="4px 6px"
      justifyContent={{ base: "flex-start", sm: "flex-end" }}
      gridColumn={{ base: "2", sm: "auto" }}
      maxWidth={{ base: "none", sm: "300px" }}
    >
      <Press
        look="quiet"
        hint={primary ? "K" : undefined}
        onClick={() => onKeeping(keyOf(finding))}
      >
        Keep it
        <Unseen>: {finding.sentence}</Unseen>
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
  );
}

function Keeping({ finding, onKeeping, onEdit }: Omit<ActionsProps, "primary" | "keeping">) {
  const [reason, setReason] = useState("");
  const [sure, setSure] = useState(finding.severity !== "alarm");
  const keep = () => {
    if (!sure) return setSure(true);
    onEdit({ do: "intend", check: finding.check, at: finding.at, on: true, reason: reason.trim() });
    onKeeping("");
  };
  return (
    <Box
      gridColumn="1 / -1"
      display="flex"
      flexWrap="wrap"
      alignItems="center"
      gap="6px 10px"
      padding="6px 8px"
      background="well"
      flex="1 1 100%"
      onKeyDown={(event) => {
        if (event.key !== "Escape") return;
        event.stopPropagation();
        onKeeping("");
      }}
    >
      <Box flex="1 1 220px">
        <TextInput
          autoFocus
          aria-label="Why it is meant"
          placeholder="Why it is meant, if you like"
          maxLength={200}
          value={reason}
          onChange={(event) => setReason(event.target.value)}
          onKeyDown={(event) => event.key === "Enter" && keep()}
        />
      </Box>
      {finding.severity === "alarm" && sure && (
        <Box color="diff" fontWeight="650">
          This is an alarm: it can hurt ears or gear. Once more, if it is meant.
        </Box>
      )}
      <Press look="primary" hint="Enter" onClick={keep}>
        {finding.severity === "alarm" && sure ? "Keep the alarm all the same" : "It is meant"}
      </Press>
      <Press look="quiet" hint="Esc" onClick={() => onKeeping("")}>
        Leave it open
      </Press>
    </Box>
  );
}
