/** Runs pieces of work one after another, in the order they are given: for those that share a connection. */
export class OneAtATime {
  private last: Promise<unknown> = Promise.resolve();

  run<T>(work: () => Promise<T>): Promise<T> {
    const result = this.last.then(work);
    // one that fails keeps none of the others from it
    this.last = result.catch(() => undefined);
    return result;
  }
}
