/** Imports go web -> core <- server; features of the web share only ui/, app/ and core. */
module.exports = {
  forbidden: [
    { name: "no-circular", severity: "error", from: {}, to: { circular: true } },
    {
      name: "core-stands-alone",
      severity: "error",
      from: { path: "^packages/core/src" },
      to: { path: "^packages/(server|web|simulator)" },
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
      to: { path: "^packages/server" },
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
