/** One Jest for unit tests and for tests against real PostgreSQL and sockets. */
const project = (displayName, packages, setupFiles) => ({
  displayName,
  testMatch: [`<rootDir>/packages/${packages}/src/**/*.test.{ts,tsx}`],
  runner: "<rootDir>/scripts/bounded-runner.mjs",
  setupFiles: ["<rootDir>/scripts/typescript.mjs", ...setupFiles],
});

export default {
  projects: [
    project("node", "{core,contract,server,simulator}", []),
    project("page", "web", ["<rootDir>/packages/web/src/testing/browser.mjs"]),
  ],
  testSequencer: "<rootDir>/scripts/longest-first.mjs",
  globalSetup: "<rootDir>/scripts/prepare-run.mjs",
  globalTeardown: "<rootDir>/scripts/end-run.mjs",
  // more than two processors' worth: some of it waits for processes to start and end; a fourth took as long and read all modules once more
  maxWorkers: 3,
  forceExit: true,
};
