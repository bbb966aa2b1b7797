import type { SenderDirectory } from "../senders/index.js";
import { KEY_SEPARATOR } from "./engine.js";
import type { Rule } from "./rule.js";

const SHOWN_VALUES = 3;

/** Fills `{field}` and `{count}` in a rule's title from a finding's entities; sender ids become names. */
export function findingTitle(
  rule: Pick<Rule, "title">,
  count: number,
  entities: readonly string[],
  directory: SenderDirectory,
): string {
  return rule.title.replace(/\{([a-z ]+)\}/g, (whole, name: string) => {
    if (name === "count") return String(count);
    const values = entityValues(name, entities, directory);
    if (values.length === 0) return whole === "{count}" ? String(count) : "?";
    const rest = values.length - SHOWN_VALUES;
    return values.slice(0, SHOWN_VALUES).join(", ") + (rest > 0 ? ` and ${rest} more` : "");
  });
}

/** The values of one field among a finding's entities, as people read them. */
export function entityValues(name: string, entities: readonly string[], directory: SenderDirectory): string[] {
  const prefix = `${name}${KEY_SEPARATOR}`;
  const values = entities.filter((e) => e.startsWith(prefix)).map((e) => e.slice(prefix.length));
  return name === "sender" ? values.map((id) => directory.name(Number(id))) : values;
}
