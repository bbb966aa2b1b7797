import type { SenderDirectory } from "@halvik/core/model/senders";
import { type Filter, parseFilter } from "@halvik/core/query/filter";

/** A filter that Halvik writes itself, from values that are quoted where they need to be. @throws when it is none: that is a mistake of ours */
export function ownFilter(text: string, directory?: SenderDirectory): Filter {
  const read = parseFilter(text, { zone: "UTC", ...(directory === undefined ? {} : { directory }) });
  if (!read.ok) throw new Error(`${text}: ${read.error.message}`);
  return read.filter;
}
