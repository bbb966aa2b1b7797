import type { TextKind } from "./kinds.js";
import type { WrittenText } from "./own-texts.js";

const PARTS = [
  "{title}",
  "",
  "{state}. Severity {severity}, incident {number}.",
  "From {first} to {last}: {count}.",
  "{entities}",
  "",
  "What is new",
  "{news}",
  "",
  "What happened",
  "{story}",
  "",
  "Why",
  "{why}",
  "",
  "The latest records",
  "{records}",
  "",
  "What to look at next",
  "{advice}",
  "",
  "{link}",
  "",
  "Acknowledge it, once, within 72 h",
  "{acknowledge}",
];

const about = (word: string, without: readonly string[] = []): WrittenText => ({
  subject: `Halvik · ${word}: {title} ({severity})`,
  body: PARTS.filter((line) => !without.includes(line)).join("\n"),
});

/** The texts that ship. A line of words alone above a block is its heading, and goes where the block is empty. */
export const ENGLISH: Readonly<Record<TextKind, WrittenText>> = {
  raise: about("raised"),
  change: about("changed"),
  worse: about("worse"),
  reminder: about("not acknowledged"),
  escalation: about("not acknowledged, for you now"),
  clear: about("over", ["What to look at next", "{advice}"]),
  digest: {
    subject: "Halvik · {messages} incidents raised, changed or over",
    body: "{messages} messages in one: many came at the same time.\n\n{incidents}",
  },
};
