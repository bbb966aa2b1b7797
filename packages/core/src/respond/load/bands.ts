import type { Load } from "./measure.js";

/** How a figure stands to what is published about it. */
export type Band = "good" | "bearable" | "too much";

/** A figure of the load with what is published about it. */
export interface Judged {
  readonly name: string;
  readonly value: number;
  /** How it is read: a number, or a share of something. */
  readonly unit: "number" | "share";
  /** Good up to this, bearable up to that. */
  readonly good: number;
  readonly bearable: number;
  /** Where the figures come from. */
  readonly source: string;
  readonly band: Band;
}

/**
 * The figures are those in general use, taken from memory: ANSI/ISA-18.2-2016 and IEC 62682:2014 (clause 16, monitoring and assessment; table of performance
 * metrics), EEMUA publication 191 (chapter on performance metrics). They are for one person on duty.
 */
const ISA = "ANSI/ISA-18.2, IEC 62682";
const EEMUA = "EEMUA 191";

interface Figure {
  readonly name: string;
  readonly unit: Judged["unit"];
  readonly value: (load: Load) => number;
  readonly good: number;
  readonly bearable: number;
  readonly source: string;
  /** A share of fewer alarms than this says nothing. */
  readonly least?: number;
}

/** Below this, ten sources are most of all there are (common practice, no source). */
const FEW = 50;

const FIGURES: readonly Figure[] = [
  { name: "a day", unit: "number", value: (l) => l.perDay, good: 150, bearable: 300, source: ISA },
  { name: "an hour", unit: "number", value: (l) => l.perHour, good: 6, bearable: 12, source: ISA },
  {
    name: "in 10 minutes",
    unit: "number",
    value: (l) => l.perTenMinutes,
    good: 1,
    bearable: 2,
    source: `${ISA}, ${EEMUA}`,
  },
  {
    name: "most in 10 minutes",
    unit: "number",
    value: (l) => l.mostInTenMinutes,
    good: 10,
    bearable: 20,
    source: `${ISA}, ${EEMUA}`,
  },
  {
    name: "hours with more than 30",
    unit: "share",
    value: (l) => l.hoursOver30,
    good: 0.01,
    bearable: 0.05,
    source: ISA,
  },
  {
    name: "10 minutes with more than 10",
    unit: "share",
    value: (l) => l.tenMinutesOver10,
    good: 0.01,
    bearable: 0.05,
    source: ISA,
  },
  { name: "time in flood", unit: "share", value: (l) => l.timeInFlood, good: 0.01, bearable: 0.05, source: ISA },
  {
    name: "critical or worse",
    unit: "share",
    value: (l) => l.high,
    good: 0.05,
    least: FEW,
    bearable: 0.1,
    source: `${ISA}, ${EEMUA}: 5, 15 and 80 %`,
  },
  { name: "of the ten busiest sources", unit: "share", value: (l) => l.topTen, good: 0.05, bearable: 0.2, source: ISA },
  { name: "standing for more than a day", unit: "number", value: (l) => l.stale, good: 5, bearable: 10, source: ISA },
  { name: "chattering", unit: "number", value: (l) => l.chattering.length, good: 0, bearable: 0, source: ISA },
  { name: "fleeting", unit: "number", value: (l) => l.fleeting, good: 0, bearable: 0, source: ISA },
];

/** The load, figure by figure, beside what is published. */
export const judge = (load: Load): Judged[] =>
  FIGURES.map(({ name, unit, value, good, bearable, source, least = 0 }) => {
    const n = value(load);
    return {
      name,
      value: n,
      unit,
      good,
      bearable,
      source,
      band: n <= good || load.alarms < least ? "good" : n <= bearable ? "bearable" : "too much",
    };
  });
