import hooks from "eslint-plugin-react-hooks";
import tseslint from "typescript-eslint";

export default tseslint.config(
  { ignores: ["src/api/schema.d.ts"] },
  ...tseslint.configs.strict,
  ...tseslint.configs.stylistic,
  hooks.configs.flat["recommended-latest"],
  { rules: { "@typescript-eslint/consistent-type-definitions": "off" } },
);
