// How the scripts of the pages are checked: ./test lint
import js from "@eslint/js";
import globals from "globals";

const MOST_PATHS = 10; // of a function; the house's aim is 10, and this number only falls

export default [
  { ...js.configs.recommended, files: ["glass_spoon/studio/static/js/**/*.js"] },
  {
    files: ["glass_spoon/studio/static/js/**/*.js"],
    languageOptions: { ecmaVersion: 2024, sourceType: "module", globals: globals.browser },
    rules: {
      complexity: ["error", MOST_PATHS],
      eqeqeq: "error",
      "max-params": ["error", 6],
      "no-shadow": "error",
      "no-unused-vars": ["error", { argsIgnorePattern: "^_" }],
      "no-var": "error",
      "prefer-const": "error",
    },
  },
];
