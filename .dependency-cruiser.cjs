/**
 * The rooms of core from the lowest up: each may import those before it. Decoders know nothing of meanings, filters nothing of
 * rules, and nothing knows how it is shown.
 */
const CORE = ["base", "model", "decode", "meaning", "normalise", "query", "detect", "respond", "traffic"];
const TESTS = "\\.test\\.tsx?$|/testing/";

/** Imports go web -> contract -> core <- contract <- server; features of the web share only ui/, app/, contract and core. */
module.exports = {
  forbidden: [
    ...CORE.map((room, i) => ({
      name: `core-${room}-below`,
      severity: "error",
      from: { path: `^packages/core/src/${room}/`, pathNot: TESTS },
      to: { path: `^packages/core/src/(${[...CORE.slice(i + 1), "testing"].join("|")})/` },
    })),
    {
      name: "contract-on-core-alone",
      severity: "error",
      from: { path: "^packages/contract/src" },
      to: { path: "^packages/(server|web|simulator)" },
    },
    { name: "no-circular", severity: "error", from: {}, to: { circular: true } },
    {
      name: "core-stands-alone",
      severity: "error",
      from: { path: "^packages/core/src" },
      to: { path: "^packages/(contract|server|web|simulator)" },
    },
    {
      name: "web-not-server",
      severity: "error",
      from: { path: "^packages/web" },
      to: { path: "^packages/(server|simulator)" },
    },
    {
      name: "server-not-web",
      severity: "error",
      from: { path: "^packages/(server|simulator)" },
      to: { path: "^packages/web" },
    },
    {
      name: "simulator-not-server",
      severity: "error",
      from: { path: "^packages/simulator" },
      to: { path: "^packages/(contract|server|web)" },
    },
    {
      name: "features-apart",
      severity: "error",
      from: { path: "^packages/web/src/features/([^/]+)/" },
      to: { path: "^packages/web/src/features/([^/]+)/", pathNot: "^packages/web/src/features/$1/" },
    },
  ],
  options: {
    doNotFollow: { path: "node_modules|dist" },
    exclude: { path: "dist" },
    tsPreCompilationDeps: true,
    tsConfig: { fileName: "tsconfig.base.json" },
    enhancedResolveOptions: { exportsFields: ["exports"], extensions: [".ts", ".tsx", ".js"] },
  },
};
