import { ArrivalRules } from "@halvik/core/arrive";
import type { ReadyFormat } from "@halvik/core/formats";
import type { SenderDirectory } from "@halvik/core/model/senders";
import { nowUs } from "../../kernel/clock.js";
import { type KeptFormat, readyFormats } from "../formats/repository.js";
import { choiceOf, type KeptForward, type ReadyForward } from "../forwarding/repository.js";
import { type KeptRule, readyRules } from "./repository.js";

/** What people decided about what arrives, as it is kept. */
export interface KeptDecisions {
  readonly rules: readonly KeptRule[];
  readonly formats: readonly KeptFormat[];
  readonly forwards: readonly KeptForward[];
  /** What forwards send with, by their number. */
  readonly secrets: ReadonlyMap<number, string>;
}

export const NOTHING_DECIDED: KeptDecisions = { rules: [], formats: [], forwards: [], secrets: new Map() };

/** The same, ready to run. */
export interface ReadyDecisions {
  /** Undefined: there are none. */
  readonly arrivalRules: ArrivalRules | undefined;
  readonly formats: readonly ReadyFormat[];
}

/** Something that does not run any more, and why. */
export interface Broken {
  readonly what: "rule of arrival" | "format" | "forward";
  readonly name: string;
  readonly why: string;
}

/** Keeps rules and formats ready. Their filters name senders, lists and the like: they are read again when those change. */
export class Decisions {
  kept: KeptDecisions = NOTHING_DECIDED;
  private made: { readonly of: KeptDecisions; readonly senders: SenderDirectory | null } | null = null;
  private broken: ReadonlySet<string> = new Set();

  constructor(private readonly directory: { get(): Promise<SenderDirectory> }) {}

  /** @returns what runs now and what broke since the last time; null: nothing has changed */
  async refresh(): Promise<{
    readonly ready: ReadyDecisions;
    readonly forwards: readonly ReadyForward[];
    readonly broken: readonly Broken[];
  } | null> {
    const of = this.kept;
    const senders = of.rules.length + of.formats.length + of.forwards.length === 0 ? null : await this.directory.get();
    if (this.made?.of === of && this.made.senders === senders) return null;
    const now = nowUs();
    const rules = senders === null ? NOTHING : readyRules(of.rules, senders);
    const formats = senders === null ? NOTHING : readyFormats(of.formats, senders, now);
    const chosen = of.forwards
      .filter((f) => f.enabled)
      .map((f) => ({ ...f, ...(senders === null ? NO_CHOICE : choiceOf(f.forward, senders, now)) }));
    this.made = { of, senders };
    const all: Broken[] = [
      ...rules.broken.map(({ id, why }) => ({
        what: "rule of arrival" as const,
        name: of.rules.find((r) => r.id === id)!.rule.name,
        why,
      })),
      ...formats.broken.map(({ id, why }) => ({
        what: "format" as const,
        name: of.formats.find((f) => f.id === id)!.format.name,
        why,
      })),
      ...chosen.flatMap(({ forward, broken }) =>
        broken === null ? [] : [{ what: "forward" as const, name: forward.name, why: broken }],
      ),
    ];
    const before = this.broken;
    this.broken = new Set(all.map(keyOf));
    return {
      ready: {
        arrivalRules:
          senders === null || rules.ready.length === 0 ? undefined : new ArrivalRules(rules.ready, senders, now),
        formats: formats.ready,
      },
      forwards: chosen.map(({ id, forward, matches }) => ({ id, forward, matches, secret: of.secrets.get(id) ?? "" })),
      broken: all.filter((b) => !before.has(keyOf(b))),
    };
  }
}

const NOTHING = { ready: [], broken: [] };
const NO_CHOICE = { matches: null, broken: null };
const keyOf = ({ what, name }: Broken): string => `${what} ${name}`;
