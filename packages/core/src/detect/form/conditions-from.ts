import { quoteIfNeeded } from "../../query/filter/index.js";

/** A record as far as conditions are made of it. */
export interface RecordSeen {
  readonly kind: string;
  readonly category: string;
  readonly outcome: string;
  readonly severity: string;
  readonly text: string;
  readonly app?: string | undefined;
  readonly event?: string | undefined;
  /** The name of an SNMP notification. */
  readonly eventName?: string | undefined;
  readonly action?: string | undefined;
  readonly policy?: string | undefined;
  readonly dstPort?: number | undefined;
}

/** A condition that the record meets, and what else does. */
export interface SuggestedCondition {
  readonly filter: string;
  readonly about: string;
}

const MOST_WORDS = 6;
const LEAST_LETTERS = 4;

/** What a rule may look for that is to be raised on records like one: by what happened, by its event, by its words. The most general first. */
export function conditionsFrom(r: RecordSeen): SuggestedCondition[] {
  const out: SuggestedCondition[] = [];
  if (r.category !== "other" && r.outcome !== "unknown")
    out.push({
      filter: `category is ${quoteIfNeeded(r.category)} and outcome is ${r.outcome}`,
      about: "the same sort of event, from any kind of device",
    });
  else if (r.category !== "other")
    out.push({
      filter: `category is ${quoteIfNeeded(r.category)}`,
      about: "the same sort of event, from any kind of device",
    });
  if (r.event !== undefined && r.kind !== "firewall") {
    const app = r.kind === "windows" && r.app !== undefined ? ` and app is ${quoteIfNeeded(r.app)}` : "";
    out.push({ filter: `event is ${quoteIfNeeded(r.eventName ?? r.event)}${app}`, about: "this event" });
  }
  if (r.action !== undefined) {
    if (r.policy !== undefined)
      out.push({
        filter: `action is ${r.action} and policy is ${quoteIfNeeded(r.policy)}`,
        about: "decided so by this policy",
      });
    if (r.dstPort !== undefined)
      out.push({ filter: `action is ${r.action} and dst port is ${r.dstPort}`, about: "decided so, to this port" });
  }
  const words = constantWords(r.text);
  if (words !== null && r.kind !== "flow" && r.kind !== "snmp")
    out.push({
      filter: `${r.app === undefined || r.kind === "windows" ? "" : `app is ${quoteIfNeeded(r.app)} and `}text has "${words.replace(/["\\]/g, "\\$&")}"`,
      about: "these words",
    });
  return out;
}

/** The longest run of words of a message that are words, not values: no digits, names with dots, addresses, paths. */
function constantWords(text: string): string | null {
  const runs: string[][] = [[]];
  for (const word of text.split(/\s+/)) {
    // punctuation ends a run, but may stand at its end
    const bare = word.replace(/[.,:;!?)]+$/, "");
    if (/^\p{L}[\p{L}'’-]*$/u.test(bare)) runs[runs.length - 1]!.push(bare);
    else runs.push([]);
    if (bare !== word) runs.push([]);
  }
  const letters = (run: readonly string[]) => run.join(" ").length;
  const [longest] = runs.map((run) => run.slice(0, MOST_WORDS)).sort((a, b) => letters(b) - letters(a));
  return longest !== undefined && letters(longest) >= LEAST_LETTERS ? longest.join(" ") : null;
}
