/**
 * The rooms of core from the lowest up: each may import those before it. Decoders know nothing of meanings, filters nothing of
 * rules, and nothing knows how it is shown.
 */
const CORE = [
  "base",
  "model",
  "decode",
  "meaning",
  "normalise",
  "formats",
  "shapes",
  "query",
  "contrast",
  "arrive",
  "forward",
  "detect",
  "respond",
  "traffic",
  "assure",
  "report",
  "board",
  "papers",
];
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
      name: "sql-in-repositories",
      comment: "what speaks to the database is the store, a repository of a domain, or the start of it all",
      severity: "error",
      from: {
        path: "^packages/server/src",
        pathNot: `${TESTS}|^packages/server/src/(store|kernel/db|start)/|repository\\.ts$`,
      },
      to: { path: "node_modules/(@types/pg|pg|sequelize|pg-copy-streams|umzug)/" },
    },
    {
      name: "kernel-below-all",
      severity: "error",
      from: { path: "^packages/server/src/kernel/", pathNot: TESTS },
      to: { path: "^packages/server/src/", pathNot: "^packages/server/src/kernel/" },
    },
    {
      name: "store-knows-no-domain",
      severity: "error",
      from: { path: "^packages/server/src/store/", pathNot: TESTS },
      to: { path: "^packages/server/src/", pathNot: "^packages/server/src/(kernel|store)/" },
    },
    {
      name: "domains-know-no-role",
      severity: "error",
      from: { path: "^packages/server/src/domains/", pathNot: TESTS },
      to: { path: "^packages/server/src/", pathNot: "^packages/server/src/(kernel|store|domains)/" },
    },
    {
      name: "edges-know-no-role",
      severity: "error",
      from: { path: "^packages/server/src/edges/", pathNot: TESTS },
      to: { path: "^packages/server/src/(roles|cli|start)/" },
    },
    {
      name: "routes-call-their-own-domain",
      comment: "a route of one domain is no part of another",
      severity: "error",
      from: { path: "^packages/server/src/domains/" },
      to: { path: "^packages/server/src/domains/.*routes\\.ts$" },
    },
    {
      name: "nothing-for-tests-alone",
      severity: "error",
      from: { path: "^packages/[^/]+/src", pathNot: `${TESTS}|^packages/server/src/cli/halvik\\.ts$` },
      to: { path: TESTS },
    },
    {
      name: "ui-is-a-kit",
      comment: "the kit knows no page, no server and no state of ours",
      severity: "error",
      from: { path: "^packages/web/src/ui/", pathNot: TESTS },
      to: { path: "^packages/", pathNot: "^packages/(web/src/ui|core/src/(base|model))/" },
    },
    {
      name: "controls-come-from-the-kit",
      comment: "one way for a menu, a list or a dialog to look and to be used by keyboard: packages/web/src/ui",
      severity: "error",
      from: { path: "^packages/web/src/", pathNot: "^packages/web/src/ui/" },
      to: { path: "(^|node_modules/)(radix-ui|@tanstack/react-table)(/|$)" },
    },
    {
      name: "data-below-pages",
      severity: "error",
      from: { path: "^packages/web/src/(data|navigation)/", pathNot: TESTS },
      to: { path: "^packages/web/src/(ui|shared|features|app)/" },
    },
    {
      name: "features-know-no-frame",
      severity: "error",
      from: { path: "^packages/web/src/(features|shared)/" },
      to: { path: "^packages/web/src/app/" },
    },
    {
      name: "shared-below-features",
      severity: "error",
      from: { path: "^packages/web/src/shared/" },
      to: { path: "^packages/web/src/features/" },
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
