/** Runs what makes errors by the thousand, without the stacks that would cost more than what is tried. */
export function withoutStacks<T>(run: () => T): T {
  // an option of the engine's, which the language's own types do not have
  const { stackTraceLimit } = Error as unknown as { stackTraceLimit: number };
  Object.assign(Error, { stackTraceLimit: 0 });
  try {
    return run();
  } finally {
    Object.assign(Error, { stackTraceLimit });
  }
}
