import hooks from "eslint-plugin-react-hooks";
import tseslint from "typescript-eslint";

// Rooms from the lowest up: api, ui, charts, then song with rigs and clips, then the pages and steps,
// then app. A room imports lower ones only, and a step never another step. Circles between files, and
// the order of all rooms, are found by tests/imports.test.ts.
const STEPS = ["route", "time", "space", "blend", "listen", "verify"];
const never = (files, group, message) => ({
  files,
  rules: { "no-restricted-imports": ["error", { patterns: [{ group, message }] }] },
});

export default tseslint.config(
  { ignores: ["src/api/schema.gen.ts", "src/api/defaults.gen.ts"] },
  ...tseslint.configs.recommended,
  hooks.configs.flat["recommended-latest"],
  never(
    ["src/ui/**"],
    ["../charts/*", "../song/*", "../rigs/*", "../clips/*", "../songs/*", "../accounts/*", "../app/*", "**/steps/**"],
    "ui imports nothing that stands above it.",
  ),
  never(
    ["src/{charts,api,song,rigs,clips,songs,accounts}/**"],
    ["**/steps/**", "../app/*"],
    "Shared rooms reach neither into a step nor into app.",
  ),
  ...STEPS.map((step) =>
    never(
      [`src/steps/${step}/**`],
      [...STEPS.filter((other) => other !== step).map((other) => `../${other}/*`), "**/app/*"],
      "A step imports no other step; what two need stands in rigs, clips, song, charts or ui.",
    ),
  ),
  {
    files: ["src/**/*.tsx"],
    ignores: ["src/ui/theme.ts"],
    rules: {
      "no-restricted-syntax": [
        "error",
        { selector: "Literal[value=/^#[0-9a-fA-F]{3,8}$/]", message: "Colours come from the theme." },
      ],
    },
  },
);
