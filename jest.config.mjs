/** One Jest for unit tests and for tests against real PostgreSQL and sockets. */
export default {
  testMatch: ["<rootDir>/packages/*/src/**/*.test.{ts,tsx}"],
  extensionsToTreatAsEsm: [".ts", ".tsx"],
  transform: {
    "^.+\\.tsx?$": [
      "@swc/jest",
      {
        module: { type: "es6" },
        jsc: {
          target: "es2022",
          parser: { syntax: "typescript", tsx: true },
          transform: { react: { runtime: "automatic" } },
        },
      },
    ],
  },
  moduleNameMapper: {
    "^(\\.{1,2}/.*)\\.js$": "$1",
    "^@halvik/core/(.*)$": "<rootDir>/packages/core/src/$1/index.ts",
    "^@halvik/contract/(.*)$": "<rootDir>/packages/contract/src/$1.ts",
    "^@halvik/simulator$": "<rootDir>/packages/simulator/src/index.ts",
  },
  testSequencer: "<rootDir>/scripts/longest-first.mjs",
  globalSetup: "<rootDir>/scripts/prepare-run.mjs",
  globalTeardown: "<rootDir>/scripts/end-run.mjs",
  // a bound for what hangs; a busy machine is slow, not wrong
  testTimeout: 240000,
  maxWorkers: 3,
};
