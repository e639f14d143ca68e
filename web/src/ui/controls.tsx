/** The small parts that every screen is made of. */
import { Box, chakra } from "@chakra-ui/react";
import { type ComponentProps, type ReactNode, useEffect, useRef } from "react";

type ButtonProps = ComponentProps<typeof chakra.button> & {
  look?: "plain" | "primary" | "quiet";
  hint?: string;
  /** Goes on after the words, for those who hear them: "Delete" named "the test of A". */
  named?: string;
};

const PlainButton = chakra("button");

/** A button says what a press will do; `hint` prints its key beside the words. */
export function Press({ look = "plain", hint, named, children, ...rest }: ButtonProps) {
  return (
    <PlainButton type="button" css={buttonCss(look)} {...rest}>
      {children}
      {named && <Unseen> {named}</Unseen>}
      {hint && <Hint>{hint}</Hint>}
    </PlainButton>
  );
}

export function buttonCss(look: "plain" | "primary" | "quiet") {
  return {
    display: "inline-flex",
    alignItems: "center",
    justifyContent: "center",
    gap: "8px",
    minHeight: { base: "44px", sm: "31px" },
    paddingInline: look === "quiet" ? "4px" : "12px",
    borderRadius: "3px",
    border: "1.5px solid",
    borderColor: look === "quiet" ? "transparent" : "ink",
    background: look === "primary" ? "ink" : "transparent",
    color: look === "primary" ? "paper" : "ink",
    fontSize: "14px",
    fontWeight: 600,
    lineHeight: "19px",
    cursor: "pointer",
    textDecoration: look === "quiet" ? "underline" : "none",
    textUnderlineOffset: "3px",
    _hover: look === "primary" ? { textDecoration: "underline" } : { background: "well" },
    _disabled: {
      borderStyle: "dashed",
      borderColor: look === "quiet" ? "transparent" : "edge",
      textDecoration: "none",
      background: "transparent",
      color: "ink2",
      cursor: "default",
    },
  } as const;
}

/** Words for those who hear the page; what is seen stays a part of a control's name. */
export function Unseen({ children }: { children: ReactNode }) {
  return (
    <Box as="span" srOnly>
      {children}
    </Box>
  );
}

export function Hint({ children }: { children: ReactNode }) {
  return (
    <Box
      as="kbd"
      aria-hidden
      display={{ base: "none", sm: "inline-block" }}
      minWidth="20px"
      paddingInline="5px"
      border="1px solid"
      borderColor="edge"
      borderRadius="2px"
      fontFamily="body"
      fontSize="13px"
      lineHeight="17px"
      fontWeight="400"
      textAlign="center"
      color="inherit"
    >
      {children}
    </Box>
  );
}

/** A sheet title with what it is about in plain words beside it. */
export function SheetTitle({
  children,
  about,
  sub = false,
  page = false,
}: {
  children: ReactNode;
  about?: ReactNode;
  sub?: boolean;
  /** The one heading that names the page. */
  page?: boolean;
}) {
  return (
    <Box display="flex" flexWrap="wrap" alignItems="baseline" columnGap="12px" minWidth="0">
      <Box
        as={page ? "h1" : "h2"}
        fontFamily="title"
        fontWeight="600"
        fontSize={sub ? "15px" : "17px"}
      >
        {children}
      </Box>
      {about && (
        <Box as="p" color="ink2" fontSize="13px">
          {about}
        </Box>
      )}
    </Box>
  );
}

type PennantKind = "caution" | "note" | "fault" | "passed";

/** Swallow-tail flag on a pole: filled caution, open note, vermilion fault; a tick for passed. */
export function Pennant({
  kind,
  mark = "",
  small = false,
}: {
  kind: PennantKind;
  mark?: string;
  small?: boolean;
}) {
  const side = small ? "16px" : "24px";
  if (kind === "passed") {
    return (
      <chakra.svg
        aria-hidden
        width="24px"
        height="20px"
        viewBox="0 0 24 20"
        color="ok"
        flexShrink={0}
      >
        <path d="M3 10l6 6L21 3" fill="none" stroke="currentColor" strokeWidth="2.5" />
      </chakra.svg>
    );
  }
  const fill = { caution: "cautionFill", note: "sheet", fault: "diff" }[kind];
  const text = { caution: "pen", note: "ink", fault: "paper" }[kind];
  return (
    <chakra.svg aria-hidden width={side} height={side} viewBox="0 0 24 24" flexShrink={0}>
      <chakra.path d="M2 2h20l-5 7 5 7H2z" fill={fill} stroke="ink" strokeWidth="1.2" />
      <chakra.path d="M2 1v23" stroke="ink" strokeWidth="1.5" />
      <chakra.text
        x="9"
        y="13.500"
        textAnchor="middle"
        fontSize="12px"
        fontWeight="650"
        fill={text}
      >
        {mark || (kind === "fault" ? "!" : "")}
      </chakra.text>
    </chakra.svg>
  );
}

const WORDS: Record<PennantKind, [string, string]> = {
  caution: ["Caution.", "caution"],
  note: ["Note.", "ink"],
  fault: ["Fault.", "diff"],
  passed: ["Passed.", "ok"],
};

