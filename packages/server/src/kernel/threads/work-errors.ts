/** Work that took longer than it may, and was ended with the thread that did it. */
export class WorkTooLong extends Error {
  constructor(what: string, ms: number) {
    super(`${what} took longer than ${ms / 1000} s and was ended`);
  }
}

/** More waits than can be done soon. */
export class WorkQueueFull extends Error {}
