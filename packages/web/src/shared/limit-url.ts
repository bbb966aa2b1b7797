import type { Limit } from "@halvik/core/report";

/** The limit in an address: what a figure of a report is to be guarded by; null: there is none that can be read. */
export function limitIn(params: URLSearchParams): Limit | null {
  const [of, every, look, raiseAt, clearAt] = ["of", "every", "look", "raiseAt", "clearAt"].map((name) =>
    params.get(name),
  );
  const numbers = [every, look, raiseAt, clearAt].map(Number);
  if (of == null || numbers.some((n) => !(n > 0))) return null;
  const [everySeconds, lookEverySeconds, raise, clear] = numbers as [number, number, number, number];
  const measure =
    of === "bytes" || of === "packets" ? ({ of: "sum", field: of } as const) : ({ of: "records" } as const);
  return { measure, everySeconds, lookEverySeconds, raiseAt: raise, clearAt: clear };
}

const MOST_NAME = 80;

/** Where a new rule begins with a limit. @param filter of the records it guards @param name what the rule is called, to begin with */
export const limitUrl = (limit: Limit, filter: string, name: string): string =>
  `/rules/new?${new URLSearchParams({ filter, name: name.slice(0, MOST_NAME), ...limitParams(limit) })}`;

const limitParams = ({ measure, everySeconds, lookEverySeconds, raiseAt, clearAt }: Limit): Record<string, string> => ({
  of: measure.of === "sum" ? measure.field : measure.of,
  every: String(everySeconds),
  look: String(lookEverySeconds),
  raiseAt: String(raiseAt),
  clearAt: String(clearAt),
});
