import { fold } from "../../base/text/index.js";
import type { HalvikRecord } from "../../model/record/index.js";
import type { SenderDirectory } from "../../model/senders/index.js";
import { type Filter, senderIds, spelledOut } from "../filter/index.js";
import { LiteralScanner, literalsOf } from "./literals.js";

/** Fields whose equality tells records apart. */
type DispatchField = "event" | "sender" | "host" | "app" | "category" | "kind";
/** The most telling first; "text" stands for words of the message. */
const TELLING = ["event", "sender", "host", "app", "text", "category", "kind"] as const;
/** A test for more senders than this is for a group or a site: what they say tells more. */
const FEW_SENDERS = 8;

/** What a record must be for a filter to hold: have one of these values in a field, or hold one of these texts. */
type Needs =
  | { readonly field: DispatchField; readonly values: readonly string[] }
  | { readonly field: "text"; readonly values: readonly string[] };

/** What a record must be for a filter to hold, by its most telling part; null: anything may. */
function needsOf(filter: Filter, directory: SenderDirectory): Needs | null {
  for (const field of TELLING) {
    const values = field === "text" ? literalsOf(filter) : valuesNeeded(filter, field, directory);
    if (values !== null) return { field, values };
  }
  return null;
}

function valuesNeeded(filter: Filter, field: DispatchField, directory: SenderDirectory): readonly string[] | null {
  switch (filter.type) {
    case "compare": {
      if (filter.field !== field || filter.negated) return null;
      if (field === "sender") {
        const ids = senderIds(filter.test, directory);
        return ids.length > FEW_SENDERS ? null : ids.map(String);
      }
      const { test } = spelledOut(filter, directory);
      if (test.op !== "oneOf") return null;
      return field === "app" || field === "host" ? test.values.map(fold) : test.values;
    }
    case "and":
      // any part will do; the one with the fewest values says most
      return (
        filter.items
          .map((item) => valuesNeeded(item, field, directory))
          .filter((v) => v !== null)
          .sort((a, b) => a.length - b.length)[0] ?? null
      );
    case "or": {
      const each = filter.items.map((item) => valuesNeeded(item, field, directory));
      return each.every((v) => v !== null) ? each.flat() : null;
    }
    default:
      return null;
  }
}

const NONE: readonly never[] = [];

/** Finds what may concern a record without asking everything: cost grows with what could match. */
export class Dispatch<T> {
  private readonly byValue = {
    event: new Map<string, T[]>(),
    sender: new Map<string, T[]>(),
    host: new Map<string, T[]>(),
    app: new Map<string, T[]>(),
    category: new Map<string, T[]>(),
    kind: new Map<string, T[]>(),
  };
  private readonly always: T[] = [];
  private readonly byLiteral: T[][] = [];
  private readonly literals: string[] = [];
  private scanner: LiteralScanner | null = null;
  /** By literal: the record in which it was seen last, so that each counts once. */
  private seenIn: number[] = [];
  private record = 0;

  constructor(private readonly directory: SenderDirectory) {}

  add(filter: Filter, target: T): void {
    const needs = needsOf(filter, this.directory);
    if (needs === null) this.always.push(target);
    else
      for (const value of new Set(needs.values)) {
        if (needs.field === "text") this.addLiteral(value, target);
        else {
          const list = this.byValue[needs.field].get(value);
          if (list) list.push(target);
          else this.byValue[needs.field].set(value, [target]);
        }
      }
  }

  /** Gathers everything that may concern a record into `out`, each once. */
  gather(record: HalvikRecord, out: T[]): void {
    const { event, sender, host, app, category, kind } = this.byValue;
    if (record.event !== null) append(out, event.get(record.event));
    if (sender.size > 0) append(out, sender.get(String(record.sender)));
    if (host.size > 0 && record.host !== null) append(out, host.get(fold(record.host)));
    if (record.app !== null) append(out, app.get(fold(record.app)));
    append(out, category.get(record.category));
    append(out, kind.get(record.kind));
    append(out, this.always);
    if (this.literals.length > 0) this.gatherByText(record.text, out);
  }

  private gatherByText(text: string, out: T[]): void {
    this.scanner ??= new LiteralScanner(this.literals);
    this.record++;
    this.out = out;
    this.before = out.length;
    this.scanner.scan(text, this.noteLiteral);
  }

  private out: T[] = [];
  private before = 0;
  /** One function for every record. */
  private readonly noteLiteral = (literal: number): void => {
    const { out, before } = this;
    if (this.seenIn[literal] === this.record) return;
    this.seenIn[literal] = this.record;
    for (const target of this.byLiteral[literal]!) if (!out.includes(target, before)) out.push(target);
  };

  private addLiteral(literal: string, target: T): void {
    let place = this.literals.indexOf(literal);
    if (place < 0) {
      place = this.literals.push(literal) - 1;
      this.byLiteral.push([]);
      this.seenIn.push(0);
      this.scanner = null;
    }
    this.byLiteral[place]!.push(target);
  }
}

function append<T>(out: T[], more: readonly T[] = NONE): void {
  for (let i = 0; i < more.length; i++) out.push(more[i]!);
}
