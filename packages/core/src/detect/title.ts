import { fold, shortNumber, thousands } from "../base/text/index.js";
import { entityCode, type OwnNames, valuesOfField } from "../model/entity/index.js";
import type { SenderDirectory } from "../model/senders/index.js";
import { HEARD_AGAIN } from "./episode.js";
import type { Episode } from "./event.js";
import { splitKey } from "./key.js";
import { namesLast } from "./kinds/registry.js";
import type { Rule } from "./rule.js";

const SHOWN_VALUES = 3;
/** From this part on it is said of each that it was heard twice. */
const MOSTLY = 0.8;

/** Fills `{field}`, `{count}` and the names of measured values in a rule's title; sender ids become names. */
export function findingTitle(
  rule: Pick<Rule, "kind" | "title" | "key">,
  finding: {
    readonly key: string;
    readonly count: number;
    readonly entities: readonly string[];
    readonly facts: Episode["facts"];
  },
  directory: SenderDirectory,
): string {
  const { count, entities, facts } = finding;
  const onlyLast = namesLast(rule.kind);
  const keys = splitKey(finding.key, rule.key.length);
  const again = facts.find(([name]) => name === HEARD_AGAIN)?.[1] ?? 0;
  const twice = again > 0 && again >= MOSTLY * count ? ", each heard twice" : "";
  const title = rule.title.replace(/\{([a-z ]+)\}/g, (_, name: string) => {
    if (name === "count") return thousands(count);
    const fact = facts.find(([n]) => n === name);
    if (fact) return figure(fact[1]);
    const place = (rule.key as readonly string[]).indexOf(name);
    // what it is keyed by is one value, whoever else its records name
    const values = entityValues(
      name,
      place < 0 ? entities : own(entities, name, keys[place] ?? "", directory.ours),
      directory,
    );
    if (values.length === 0) return "?";
    const shown = onlyLast ? 1 : SHOWN_VALUES;
    const rest = onlyLast ? 0 : values.length - shown;
    return values.slice(0, shown).join(", ") + (rest > 0 ? ` and ${rest} more` : "");
  });
  return title + twice;
}

/** The value of the key as it was written. */
function own(entities: readonly string[], name: string, key: string, ours: OwnNames): string[] {
  const written = valuesOfField(entities, name).find((value) => ours.canonical(name, value) === fold(key));
  return [entityCode(name, written ?? key)];
}

/** The values of one field among a finding's entities, as people read them. */
export function entityValues(name: string, entities: readonly string[], directory: SenderDirectory): string[] {
  const values = valuesOfField(entities, name);
  return name === "sender" ? values.map((id) => directory.name(Number(id))) : values;
}

/** From here on thousands are told as such. */
const LONG = 1e4;
/** Three figures are enough to read: "1.23 M", "0.05". */
const figure = (value: number): string =>
  Math.abs(value) >= LONG ? shortNumber(value) : String(Number(value.toPrecision(3)));

/** A field of the key of which a finding names more than this is a list: only the value of the key is suspected. */
const FEW = 3;

/**
 * What a finding comes to suspect, as codes: of a field of its key that value, and the others where it names few (who made an account, and the
 * account); of another field the one its title names first.
 */
export function suspectsOf(
  rule: Pick<Rule, "suspects" | "key">,
  finding: { readonly key: string; readonly entities: readonly string[] },
): string[] {
  const keys = splitKey(finding.key, rule.key.length);
  return rule.suspects.flatMap((name) => {
    const named = valuesOfField(finding.entities, name);
    const place = (rule.key as readonly string[]).indexOf(name);
    const values = place < 0 ? named.slice(0, 1) : named.length <= FEW ? named : [keys[place] ?? ""];
    return values.map((value) => entityCode(name, value));
  });
}

/** What a finding is about, as codes: the values of its key. */
export const aboutOf = (rule: Pick<Rule, "key">, key: string): string[] => {
  const values = splitKey(key, rule.key.length);
  return rule.key.map((name, i) => entityCode(name, values[i] ?? ""));
};
