import { type Rule, subjectsOf } from "@halvik/core/detect";
import type { Sender, SenderDirectory } from "@halvik/core/model/senders";
import { Things } from "@halvik/core/respond/incidents";
import { once } from "./once.js";

/** The things that findings and incidents name, as this directory calls them. */
export const thingsOf = once((directory: SenderDirectory) => new Things(directory.ours, (id) => directory.name(id)));

/** What each of the rules in force is about as few others are. A changed set of rules is another map. */
export const subjectsAmong = once((rules: ReadonlyMap<string, Rule>) => subjectsOf(rules.values()));

/** How a sender hangs on another: reached through it, or at the same site. Senders come by id or by name. */
export function relationOf(directory: SenderDirectory, cause: string, consequence: string): string | null {
  const from = find(directory, cause);
  const to = find(directory, consequence);
  if (from === undefined || to === undefined || from.id === to.id) return null;
  const seen = new Set<number>();
  for (let id = to.reachedThrough; id !== null && !seen.has(id); id = directory.get(id)?.reachedThrough ?? null) {
    if (id === from.id) return `${to.name} is reached through ${from.name}`;
    seen.add(id);
  }
  return from.site !== null && from.site === to.site ? `${to.name} and ${from.name} stand at ${from.site}` : null;
}

const find = (directory: SenderDirectory, idOrName: string): Sender | undefined =>
  directory.get(Number(idOrName)) ?? directory.senders.find((s) => s.name === idOrName);
