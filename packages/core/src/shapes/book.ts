import {
  hasShape,
  isOf,
  isSpaced,
  type MessageShape,
  originOf,
  REST_TOKENS,
  type Shaped,
  standing,
  wordsOf,
} from "./shape.js";
import { isMarkToken, isValueToken, tokensOf, VALUE } from "./skeleton.js";

/** Shapes that are told apart at most; what is new beyond them is one shape of its kind. */
export const MOST_SHAPES = 200_000;
/** Of one origin and length; what is new beyond them widens the one it is most like. */
const MOST_ALIKE = 64;
/** Skeletons whose shape is known by heart, of each of two generations. */
const REMEMBERED = 32_768;

/**
 * How many messages that differ in the same places make a value of those places. Few suffice where most words are the same; the fewer are,
 * the more the places may say what happened ("opened" and "closed"). Found by trying on labelled messages (`testing/families.ts`).
 */
const enough = (same: number, different: number): number =>
  same >= 4 * different ? 4 : same >= 2 * different ? 6 : 10;

/**
 * Learns shapes from messages as they come, one pass, and says of each which it is of. Its own method: the values that can be told by how they
 * are written are taken out first (`skeletonOf`); what is left is compared word by word with the shapes of the same origin and length, and a
 * place where enough of them differ while the rest agrees is a value. What it does depends on nothing but the messages and their order.
 */
export class ShapeBook {
  /** By origin and number of tokens. */
  private readonly alike = new Map<string, MessageShape[]>();
  private readonly rests = new Map<string, MessageShape>();
  private recent = new Map<string, MessageShape>();
  private earlier = new Map<string, MessageShape>();
  private count = 0;
  /** All there ever were here: what becomes part of another is kept too, and must not be made without end. */
  private made = 0;
  private readonly words = new Words();
  /** Made or changed since `takeChanged`. */
  private changed = new Set<MessageShape>();

  constructor(private readonly most = MOST_SHAPES) {}

  /** Shapes that stand by themselves. */
  get size(): number {
    return this.count;
  }

  /** The shape of a message, new or known; null: it has none. */
  learn(content: Shaped): MessageShape | null {
    if (!hasShape(content)) return null;
    const origin = originOf(content);
    const words = wordsOf(content);
    const key = `${origin}\u0000${words}`;
    const known = this.recall(key);
    if (known !== null) return known;
    const shape = this.find(origin, tokensOf(words));
    this.remember(key, shape);
    return shape;
  }

  /** Takes in a shape as it is kept. */
  adopt(kept: Omit<MessageShape, "into">): MessageShape {
    const shape: MessageShape = { ...kept, tokens: this.words.shared(kept.tokens), into: null };
    this.list(shape.origin, shape.tokens.length).push(shape);
    this.count++;
    this.made++;
    if (shape.tokens[0] === REST_TOKENS[0]) this.rests.set(shape.origin, shape);
    return shape;
  }

  /** What has been made or changed since this was last asked, those that others were taken into first. */
  takeChanged(): readonly MessageShape[] {
    if (this.changed.size === 0) return [];
    const taken = [...this.changed].sort((a, b) => Number(a.into !== null) - Number(b.into !== null));
    this.changed = new Set();
    return taken;
  }

  /** What could not be kept is told again. */
  putBack(taken: readonly MessageShape[]): void {
    for (const shape of taken) this.changed.add(shape);
  }

  /** Changes a shape as somebody else has found it to be. */
  change(
    shape: MessageShape,
    { tokens, numbers, version }: Pick<MessageShape, "tokens" | "numbers" | "version">,
  ): void {
    const before = this.list(shape.origin, shape.tokens.length);
    const at = before.indexOf(shape);
    if (at >= 0) before.splice(at, 1);
    shape.tokens = this.words.shared(tokens);
    shape.numbers = numbers;
    shape.version = version;
    this.list(shape.origin, tokens.length).push(shape);
  }

  /** Puts a shape into another as somebody else has. */
  unify(shape: MessageShape, into: MessageShape): void {
    this.take(shape, standing(into));
    this.changed.delete(shape);
  }

  private recall(key: string): MessageShape | null {
    const fresh = this.recent.get(key);
    if (fresh !== undefined) return standing(fresh);
    const old = this.earlier.get(key);
    if (old === undefined) return null;
    const shape = standing(old);
    this.remember(key, shape);
    return shape;
  }

  private remember(key: string, shape: MessageShape): void {
    if (this.recent.size >= REMEMBERED) {
      this.earlier = this.recent;
      this.recent = new Map();
    }
    this.recent.set(key, shape);
  }

  private list(origin: string, length: number): MessageShape[] {
    const key = `${origin}\u0000${length}`;
    const there = this.alike.get(key);
    if (there !== undefined) return there;
    const made: MessageShape[] = [];
    this.alike.set(key, made);
    return made;
  }

  private find(origin: string, tokens: readonly string[]): MessageShape {
    const alike = this.list(origin, tokens.length);
    let found: MessageShape | null = null;
    for (const shape of alike)
      if (isOf(tokens, shape) && (found === null || wordCount(shape.tokens) > wordCount(found.tokens))) found = shape;
    if (found !== null) return found;
    if (this.made >= this.most) return this.rest(origin);
    const shape = this.make(origin, tokens);
    alike.push(shape);
    return this.widen(alike, shape);
  }

  private make(origin: string, tokens: readonly string[]): MessageShape {
    const numbers = inOrder(tokens.filter(isValueToken).length);
    const shape = { id: 0, origin, tokens: this.words.shared(tokens), numbers, version: 1, into: null };
    this.changed.add(shape);
    this.count++;
    this.made++;
    return shape;
  }

