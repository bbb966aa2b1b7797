// Builds the server (one bundle and those of its threads) and the web interface.
import { readdirSync, readFileSync, rmSync } from "node:fs";
import { build as bundle } from "esbuild";
import { build as buildWeb } from "vite";

const { dependencies } = JSON.parse(readFileSync("packages/server/package.json", "utf8"));
const { dependencies: coreDependencies } = JSON.parse(readFileSync("packages/core/package.json", "utf8"));
const external = Object.keys({ ...dependencies, ...coreDependencies }).filter((name) => !name.startsWith("@halvik/"));

const { metafile } = await bundle({
  entryPoints: {
    halvik: "packages/server/src/cli/halvik.ts",
    "udp-reader": "packages/server/src/collector/udp-reader.ts",
    "body-worker": "packages/server/src/work/body-worker.ts",
    "question-worker": "packages/server/src/work/question-worker.ts",
  },
  outdir: "packages/server/dist",
  bundle: true,
  platform: "node",
  target: "node20",
  format: "esm",
  // what a command or role needs is in files of its own, read when it runs
  splitting: true,
  sourcemap: true,
  metafile: true,
  external,
  logLevel: "warning",
});
// parts of earlier builds have other names; they go last, so that a Halvik that runs meanwhile finds its files as long as can be
for (const file of readdirSync("packages/server/dist"))
  if (!(`packages/server/dist/${file}` in metafile.outputs))
    rmSync(`packages/server/dist/${file}`, { recursive: true });
if (!process.argv.includes("--server")) await buildWeb({ root: "packages/web", logLevel: "warn" });
