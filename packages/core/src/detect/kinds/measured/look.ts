import * as z from "zod";
import { DAY_SECONDS } from "../../schema/parts.js";
import type { Fault } from "../kind.js";
import { inWords } from "../words.js";

/** Steps of one window at most: each is kept while it is looked back on. */
const MOST_STEPS = 60;

/** How often the last `everySeconds` are measured anew; without it stretches follow one after the other. */
export const lookEverySeconds = z.int().min(10).max(DAY_SECONDS).optional();

interface Looking {
  readonly everySeconds: number;
  readonly lookEverySeconds?: number | undefined;
}

/** Seconds between two looks. */
export const stepOf = ({ everySeconds, lookEverySeconds: look }: Looking): number => look ?? everySeconds;

/** “, looked at every 5 min”, where it is looked at more often than once in what is measured. */
export const sayLook = (rule: Looking): string =>
  stepOf(rule) === rule.everySeconds ? "" : `, looked at every ${inWords(stepOf(rule))}`;

export function lookFaults(rule: Looking): Fault[] {
  const steps = rule.everySeconds / stepOf(rule);
  if (Number.isInteger(steps) && steps <= MOST_STEPS) return [];
  return [
    {
      path: ["lookEverySeconds"],
      message: `expected a whole part of ${inWords(rule.everySeconds)}, a ${MOST_STEPS}th of it at least`,
    },
  ];
}
