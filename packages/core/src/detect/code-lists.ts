type Codes = readonly string[];

/** More lists than these, of a field or joined, are forgotten at once and made anew: nothing but memory depends on which stand once. */
const MOST_LISTS = 10_000;
/** A longer value is hardly met again, and what is kept is to stay small. */
const MOST_LETTERS = 100;
/** A longer list is hardly met again either. */
const MOST_JOINED = 16;

/**
 * Lists of entity codes, each made once. What waits for the watermark in a flood are hundreds of thousands of events that name the same few
 * things: lists and texts of their own would take more memory than the rest of an event, and be gone through whenever garbage is collected.
 */
export class CodeLists {
  private readonly joined = new Map<Codes, Map<Codes, Codes>>();
  private joinedCount = 0;

  /** @returns how a value becomes a list of its own code, the same list for the same value */
  alone(code: (value: string) => string): (value: string) => Codes {
    const known = new Map<string, Codes>();
    return (value) => {
      if (value.length > MOST_LETTERS) return [code(value)];
      const before = known.get(value);
      if (before !== undefined) return before;
      if (known.size >= MOST_LISTS) known.clear();
      const made = [code(value)];
      known.set(value, made);
      return made;
    };
  }

  /** One list after the other, the same list for the same two. */
  join(first: Codes, second: Codes): Codes {
    if (second.length === 0) return first;
    if (first.length === 0) return second;
    if (first.length + second.length > MOST_JOINED) return first.concat(second);
    let after = this.joined.get(first);
    const before = after?.get(second);
    if (before !== undefined) return before;
    if (this.joinedCount >= MOST_LISTS) {
      this.joined.clear();
      this.joinedCount = 0;
      after = undefined;
    }
    if (after === undefined) {
      after = new Map();
      this.joined.set(first, after);
    }
    const made = first.concat(second);
    after.set(second, made);
    this.joinedCount++;
    return made;
  }
}
