import { mayBeBareColumns, readBareColumns } from "./bare-columns.js";
import type { FirewallDecision } from "./decision.js";
import { mayBeDelimited, readDelimited } from "./delimited.js";
import { readKeyValue } from "./key-value.js";
import { readNetfilter } from "./netfilter.js";
import { readPf } from "./pf.js";
import { mayBePfColumns, readPfColumns } from "./pf-columns.js";
import { mayBeSentence, readBuilt, readSentence } from "./sentence.js";

/** The decision a message's text tells, or null: most messages are none, and are told so by a glance. */
export function findDecision(text: string): FirewallDecision | null {
  if (text.length < 20) return null;
  if (text.includes(" DST=") && text.includes("SRC=")) return readNetfilter(text);
  if (text.includes("rule ") && text.includes("(match)")) return readPf(text);
  if (mayBePfColumns(text)) {
    const found = readPfColumns(text);
    if (found !== null) return found;
  }
  if (mayBeBareColumns(text)) {
    const found = readBareColumns(text);
    if (found !== null) return found;
  }
  if (mayBeSentence(text)) {
    const found = readSentence(text) ?? readBuilt(text);
    if (found !== null) return found;
  }
  if (mayBeDelimited(text)) return readDelimited(text);
  // three pairs at least: a verdict and two more
  const first = text.indexOf("=");
  if (first < 0) return null;
  const second = text.indexOf("=", first + 1);
  return second > 0 && text.indexOf("=", second + 1) > 0 ? readKeyValue(text) : null;
}
