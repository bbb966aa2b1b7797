// Tests are TypeScript that Node is to read: made to JavaScript one file at a time, as it is asked for.
import { resolve } from "node:path";
import { register } from "tsx/esm/api";

// the one that says what its elements become; what is not of the interface has none
register({ tsconfig: resolve("packages/web/tsconfig.json") });
