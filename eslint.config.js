// What the page's modules are checked for.
import js from "@eslint/js";
import globals from "globals";

export default [
  js.configs.recommended,
  { ignores: ["studio/static/studio/vendor/**", "var/**", ".venv/**"] },
  {
    languageOptions: { globals: { ...globals.browser, ...globals.node } },
    rules: {
      eqeqeq: ["error", "always", { null: "ignore" }],
      "prefer-const": "error",
      "no-var": "error",
      "no-unused-vars": ["error", { ignoreRestSiblings: true }],
    },
  },
];
