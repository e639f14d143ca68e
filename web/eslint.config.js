import hooks from "eslint-plugin-react-hooks";
import tseslint from "typescript-eslint";

// A step may use the shared rooms, never another step; shared rooms never reach into a step.
const noSteps = {
  "no-restricted-imports": [
    "error",
    { patterns: [{ group: ["**/steps/*"], message: "Shared rooms do not reach into a step." }] },
  ],
};

export default tseslint.config(
  { ignores: ["src/api/schema.gen.ts"] },
  ...tseslint.configs.recommended,
  hooks.configs.flat["recommended-latest"],
  { files: ["src/{ui,charts,api,songs,accounts}/**"], rules: noSteps },
  {
    files: ["src/**/*.tsx"],
    ignores: ["src/app/theme.ts"],
    rules: {
      "no-restricted-syntax": [
        "error",
        { selector: "Literal[value=/^#[0-9a-fA-F]{3,8}$/]", message: "Colours come from the theme." },
      ],
    },
  },
);
