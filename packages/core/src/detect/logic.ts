import type { Rule } from "./rule.js";

/** Words about a rule, as against what it does. */
const WORDS = [
  "name",
  "severity",
  "worse",
  "title",
  "remindSeconds",
  "listenOnly",
  "shelve",
  "explainedBy",
  "suspects",
  "reason",
  "notes",
  "owner",
  "tags",
  "references",
  "tests",
];

/** What a rule's states depend on: a change of words keeps them (`docs/semantics.md` 23). Which records are worse is remembered with them. */
export function logicOf(rule: Rule): string {
  const parts: object = Object.fromEntries(Object.entries(rule).filter(([name]) => !WORDS.includes(name)));
  const worse = rule.worse.map((w) => w.filter ?? "");
  return JSON.stringify(worse.some((filter) => filter !== "") ? { ...parts, worse } : parts);
}
