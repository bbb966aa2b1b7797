import { type Fault, keyFaults, PLAIN, type RuleKind } from "../kind.js";
import { inWords, named, seconds, withTheSame } from "../words.js";
import type { SequenceRule } from "./schema.js";
import { SequenceRun } from "./sequence-run.js";

export const sequence: RuleKind<SequenceRule> = {
  ...PLAIN,
  conditions: (r) => r.steps.map((s) => ({ filter: s.filter, key: s.key ?? r.key, name: s.name })),
  say: (r) =>
    `within ${inWords(r.windowSeconds)}${withTheSame(r.key)}${r.along === undefined ? "" : ` and along the same ${r.along}`}, in this order: ${r.steps.map(sayStep).join("; ")}`,
  windowSeconds: (r) => r.windowSeconds,
  faults: (r) => [
    ...keyFaults(
      r.key,
      r.steps.map((s, i) => [["steps", i, "key"], s.key] as const),
    ),
    ...absenceFaults(r.steps),
  ],
  severalSteps: true,
  namesLast: true,
  distinctOf: (r) => r.along ?? null,
  waits: (r) => r.steps.some((s) => s.absent),
  absent: (r) => r.steps.flatMap((s, i) => (s.absent ? [i] : [])),
  begin: (r, common) => {
    const steps = r.steps.map((s) => ({
      count: s.count,
      withinUs: s.withinSeconds === undefined ? null : seconds(s.withinSeconds),
      absent: s.absent,
    }));
    const logic = { ...common, steps, windowUs: seconds(r.windowSeconds) };
    return (saved) => new SequenceRun(logic, saved);
  },
};

function absenceFaults(steps: SequenceRule["steps"]): Fault[] {
  const out: Fault[] = [];
  for (const [i, step] of steps.entries()) {
    if (!step.absent) continue;
    const path = ["steps", i];
    if (i === 0) out.push({ path, message: "a sequence begins with something that happens" });
    if (steps[i - 1]?.absent)
      out.push({ path, message: "two things that must not happen do not follow one another: join their filters" });
    if (step.count > 1) out.push({ path: [...path, "count"], message: "what must not happen is not counted" });
  }
  const last = steps.length - 1;
  if (steps[last]!.absent && steps[last]!.withinSeconds === undefined)
    out.push({ path: ["steps", last], message: "for how long must it not happen? Give withinSeconds" });
  return out;
}

function sayStep(step: SequenceRule["steps"][number], i: number): string {
  const within = step.withinSeconds === undefined ? "" : ` within ${inWords(step.withinSeconds)}`;
  if (step.absent) return `${i + 1}. nothing${within || " before the next"} that matches ${named(step)}`;
  return `${i + 1}. ${step.count === 1 ? "" : `${step.count} × `}${named(step)}${i === 0 && step.count === 1 ? "" : within}`;
}
