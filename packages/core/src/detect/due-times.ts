import TinyQueue from "tinyqueue";

/** Which keys want to be looked at when, without a record: by the second, so that a million of them cost little. */
export class DueTimes {
  private readonly seconds = new TinyQueue<number>();
  private readonly keys = new Map<number, string[]>();

  add(second: number, key: string): void {
    const same = this.keys.get(second);
    if (same !== undefined) {
      same.push(key);
      return;
    }
    this.keys.set(second, [key]);
    this.seconds.push(second);
  }

  /** Takes out the keys of every second up to this one, the earliest first; what is added meanwhile waits for the next call. */
  take(second: number): readonly { readonly second: number; readonly keys: readonly string[] }[] {
    const due: { second: number; keys: readonly string[] }[] = [];
    for (let next = this.seconds.peek(); next !== undefined && next <= second; next = this.seconds.peek()) {
      this.seconds.pop();
      due.push({ second: next, keys: this.keys.get(next)! });
      this.keys.delete(next);
    }
    return due;
  }
}
