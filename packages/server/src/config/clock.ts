/** The one place where the server reads the clock as epoch µs. Monotonic between calls within a process. */
export function nowUs(): number {
  return Math.floor((performance.timeOrigin + performance.now()) * 1000);
}