  /** Whether a new shape shows places of others to be values. @returns what the new one belongs to now */
  private widen(alike: MessageShape[], shape: MessageShape): MessageShape {
    const words = wordCount(shape.tokens);
    let best: Union | null = null;
    for (const other of alike) {
      if (other === shape) continue;
      const places = differing(shape.tokens, other.tokens);
      if (places === null || (best !== null && places.length >= best.places.length)) continue;
      const same = words - places.filter((i) => isWord(shape.tokens[i]!)).length;
      if (same < places.length) continue;
      const members = alike.filter((s) => agreeBut(s.tokens, shape.tokens, places));
      if (members.length >= enough(same, places.length)) best = { members, places };
    }
    if (best === null && alike.length <= MOST_ALIKE) return shape;
    best ??= mostLike(alike, shape);
    if (best !== null) return this.unite(best);
    const rest = this.rest(shape.origin);
    this.take(shape, rest);
    return rest;
  }

  private unite({ members, places }: Union): MessageShape {
    // the lowest number stands for all: whoever else finds the same chooses the same
    const root = members.reduce((a, b) => (seniority(b) < seniority(a) ? b : a));
    const tokens: string[] = [];
    const numbers: number[] = [];
    let own = 0;
    let last = root.numbers.length;
    for (const [i, token] of root.tokens.entries()) {
      const becomes = places.includes(i) && !isValueToken(token);
      tokens.push(becomes ? (isSpaced(token) ? ` ${VALUE}` : VALUE) : token);
      if (isValueToken(token)) numbers.push(root.numbers[own++]!);
      else if (becomes) numbers.push(++last);
    }
    root.tokens = tokens;
    root.numbers = numbers;
    root.version++;
    this.changed.add(root);
    for (const member of members) if (member !== root) this.take(member, root);
    // others of which it says as much now
    for (const other of [...this.list(root.origin, tokens.length)])
      if (other !== root && isOf(other.tokens, root)) this.take(other, root);
    return root;
  }

  private take(shape: MessageShape, into: MessageShape): void {
    if (shape === into || shape.into !== null) return;
    shape.into = into;
    const alike = this.list(shape.origin, shape.tokens.length);
    const at = alike.indexOf(shape);
    if (at >= 0) alike.splice(at, 1);
    this.count--;
    this.changed.add(shape);
  }

  /** The one shape of all that an origin says beyond what is told apart; of all of a kind, where there are too many origins. */
  private rest(origin: string): MessageShape {
    const own = this.rests.get(origin);
    if (own !== undefined) return own;
    const whose = this.made < this.most + MOST_RESTS ? origin : origin.slice(0, origin.indexOf("\u0001"));
    const there = this.rests.get(whose);
    if (there !== undefined) return there;
    const made = this.make(whose, REST_TOKENS);
    this.rests.set(whose, made);
    return made;
  }
}

/** One without a number yet is younger than all that have one. */
const seniority = ({ id }: MessageShape): number => (id === 0 ? Number.POSITIVE_INFINITY : id);

/** Origins that have a shape of their own for what is too much. */
const MOST_RESTS = 1_000;

/** Numbers from 1 on; most shapes have theirs so, and share them. */
const IN_ORDER: (readonly number[])[] = [];
function inOrder(count: number): readonly number[] {
  for (let n = IN_ORDER.length; n <= count; n++) IN_ORDER.push(Array.from({ length: n }, (_, i) => i + 1));
  return IN_ORDER[count]!;
}

/** Shapes that become one, and the places in which they differ. */
interface Union {
  readonly members: readonly MessageShape[];
  readonly places: readonly number[];
}

/** What a shape too many is put to: the one it shares most with, whatever they share; null: none has its marks and spaces where it has them. */
function mostLike(alike: readonly MessageShape[], shape: MessageShape): Union | null {
  let best: Union | null = null;
  for (const other of alike) {
    if (other === shape) continue;
    const places = differing(shape.tokens, other.tokens);
    if (places !== null && (best === null || places.length < best.places.length))
      best = { members: [other, shape], places };
  }
  return best;
}

/** Each word once in memory, however many shapes have it. */
class Words {
  private known = new Map<string, string>();

  shared(tokens: readonly string[]): readonly string[] {
    // those that no shape has any more are let go of now and then
    if (this.known.size > MOST_WORDS) this.known = new Map();
    return tokens.map((token) => {
      const there = this.known.get(token);
      if (there !== undefined) return there;
      this.known.set(token, token);
      return token;
    });
  }
}

const MOST_WORDS = 65_536;

/** Whether a token says something: no value, no mark. */
const isWord = (token: string): boolean => !isValueToken(token) && !isMarkToken(token);
const wordCount = (tokens: readonly string[]): number => {
  let count = 0;
  for (const token of tokens) if (isWord(token)) count++;
  return count;
};

/** The places in which two differ; null: in their marks or spaces, and so in how they are made. */
function differing(a: readonly string[], b: readonly string[]): number[] | null {
  const places: number[] = [];
  for (let i = 0; i < a.length; i++) {
    const [x, y] = [a[i]!, b[i]!];
    if (x === y) continue;
    if (isSpaced(x) !== isSpaced(y) || isMarkToken(x) || isMarkToken(y)) return null;
    places.push(i);
  }
  return places;
}

/** Whether two agree in all but some places. @param places ascending */
function agreeBut(a: readonly string[], b: readonly string[], places: readonly number[]): boolean {
  let next = 0;
  for (let i = 0; i < a.length; i++) {
    if (places[next] === i) {
      next++;
      if (isSpaced(a[i]!) !== isSpaced(b[i]!) || isMarkToken(a[i]!)) return false;
    } else if (a[i] !== b[i]) return false;
  }
  return true;
}
