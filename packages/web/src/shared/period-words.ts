import type { Period } from "@halvik/core/report";
import type { SelectOption } from "../ui/select";

/** Periods one chooses from a list; others are written in the editor. */
const CHOICES: readonly (readonly [Period, string])[] = [
  [{ last: 1, unit: "hour", whole: false }, "the last hour"],
  [{ last: 24, unit: "hour", whole: false }, "the last 24 hours"],
  [{ last: 1, unit: "day", whole: true }, "yesterday"],
  [{ last: 7, unit: "day", whole: false }, "7 days up to now"],
  [{ last: 7, unit: "day", whole: true }, "the last 7 whole days"],
  [{ last: 1, unit: "week", whole: true }, "last week, from Monday"],
  [{ last: 30, unit: "day", whole: true }, "the last 30 whole days"],
  [{ last: 1, unit: "month", whole: true }, "last month"],
  [{ last: 3, unit: "month", whole: true }, "the last 3 months"],
];

export const periodKey = (p: Period): string => `${p.last} ${p.unit} ${p.whole ? "whole" : "up to now"}`;

export function readPeriod(key: string): Period | null {
  const found = /^(\d{1,3}) (hour|day|week|month) (whole|up to now)$/.exec(key);
  return found === null
    ? null
    : { last: Number(found[1]), unit: found[2] as Period["unit"], whole: found[3] === "whole" };
}

const word = (p: Period): string => {
  const units = p.last === 1 ? p.unit : `${p.last} ${p.unit}s`;
  return p.whole ? `the last whole ${units}` : `${units} up to now`;
};

/** What can be chosen; a period that is none of the usual is there too. */
export function periodOptions(own: Period, chosen: Period = own): SelectOption[] {
  const usual = CHOICES.map(([p, label]) => ({ value: periodKey(p), label }));
  const others = new Map([own, chosen].map((p) => [periodKey(p), word(p)]));
  for (const { value } of usual) others.delete(value);
  return [...[...others].map(([value, label]) => ({ value, label })), ...usual];
}

export const periodLabel = (p: Period): string => CHOICES.find(([c]) => periodKey(c) === periodKey(p))?.[1] ?? word(p);
