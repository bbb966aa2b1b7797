import LightRunner from "jest-light-runner";

/** A file that takes longer hangs. Longest known, on a slow machine: 120 s. */
const FILE_MS = 480_000;

/**
 * Runs test files in Node itself, many in one thread: what a file reads is read once, and compiled once. Jest's own runner reads everything
 * anew for each file, in a context whose globals are slow: all tests took three times as long. The price: a file finds what others left in
 * module state, and no single test has a bound. So each file has one here.
 */
export default class BoundedRunner extends LightRunner {
  async _runTest(test) {
    let timer;
    const late = new Promise((_, reject) => {
      timer = setTimeout(() => reject(new Error(`${test.path} took longer than ${FILE_MS / 1_000} s`)), FILE_MS);
    });
    try {
      return await Promise.race([super._runTest(test), late]);
    } finally {
      clearTimeout(timer);
    }
  }
}
