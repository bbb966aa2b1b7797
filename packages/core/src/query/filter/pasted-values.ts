import { canonicalAddress, parseNetwork } from "../../base/net/index.js";
import { fold } from "../../base/text/index.js";

/** What is made of a text somebody pasted. */
export interface PastedValues {
  /** Each once, in the order in which they came. */
  readonly values: readonly string[];
  /** How many came more than once. */
  readonly twice: number;
  /** What is no value of the sort. */
  readonly unread: readonly string[];
}

/** Values that are taken from one text. */
export const MOST_PASTED = 20_000;

/** Parts of a list, a table, a message: between blanks, commas, semicolons, quotes and brackets that stand around. */
const BETWEEN_ADDRESSES = /[\s,;"'<>|`]+/;
const BETWEEN_TEXTS = /[\n\r\t,;]+/;
/** Addresses are often written so that nobody follows them by a click: 192[.]0[.]2[.]7 (common practice, no source). */
const MASKED = /\[\.\]|\(\.\)|\{\.\}|\[dot\]/gi;

/** An address with a port behind it, as connections are told: `192.0.2.7:443`, `[2001:db8::7]:443` (RFC 3986 section 3.2.2 for the brackets). */
const WITH_PORT = /^(?:(\d{1,3}(?:\.\d{1,3}){3})|\[([\da-f:.]{2,45})\]):\d{1,5}[).,]*$/i;

/**
 * The values in a text that was pasted: addresses and blocks wherever they stand, also masked ones; or texts, one a line or between commas.
 * @param most values that are taken
 */
export function pastedValues(text: string, of: "address" | "text", most = MOST_PASTED): PastedValues {
  const parts = text
    .split(of === "address" ? BETWEEN_ADDRESSES : BETWEEN_TEXTS)
    .map((part) => (of === "address" ? addressIn(part) : unquoted(part)))
    .filter((part) => part.written !== "");
  const values = new Map<string, string>();
  const unread: string[] = [];
  let twice = 0;
  for (const { written, value } of parts) {
    if (value === null) unread.push(written);
    else if (values.has(fold(value))) twice++;
    else if (values.size < most) values.set(fold(value), value);
    else unread.push(written);
  }
  return { values: [...values.values()], twice, unread };
}

interface Part {
  readonly written: string;
  readonly value: string | null;
}

function addressIn(part: string): Part {
  // brackets and stops of the sentence around it, in whatever order; a colon may be an address's own
  const bare = part
    .replace(MASKED, ".")
    .replace(WITH_PORT, "$1$2")
    .replace(/^[[(]+/, "")
    .replace(/[\]).]+$/, "");
  const written = canonicalAddress(bare) === null ? bare.replace(/:+$/, "") : bare;
  const address = canonicalAddress(written);
  if (address !== null) return { written, value: address };
  return { written, value: written.includes("/") && parseNetwork(written) !== null ? written : null };
}

function unquoted(part: string): Part {
  const written = part
    .trim()
    .replace(/^(["'])(.*)\1$/, "$2")
    .trim();
  return { written, value: written };
}
