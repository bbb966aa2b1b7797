/** A small seeded generator (mulberry32, public domain): the same seed gives the same demo everywhere. */
export class Random {
  private state: number;

  constructor(...seed: readonly (string | number)[]) {
    // FNV-1a over the parts
    let h = 2_166_136_261;
    for (const c of seed.join("\u0001")) h = Math.imul(h ^ c.charCodeAt(0), 16_777_619);
    this.state = h >>> 0;
  }

  /** In [0, 1). */
  next(): number {
    this.state = (this.state + 0x6d2b79f5) >>> 0;
    let t = this.state;
    t = Math.imul(t ^ (t >>> 15), t | 1);
    t ^= t + Math.imul(t ^ (t >>> 7), t | 61);
    return ((t ^ (t >>> 14)) >>> 0) / 4_294_967_296;
  }

  /** A whole number from `least` to `most`. */
  int(least: number, most: number): number {
    return least + Math.floor(this.next() * (most - least + 1));
  }

  pick<T>(list: readonly T[]): T {
    return list[this.int(0, list.length - 1)]!;
  }

  chance(p: number): boolean {
    return this.next() < p;
  }

  /** How many of a thing that happens `mean` times on average happen this time (Knuth). */
  poisson(mean: number): number {
    const limit = Math.exp(-mean);
    let n = 0;
    for (let p = this.next(); p > limit; p *= this.next()) n++;
    return n;
  }
}
