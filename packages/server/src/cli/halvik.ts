import { programFor, sayFailure } from "./program.js";

const [node, path, ...args] = process.argv as [string, string, ...string[]];
const program = await programFor(args, path);
program.parseAsync([node, path, ...args]).then(
  () => undefined,
  (e: unknown) => {
    console.error(sayFailure(e));
    process.exit(1);
  },
);
