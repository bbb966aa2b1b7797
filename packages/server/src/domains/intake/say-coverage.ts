import type { coverageJson } from "./coverage.js";

/** What is known to be missing from a window, a sentence each; empty: nothing. @param moment a time as people read it */
export function sayCoverage(lacking: ReturnType<typeof coverageJson>, moment: (at: string) => string): string[] {
  const said = lacking.notListening.map((gap) => `Nobody listened from ${moment(gap.from)} to ${moment(gap.to)}.`);
  if (lacking.lost > 0) said.push(`${lacking.lost} datagrams or records were lost.`);
  if (lacking.capped > 0) said.push(`${lacking.capped} were over the cap of their sender.`);
  if (lacking.flowGaps > 0) said.push(`${lacking.flowGaps} flow datagrams are missing by their exporters' numbers.`);
  if (lacking.shed > 0) said.push(`${lacking.shed} records were dropped before their time, for want of disk.`);
  if (lacking.droppedByRules > 0) said.push(`${lacking.droppedByRules} records were dropped on arrival by rules.`);
  if (lacking.silent.length > 0) said.push(`Went silent: ${lacking.silent.join(", ")}.`);
  if (lacking.keptFrom !== undefined) said.push(`Records are kept from ${moment(lacking.keptFrom)} on.`);
  return said;
}
