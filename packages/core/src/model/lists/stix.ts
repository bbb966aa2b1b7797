import * as z from "zod";
import { type EpochUs, readRfc3339 } from "../../base/time/index.js";
import type { ListKind } from "./named-lists.js";

/** A value that a bundle holds. */
export interface StixValue {
  readonly kind: ListKind;
  readonly value: string;
  /** Until when it is valid; null: it does not say. */
  readonly expiresUs: EpochUs | null;
  /** The object it stands in. */
  readonly id: string;
}

/** What of a bundle becomes entries of a list, and what does not and why. */
export interface ReadBundle {
  readonly values: readonly StixValue[];
  readonly refused: readonly { readonly id: string; readonly why: string }[];
}

const OBJECTS_MOST = 100_000;
const PATTERN_MOST = 20_000;

const Bundle = z.object({
  type: z.literal("bundle"),
  objects: z.array(z.looseObject({ type: z.string() })).max(OBJECTS_MOST),
});
const Indicator = z.looseObject({
  id: z.string(),
  pattern: z.string().max(PATTERN_MOST),
  pattern_type: z.string().default("stix"),
  valid_until: z.string().optional(),
  revoked: z.boolean().default(false),
});

/** Observable objects whose value is one to look for, by the property that holds it (STIX 2.1 sections 6.4 to 6.16). */
const OBSERVABLES: Readonly<Record<string, { readonly kind: ListKind; readonly property: string }>> = {
  "ipv4-addr": { kind: "address", property: "value" },
  "ipv6-addr": { kind: "address", property: "value" },
  "domain-name": { kind: "domain", property: "value" },
  url: { kind: "text", property: "value" },
  "email-addr": { kind: "text", property: "value" },
  "user-account": { kind: "text", property: "user_id" },
};

/**
 * A bundle of STIX 2.1 (OASIS standard, sections 3 to 9) as values for lists: indicators whose pattern says that one property has one of some values, and
 * observables themselves. A pattern that asks for more is refused and named, never taken by halves: part of it alone would say another thing.
 * @throws {Error} where it is no bundle
 */
export function readStixBundle(json: unknown): ReadBundle {
  const bundle = Bundle.safeParse(json);
  if (!bundle.success)
    throw new Error(
      `no bundle of STIX 2.1: ${bundle.error.issues[0]!.path.join(".")}: ${bundle.error.issues[0]!.message}`,
    );
  const values: StixValue[] = [];
  const refused: { id: string; why: string }[] = [];
  for (const object of bundle.data.objects) {
    const id = typeof object.id === "string" ? object.id.slice(0, 100) : object.type.slice(0, 60);
    const add = (kind: ListKind, value: string, expiresUs: EpochUs | null) =>
      values.push({ kind, value, expiresUs, id });
    if (object.type === "indicator") {
      const read = Indicator.safeParse(object);
      if (!read.success) refused.push({ id, why: `it is no indicator: ${read.error.issues[0]!.message}` });
      else if (read.data.revoked) refused.push({ id, why: "it was revoked" });
      else if (read.data.pattern_type !== "stix")
        refused.push({ id, why: `its pattern is of another language, “${read.data.pattern_type.slice(0, 40)}”` });
      else {
        const until = read.data.valid_until === undefined ? null : readRfc3339(read.data.valid_until);
        const pattern = readPattern(read.data.pattern);
        if (read.data.valid_until !== undefined && until === null) refused.push({ id, why: "valid_until is no time" });
        else if (typeof pattern === "string") refused.push({ id, why: pattern });
        else for (const { kind, value } of pattern) add(kind, value, until?.us ?? null);
      }
    } else if (object.type === "file" && typeof object.hashes === "object" && object.hashes !== null) {
      for (const hash of Object.values(object.hashes)) if (typeof hash === "string") add("text", hash, null);
    } else {
      const known = Object.hasOwn(OBSERVABLES, object.type) ? OBSERVABLES[object.type]! : null;
      const value = known === null ? null : object[known.property];
      if (known !== null && typeof value === "string") add(known.kind, value, null);
    }
  }
  return { values, refused };
}

