import { DIMENSIONS } from "./dimensions.js";

/** Passages whose values are remembered before what waits is added up, and amounts that wait at most. */
export const MOST_PASSAGES = 50_000;
const MOST_AMOUNTS = 400_000;
const FIRST_SIZE = 1_024;

/** Stands for a passage without a value in a dimension. */
const NO_VALUE = -1;

/** Values of passages by dimension, as numbers: what is the same has the same number. */
export class PassageValues {
  private readonly numbers: readonly Map<string, number>[] = DIMENSIONS.map(() => new Map());
  private readonly texts: readonly string[][] = DIMENSIONS.map(() => []);
  private columns: readonly Int32Array[] = DIMENSIONS.map(() => new Int32Array(FIRST_SIZE));
  private passages = 0;

  get isFull(): boolean {
    return this.passages >= MOST_PASSAGES;
  }

  /** Begins the next passage. @returns its number */
  next(): number {
    if (this.passages === this.columns[0]!.length) this.columns = this.columns.map(twice);
    return this.passages++;
  }

  /** Says which value the passage that was begun last has. */
  set(dimension: number, value: string | null): void {
    let number = NO_VALUE;
    if (value !== null) {
      const known = this.numbers[dimension]!.get(value);
      if (known === undefined) {
        number = this.texts[dimension]!.push(value) - 1;
        this.numbers[dimension]!.set(value, number);
      } else number = known;
    }
    this.columns[dimension]![this.passages - 1] = number;
  }

  /** By passage: the number of its value. */
  column(dimension: number): Int32Array {
    return this.columns[dimension]!;
  }

  text(dimension: number, value: number): string {
    return this.texts[dimension]![value]!;
  }

  count(dimension: number): number {
    return this.texts[dimension]!.length;
  }

  clear(): void {
    this.passages = 0;
    for (const numbers of this.numbers) numbers.clear();
    for (const texts of this.texts) texts.length = 0;
  }
}

/** Takes what was added up of one value: of a group, by the number of the value. */
type Take = (group: number, value: number, bytes: number, packets: number, flows: number) => void;

/**
 * Amounts of passages that wait to be added up by group and value. Added one by one as they come, each lies elsewhere in memory; group by group and
 * dimension by dimension they lie together, and what occurs often is added where the processor has it at hand.
 */
export class WaitingAmounts {
  private groups = new Int32Array(FIRST_SIZE);
  private passages = new Int32Array(FIRST_SIZE);
  private bytes = new Float64Array(FIRST_SIZE);
  private packets = new Float64Array(FIRST_SIZE);
  private flows = new Uint8Array(FIRST_SIZE);
  private count = 0;
  /** Where each group begins, once it is sorted. */
  private begins = new Int32Array(0);

  get isFull(): boolean {
    return this.count >= MOST_AMOUNTS;
  }

  get isEmpty(): boolean {
    return this.count === 0;
  }

  add(group: number, passage: number, bytes: number, packets: number, flows: 0 | 1): void {
    if (this.count === this.groups.length) this.grow();
    const at = this.count++;
    this.groups[at] = group;
    this.passages[at] = passage;
    this.bytes[at] = bytes;
    this.packets[at] = packets;
    this.flows[at] = flows;
  }

  private grow(): void {
    this.groups = twice(this.groups);
    this.passages = twice(this.passages);
    this.bytes = twice(this.bytes);
    this.packets = twice(this.packets);
    this.flows = twice(this.flows);
  }

  /** Brings what waits in the order of its groups: read once for every dimension, it lies as it is read. @param groups how many there are */
  sort(groups: number): void {
    const begins = new Int32Array(groups);
    for (let i = 0; i < this.count; i++) begins[this.groups[i]!]!++;
    for (let g = 1; g < groups; g++) begins[g] = begins[g]! + begins[g - 1]!;
    const passages = new Int32Array(this.passages.length);
    const bytes = new Float64Array(this.bytes.length);
    const packets = new Float64Array(this.packets.length);
    const flows = new Uint8Array(this.flows.length);
    for (let i = this.count - 1; i >= 0; i--) {
      const group = this.groups[i]!;
      const to = begins[group]! - 1;
      begins[group] = to;
      passages[to] = this.passages[i]!;
      bytes[to] = this.bytes[i]!;
      packets[to] = this.packets[i]!;
      flows[to] = this.flows[i]!;
    }
    this.begins = begins;
    [this.passages, this.bytes, this.packets, this.flows] = [passages, bytes, packets, flows];
  }

  /** Adds up by the values of one dimension, group by group; sorted before. */
  addUp(column: Int32Array, values: number, scratch: Scratch, take: Take): void {
    const { begins, passages, bytes, packets, flows } = this;
    const { touched, sums } = scratch.for(values);
    for (let group = 0; group < begins.length; group++) {
      const end = group + 1 < begins.length ? begins[group + 1]! : this.count;
      const stamp = scratch.nextStamp();
      let found = 0;
      for (let at = begins[group]!; at < end; at++) {
        const value = column[passages[at]!]!;
        if (value < 0) continue;
        const sum = value * WIDTH;
        if (sums[sum] === stamp) {
          sums[sum + 1] = sums[sum + 1]! + bytes[at]!;
          sums[sum + 2] = sums[sum + 2]! + packets[at]!;
          sums[sum + 3] = sums[sum + 3]! + flows[at]!;
        } else {
          touched[found++] = value;
          sums[sum] = stamp;
          sums[sum + 1] = bytes[at]!;
          sums[sum + 2] = packets[at]!;
          sums[sum + 3] = flows[at]!;
        }
      }
      for (let i = 0; i < found; i++) {
        const sum = touched[i]! * WIDTH;
        take(group, touched[i]!, sums[sum + 1]!, sums[sum + 2]!, sums[sum + 3]!);
      }
    }
  }

  clear(): void {
    this.count = 0;
    this.begins = new Int32Array(0);
  }
}

/** Of one value: the group it was added up for last, octets, packets, flows. Together, so that they are fetched together. */
const WIDTH = 4;

/** Where amounts are added up, by the number of a value; used again for one group after the other. */
export class Scratch {
  private size = 0;
  private stamp = 0;
  sums = new Float64Array(0);
  touched = new Int32Array(0);

  /** Makes room for so many values. */
  for(values: number): this {
    if (values <= this.size) return this;
    this.size = Math.max(values, 2 * this.size);
    this.sums = new Float64Array(WIDTH * this.size);
    this.touched = new Int32Array(this.size);
    return this;
  }

  /** Marks what belongs to one group: no two have the same, for as long as numbers are exact. */
  nextStamp(): number {
    return ++this.stamp;
  }
}

function twice<T extends Int32Array | Float64Array | Uint8Array>(array: T): T {
  const larger = new (array.constructor as new (length: number) => T)(2 * array.length);
  larger.set(array as never);
  return larger;
}