/** One sentence with its pennant, and what can be done about it. */
export function Notice({
  kind,
  word,
  children,
  actions,
}: {
  kind: PennantKind;
  word?: string;
  children: ReactNode;
  actions?: ReactNode;
}) {
  const [said, colour] = WORDS[kind];
  return (
    <Box
      role={kind === "fault" ? "alert" : "note"}
      display="flex"
      gap="12px"
      alignItems="flex-start"
      paddingBlock="8px"
    >
      <Pennant kind={kind} />
      <Box flex="1" minWidth="0">
        <Box as="p">
          <Box as="strong" color={colour} fontWeight="650">
            {word ?? said}
          </Box>{" "}
          {children}
        </Box>
        {actions && (
          <Box display="flex" flexWrap="wrap" gap="8px" marginTop="8px">
            {actions}
          </Box>
        )}
      </Box>
    </Box>
  );
}

/** A dialog that a finish line closes at its right. Focus starts on the first safe button. */
export function Dialog({
  title,
  onClose,
  wide = false,
  children,
}: {
  title: string;
  onClose: () => void;
  /** For a picture. */
  wide?: boolean;
  children: ReactNode;
}) {
  const frame = useRef<HTMLDialogElement>(null);
  useEffect(() => {
    const dialog = frame.current;
    if (!dialog || dialog.open) return;
    const before = document.activeElement as HTMLElement | null;
    dialog.showModal();
    // What is longer than the window is read from its top, unless there is something to fill in.
    if (dialog.scrollHeight > dialog.clientHeight && !dialog.querySelector("input, select")) {
      dialog.tabIndex = -1;
      dialog.focus();
      dialog.scrollTop = 0;
    }
    // Back to where the hand was, unless what was done has put it elsewhere.
    return () => {
      const at = document.activeElement;
      if (before?.isConnected && (!at || at === document.body || dialog.contains(at)))
        before.focus({ preventScroll: true });
    };
  }, []);
  return (
    <chakra.dialog
      ref={frame}
      aria-label={title}
      onCancel={(event) => {
        event.preventDefault();
        onClose();
      }}
      color="ink"
      background="paper"
      border="1.5px solid"
      borderColor="ink"
      borderRightWidth="6px"
      borderRightStyle="double"
      padding="16px 20px"
      width={`min(${wide ? 1100 : 560}px, calc(100vw - 24px))`}
      maxHeight="calc(100vh - 40px)"
      overflowY="auto"
    >
      <Box as="h2" fontFamily="title" fontSize="17px" lineHeight="22px" fontWeight="600">
        {title}
      </Box>
      <Box marginTop="8px" paddingTop="10px" borderTop="1px solid" borderColor="rule">
        {children}
      </Box>
    </chakra.dialog>
  );
}

/** A number that can be copied with its unit by pressing it. */
export function Figure({
  value,
  unit,
  label,
  strong = true,
  colour = "inherit",
  size = "inherit",
}: {
  value: string;
  unit?: string;
  label?: string;
  strong?: boolean;
  colour?: string;
  size?: string;
}) {
  const text = unit ? `${value} ${unit}` : value;
  return (
    <chakra.button
      type="button"
      title={`Copy ${text}`}
      aria-label={`${label ? `${label}: ` : ""}${text}. Copy`}
      onClick={() => void copyText(text)}
      color={colour}
      fontSize={size}
      background="transparent"
      border="0"
      padding="0"
      cursor="copy"
      whiteSpace="nowrap"
      fontVariantNumeric="tabular-nums"
      _hover={{ textDecoration: "underline dotted" }}
    >
      <Box as="span" fontWeight={strong ? 650 : 400}>
        {value}
      </Box>
      {unit && (
        <Box as="span" fontSize="0.86em" fontWeight="400">
          {" "}
          {unit}
        </Box>
      )}
    </chakra.button>
  );
}

export async function copyText(text: string): Promise<void> {
  try {
    await navigator.clipboard.writeText(text);
    announce(`Copied ${text}.`);
  } catch {
    announce("This browser does not let the page copy. Select the figure instead.");
  }
}

export interface Announcement {
  text: string;
  kind?: "done" | "passed" | "fault";
  action?: { word: string; run: () => void };
}

/** Show a line at the foot of the page for a while. Faults stay until they are put away. */
export function announce(text: string, more: Omit<Announcement, "text"> = {}): void {
  window.dispatchEvent(new CustomEvent<Announcement>("announce", { detail: { text, ...more } }));
}

/** "How this was computed", one press away. */
export function HowComputed({ children }: { children: ReactNode }) {
  return (
    <chakra.details fontSize="13px" color="ink2" maxWidth="76ch">
      <chakra.summary cursor="pointer" textDecoration="underline" textUnderlineOffset="3px">
        How this was computed
      </chakra.summary>
      <Box paddingTop="4px">{children}</Box>
    </chakra.details>
  );
}

/** What a view says while it has nothing to show: what to do, with the button that does it. */
export function Empty({ children, action }: { children: ReactNode; action?: ReactNode }) {
  return (
    <Box display="flex" flexWrap="wrap" gap="8px 16px" alignItems="center" paddingBlock="14px">
      <Box as="p">{children}</Box>
      {action}
    </Box>
  );
}

export function Waiting() {
  return (
    <Box padding="20px" color="ink2" role="status">
      Loading
    </Box>
  );
}
