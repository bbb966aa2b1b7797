import type { TextKind } from "./kinds.js";

/** A variable of a text: what it stands for, and whether it is lines of its own. */
export interface Variable {
  readonly name: string;
  readonly about: string;
  /** It stands alone on its line and may be many lines, or none. */
  readonly isBlock: boolean;
}

const inline = (name: string, about: string): Variable => ({ name, about, isBlock: false });
const block = (name: string, about: string): Variable => ({ name, about, isBlock: true });

const NOTIFICATION = inline("notification", "the name of the notification that sends it");

const OF_ONE = [
  inline("title", "what it is called"),
  inline("severity", "how urgent it is"),
  inline("number", "its number"),
  inline("state", "how it stands, as a sentence"),
  inline("first", "when its first record happened"),
  inline("last", "when its latest record happened"),
  inline("raised", "when it was raised"),
  inline("ended", "when it was over; else “not yet”"),
  inline("count", "how many records it holds, as “46 records”"),
  inline("senders", "the devices it names"),
  inline("rules", "the names of its rules"),
  inline("link", "the address of its page"),
  NOTIFICATION,
  block("entities", "what it names, a line a field"),
  block("news", "what is new since the last notification"),
  block("story", "what happened, in the order of time"),
  block("why", "its rules, each as a sentence"),
  block("records", "the latest records that caused it"),
  block("advice", "what its rules say to look at next"),
  block("acknowledge", "the link by which who is mailed acknowledges it; nothing where there is none"),
] as const;

const OF_MANY = [
  inline("messages", "how many messages it stands for"),
  NOTIFICATION,
  block("incidents", "each incident with its severity, counts, times and link"),
] as const;

/** What a text of a kind may name. */
export const variablesOf = (kind: TextKind): readonly Variable[] => (kind === "digest" ? OF_MANY : OF_ONE);

export type VariableName = (typeof OF_ONE | typeof OF_MANY)[number]["name"];
