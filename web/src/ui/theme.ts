/** The one system of colours, type and controls. Components name tokens, never colours. */
import { createSystem, defaultBaseConfig, defineConfig } from "@chakra-ui/react";

const pair = (light: string, dark: string) => ({ value: { base: light, _dark: dark } });

const colors = {
  paper: pair("#F2EDDD", "#0B1F25"),
  sheet: pair("#FAF7EC", "#10292F"),
  well: pair("#E8E1CC", "#17353B"),
  fine: pair("#DAD2BB", "#21434A"),
  rule: pair("#A79F86", "#4C6E72"),
  edge: pair("#857D66", "#7A989A"),
  ink: pair("#14292B", "#F0EBDA"),
  ink2: pair("#4A5A56", "#A8BAB3"),
  wet: pair("#00607A", "#6CCDE0"),
  diff: pair("#B8321A", "#FF8E70"),
  diffInv: pair("#FF8E70", "#B8321A"),
  caution: pair("#805300", "#EDBB57"),
  cautionFill: pair("#D99A1C", "#EDBB57"),
  cautionWash: pair("#F5E9CA", "#2E3320"),
  ok: pair("#456012", "#AFCB6E"),
  band: pair("#998B63", "#5B8084"),
  pen: pair("#14292B", "#14292B"),
};

export type ColorName = keyof typeof colors;

/** A colour for SVG and canvas, as the CSS variable of its token. */
export const ink = (name: ColorName): string =>
  `var(--chakra-colors-${name.replace(/[A-Z]/g, (c) => `-${c.toLowerCase()}`)})`;

const focus = { outline: "2.5px solid", outlineColor: "wet", outlineOffset: "2px" };

export const system = createSystem(
  defaultBaseConfig,
  defineConfig({
    strictTokens: false,
    conditions: { dark: ".dark &", light: ".light &" },
    theme: {
      breakpoints: { sm: "640px", md: "900px", lg: "1180px", xl: "1440px" },
      tokens: {
        fonts: {
          body: { value: "'Atkinson Hyperlegible Next Variable', 'DejaVu Sans', sans-serif" },
          mono: { value: "'DejaVu Sans Mono', ui-monospace, monospace" },
          title: { value: "'Besley Variable', 'DejaVu Serif', serif" },
        },
      },
      semanticTokens: { colors },
    },
    globalCss: {
      "*, *::before, *::after": { boxSizing: "border-box" },
      "input[type=checkbox], input[type=radio]": { accentColor: "{colors.ink}" },
      html: { colorScheme: "light", background: "paper", textSizeAdjust: "100%" },
      "html.dark": { colorScheme: "dark" },
      body: {
        margin: 0,
        background: "paper",
        color: "ink",
        fontFamily: "body",
        fontSize: "14px",
        lineHeight: "19px",
        fontVariantNumeric: "tabular-nums",
      },
      "h1, h2, h3, p, ol, ul, figure, dl, dd": { margin: 0, padding: 0 },
      "ul, ol": { listStyle: "none" },
      "button, input, select": { font: "inherit" },
      ":focus-visible": focus,
      "svg text": { fontFamily: "body", fontVariantNumeric: "tabular-nums" },
      "dialog::backdrop": {
        background:
          "repeating-linear-gradient(45deg, {colors.well} 0 4px, transparent 4px 8px), color-mix(in srgb, {colors.paper} 70%, transparent)",
      },
      "html, body": {
        _print: { height: "auto", overflow: "visible", background: "white" },
      },
      "nav, footer, dialog, [aria-label='To find here'], [aria-live]": {
        _print: { display: "none" },
      },
      "*": { _motionReduce: { transition: "none !important", animation: "none !important" } },
    },
  }),
);
