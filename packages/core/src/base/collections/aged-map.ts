/**
 * A map that gives up what was put in first. V8 leaves a hole where an entry was deleted until it rehashes, and a new iterator goes through the holes
 * at the beginning one by one: with hundreds of thousands of entries that come and go at both ends, each `keys().next()` costs as much as the
 * map is long. This one keeps its place. What is to be the youngest again is deleted and set anew.
 */
export class AgedMap<K, V> extends Map<K, V> {
  private place: IterableIterator<K> | null = null;
  /** The oldest, where it has been looked for and still is it. */
  private head: { readonly key: K } | null = null;

  /** @returns undefined: there is none */
  oldest(): readonly [key: K, value: V] | undefined {
    if (this.size === 0) return undefined;
    if (this.head === null) {
      this.place ??= this.keys();
      let { value, done } = this.place.next();
      if (done === true) {
        // what was put in since the place reached the end
        this.place = this.keys();
        ({ value, done } = this.place.next());
      }
      this.head = { key: value as K };
    }
    return [this.head.key, this.get(this.head.key) as V];
  }

  /** Gives up the oldest entry. */
  dropOldest(): readonly [key: K, value: V] | undefined {
    const oldest = this.oldest();
    if (oldest !== undefined) this.delete(oldest[0]);
    return oldest;
  }

  override delete(key: K): boolean {
    if (this.head?.key === key) this.head = null;
    return super.delete(key);
  }

  override clear(): void {
    super.clear();
    this.place = null;
    this.head = null;
  }
}
