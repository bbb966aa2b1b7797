// Runs a program as the product runs: bundled, without the bookkeeping of a development loader. Usage: node scripts/bench.mjs NAME [ARGS]
import { spawnSync } from "node:child_process";
import { rmSync } from "node:fs";
import { basename } from "node:path";
import { build } from "esbuild";

const [name, ...args] = process.argv.slice(2);
if (!name) {
  console.error(
    "usage: node scripts/bench.mjs NAME [ARGS], a file of bench/ without its ending, or any file with its path",
  );
  process.exit(2);
}
// beside the product, so that it finds the packages the product uses
const outfile = `packages/server/dist/bench-${basename(name, ".ts")}.mjs`;
await build({
  entryPoints: [name.endsWith(".ts") ? name : `bench/${name}.ts`],
  outfile,
  bundle: true,
  platform: "node",
  target: "node20",
  format: "esm",
  packages: "external",
  alias: {
    "@halvik/simulator": "./packages/simulator/src/index.ts",
  },
  plugins: [
    {
      name: "rooms",
      setup(b) {
        b.onResolve({ filter: /^@halvik\/contract\// }, ({ path }) => ({
          path: `${process.cwd()}/packages/contract/src/${path.slice("@halvik/contract/".length)}.ts`,
        }));
        b.onResolve({ filter: /^@halvik\/core\// }, ({ path }) => ({
          path: `${process.cwd()}/packages/core/src/${path.slice("@halvik/core/".length)}/index.ts`,
        }));
      },
    },
  ],
  logLevel: "warning",
});
const { status } = spawnSync(
  process.execPath,
  [...(process.env.BENCH_NODE_ARGS?.split(" ").filter(Boolean) ?? []), outfile, ...args],
  {
    stdio: "inherit",
  },
);
rmSync(outfile, { force: true });
process.exit(status ?? 1);
