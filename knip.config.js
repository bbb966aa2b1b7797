/**
 * What a room offers is used by some other room, counting tests; of what ships, no module and nothing inside a room is there for tests alone
 * (they may ask a room for more than another room does).
 */
export default ({ production }) => ({
  ignoreExportsUsedInFile: true,
  include: ["files", "exports", "types", "duplicates"],
  workspaces: {
    ".": {
      entry: ["scripts/*.mjs", "bench/*.ts", "e2e/**/*.ts"],
      project: ["scripts/*.mjs", "bench/*.ts", "e2e/**/*.ts"],
    },
    "packages/core": {
      entry: ["src/testing/**"],
      project: ["src/**/*.ts!", "!src/**/*.test.ts!", "!src/testing/**!"],
      includeEntryExports: !production,
    },
    "packages/contract": { project: ["src/**/*.ts!"], includeEntryExports: !production },
    "packages/simulator": { project: ["src/**/*.ts!", "!src/**/*.test.ts!"], includeEntryExports: !production },
    "packages/server": {
      entry: [
        "src/cli/halvik.ts!",
        "src/edges/collecting/udp-reader.ts!",
        "src/edges/collecting/body-worker.ts!",
        "src/roles/threads/question-worker.ts!",
        "src/testing/**",
      ],
      project: ["src/**/*.ts!", "!src/**/*.test.ts!", "!src/testing/**!"],
    },
    "packages/web": {
      entry: ["src/testing/**"],
      project: ["src/**/*.{ts,tsx,css}!", "!src/**/*.test.{ts,tsx}!", "!src/testing/**!"],
    },
  },
});