type Token = { readonly is: "text" | "word" | "sign"; readonly text: string };

/** Tokens of a pattern (section 9.8): texts in quotes, words and paths, signs. Linear in its length. */
const TOKEN = /\s*(?:'((?:[^'\\]|\\.)*)'|([A-Za-z0-9_][\w.:[\]*'-]*)|(!=|<=|>=|[[\]()=<>,]))/suy;

function tokensOf(pattern: string): Token[] | null {
  const tokens: Token[] = [];
  const text = pattern.trimEnd();
  TOKEN.lastIndex = 0;
  while (TOKEN.lastIndex < text.length) {
    const at = TOKEN.lastIndex;
    const found = pathAt(text, at) ?? TOKEN.exec(text);
    if (found === null) return null;
    if (Array.isArray(found)) {
      const [, quoted, word, sign] = found;
      tokens.push(
        quoted !== undefined
          ? { is: "text", text: quoted.replace(/\\(.)/gsu, "$1") }
          : { is: word === undefined ? "sign" : "word", text: word ?? sign! },
      );
    } else {
      tokens.push({ is: "word", text: found.text });
      TOKEN.lastIndex = found.end;
    }
  }
  return tokens;
}

/** A path whose step is in quotes, as `file:hashes.'SHA-256'`. */
function pathAt(text: string, at: number): { readonly text: string; readonly end: number } | null {
  const path = /\s*([a-z0-9-]+:[\w.-]*'[^'\\]{1,60}')/uy;
  path.lastIndex = at;
  const found = path.exec(text);
  return found === null ? null : { text: found[1]!, end: path.lastIndex };
}

/** The values that a pattern asks for, any of which is enough; or why it asks for more than that. */
function readPattern(pattern: string): readonly { readonly kind: ListKind; readonly value: string }[] | string {
  const tokens = tokensOf(pattern);
  if (tokens === null) return "its pattern cannot be read";
  const values: { kind: ListKind; value: string }[] = [];
  let at = 0;
  const next = () => tokens[at++];
  const isNext = (text: string) => tokens[at]?.text.toUpperCase() === text && tokens[at]?.is !== "text";
  for (;;) {
    if (next()?.text !== "[") return "its pattern is not one of single observations";
    for (;;) {
      const path = next();
      if (path?.is !== "word") return "its pattern asks for more than values of one property";
      const kind = kindOf(path.text);
      if (kind === null) return `its pattern asks for ${path.text}, which no list holds`;
      const by = next();
      const wanted: string[] = [];
      if (by?.text === "=" || by?.text.toUpperCase() === "ISSUBSET") {
        if (by.text !== "=" && kind !== "address") return "its pattern asks for a subset of what are no addresses";
        const value = next();
        if (value?.is !== "text") return "its pattern compares with what is no text";
        wanted.push(value.text);
      } else if (by?.text.toUpperCase() === "IN") {
        if (next()?.text !== "(") return "its pattern cannot be read";
        do {
          const value = next();
          if (value?.is !== "text") return "its pattern compares with what is no text";
          wanted.push(value.text);
        } while (isNext(",") && next());
        if (next()?.text !== ")") return "its pattern cannot be read";
      } else return `its pattern compares by “${by?.text ?? "nothing"}”, not by what is equal`;
      values.push(...wanted.map((value) => ({ kind, value })));
      if (isNext("]")) break;
      if (!isNext("OR"))
        return "its pattern asks for several things at once: one of them alone would say another thing";
      next();
    }
    next();
    if (at === tokens.length) return values;
    if (!isNext("OR")) return "its pattern asks for several observations together or in an order";
    next();
  }
}

function kindOf(path: string): ListKind | null {
  const [object = "", property = ""] = path.split(":");
  if (object === "file" && property.startsWith("hashes.")) return "text";
  const known = Object.hasOwn(OBSERVABLES, object) ? OBSERVABLES[object]! : null;
  return known !== null && known.property === property ? known.kind : null;
}
