import jsxA11y from "eslint-plugin-jsx-a11y";
import reactHooks from "eslint-plugin-react-hooks";
import tseslint from "typescript-eslint";

export default tseslint.config(
  { ignores: ["dist", "src/api/schema.d.ts", "*.config.*", ".dependency-cruiser.cjs"] },
  ...tseslint.configs.strict,
  reactHooks.configs.flat.recommended,
  jsxA11y.flatConfigs.recommended,
  {
    files: ["src/**/*.{ts,tsx}"],
    languageOptions: { parserOptions: { projectService: true, tsconfigRootDir: import.meta.dirname } },
    rules: {
      "@typescript-eslint/no-floating-promises": "error",
      // A dialog that opens takes the keys to its first field (WAI-ARIA Authoring Practices, Dialog).
      "jsx-a11y/no-autofocus": "off",
    },
  },
  {
    // What asks the server to do something goes through one place, whose outcome always comes.
    files: ["src/**/*.{ts,tsx}"],
    ignores: ["src/api/**"],
    rules: {
      "no-restricted-syntax": [
        "error",
        {
          selector:
            "CallExpression[callee.object.name='api'][callee.property.name!='GET'], CallExpression[callee.name='fetch'], NewExpression[callee.name='XMLHttpRequest']",
          message: "Ask by a function of api/writes.ts.",
        },
      ],
    },
  },
);
