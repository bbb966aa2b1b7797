import type { Sender, SenderDirectory } from "@halvik/core/model/senders";

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
