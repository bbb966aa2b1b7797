import * as z from "zod";
import { PRIVATE_BLOCKS } from "../base/net/index.js";
import { oneLine } from "../base/text/index.js";
import { MAX_FILTER_LENGTH, parseFilter } from "../query/filter/index.js";

/** What a question is asked of, and a value to try its searches with. */
const ASKED_OF = {
  user: "k.lind",
  address: "192.0.2.7",
  host: "dc-1",
  sender: "fw-1",
  hash: "5d41402abc4b2a76b9719d911017c592",
  domain: "ferries.example",
  app: "sshd",
  event: "4625",
} as const;
export type AskedOf = keyof typeof ASKED_OF;
export const ASKED_OF_NAMES = Object.keys(ASKED_OF) as [AskedOf, ...AskedOf[]];

export const MOST_SEARCHES = 20;
export const LONGEST_VALUE = 300;

/** Where the value stands in the filters of a set. */
const PLACE = /\$value\b/g;

/** The filter of a search with the value in its place, quoted so that it is a value and nothing else. */
export const askedFilter = (template: string, value: string): string =>
  template.replace(PLACE, () => `"${value.replace(/["\\]/g, "\\$&")}"`);

const Search = z.strictObject({
  /** What it asks, as a person reads it. */
  asks: oneLine(160).min(1, "expected what it asks"),
  /** A filter; `$value` is what it is asked of. */
  filter: z
    .string()
    .trim()
    .min(1, "expected a filter")
    .max(MAX_FILTER_LENGTH / 2),
});

/** Searches that are run together on one value: what one asks of an account, an address, a file. */
export const QuestionSet = z
  .strictObject({
    name: oneLine(80).min(1, "expected a name"),
    about: oneLine(400).default(""),
    of: z.enum(ASKED_OF_NAMES),
    searches: z.array(Search).min(1, "expected a search").max(MOST_SEARCHES),
  })
  .check(({ value: { of, searches }, issues }) => {
    for (const [i, { filter }] of searches.entries()) {
      const path = ["searches", i, "filter"];
      if (!filter.includes("$value"))
        issues.push({ code: "custom", message: "expected $value where the value stands", input: filter, path });
      // saved filters are known when it is asked
      const read = parseFilter(askedFilter(filter, ASKED_OF[of]), { zone: "UTC", allowsAfter: true });
      if (!read.ok && !filter.includes("filter "))
        issues.push({ code: "custom", message: read.error.message, input: filter, path });
    }
  });
export type QuestionSet = z.infer<typeof QuestionSet>;

const set = (
  name: string,
  of: AskedOf,
  about: string,
  searches: readonly (readonly [string, string])[],
): QuestionSet => ({
  name,
  of,
  about,
  searches: searches.map(([asks, filter]) => ({ asks, filter })),
});

/** What ships. What to ask of a sort of thing is common practice, no source. */
export const READY_QUESTIONS: readonly QuestionSet[] = [
  set("This account", "user", "What an account did, where from, and who changed it", [
    ["logons that worked", "user is $value and category is logon and outcome is success"],
    ["logons that were refused", "user is $value and category is logon and outcome is failure"],
    ["from addresses that are not ours", `user is $value and src present and not src within ${PRIVATE_BLOCKS}`],
    ["rights it used or was given", "user is $value and category is privilege"],
    ["changes of accounts it is named in", "user is $value and category is account"],
    ["changes of configuration by it", "user is $value and category is configuration"],
    ["logs that were emptied", 'user is $value and category is "log tampering"'],
  ]),
  set("This account may be guessed", "user", "Whether somebody tried until it worked", [
    ["refused logons", "user is $value and category is logon and outcome is failure"],
    [
      "a logon within ten minutes after a refused one",
      "user is $value and category is logon and outcome is success and same user within 10 min after (category is logon and outcome is failure)",
    ],
    ["it was locked", "user is $value and event is 4740"],
    ["its password was set anew", "user is $value and event is 4723, 4724"],
  ]),
  set("A leaver's account", "user", "Whether an account that should rest is used", [
    ["anything that worked", "user is $value and outcome is success"],
    ["anything that was refused", "user is $value and outcome is failure"],
    ["it was enabled or made again", "user is $value and event is 4720, 4722"],
  ]),
  set("This address", "address", "What an address sent, reached, and was refused", [
    ["traffic that was let through", "address is $value and action is accept"],
    ["traffic that was refused", "address is $value and action is deny, reject"],
    ["flows from it", "src is $value and kind is flow"],
    ["flows to it", "dst is $value and kind is flow"],
    ["logons from it that worked", "src is $value and category is logon and outcome is success"],
    ["logons from it that were refused", "src is $value and category is logon and outcome is failure"],
    ["errors that name it", "address is $value and severity at least error"],
  ]),
  set("Does it look around", "address", "Whether an address tries what it has no business with", [
    ["refused", "src is $value and action is deny, reject"],
    ["remote terminals and desktops", "src is $value and dst port in 22, 23, 3389, 5900"],
    ["file shares and directories", "src is $value and dst port in 135, 139, 389, 445"],
    ["databases", "src is $value and dst port in 1433, 1521, 3306, 5432, 27017"],
    ["management of devices", "src is $value and dst port in 161, 162, 830, 8291"],
  ]),
  set("Did data leave", "address", "Large amounts from an address, and by which ways", [
    ["more than 10 MB at once", "src is $value and bytes over 10 MB"],
    [
      "more than 1 MB to addresses that are not ours",
      `src is $value and bytes over 1 MB and not dst within ${PRIVATE_BLOCKS}`,
    ],
    ["mail", "src is $value and dst port in 25, 465, 587"],
    ["file transfer", "src is $value and dst port in 20, 21, 22, 989, 990"],
    ["names asked for in unusual length", "src is $value and dst port is 53 and bytes over 512"],
  ]),
  set("This machine", "host", "What happened on a machine, by all that name it", [
    ["errors and worse", "host is $value and severity at least error"],
    ["services made or stopped", "host is $value and category is service"],
    ["programs that were started", "host is $value and category is process"],
    ["logons that worked", "host is $value and category is logon and outcome is success"],
    ["changes of configuration", "host is $value and category is configuration"],
    ["logs that were emptied", 'host is $value and category is "log tampering"'],
  ]),
  set("Does somebody stay on it", "host", "Ways in which whoever came in comes back", [
    ["accounts made or changed", "host is $value and category is account"],
    ["services installed", "host is $value and event is 4697, 7045"],
    ["tasks to be run later", "host is $value and event is 4698, 4702"],
    ["rights given", "host is $value and category is privilege"],
    ["the log was emptied", "host is $value and event is 1102, 104"],
  ]),
  set("This device", "sender", "What a device says of itself and of who worked on it", [
    ["errors and worse", "sender is $value and severity at least error"],
    ["changes of configuration", "sender is $value and category is configuration"],
    ["logons to it", "sender is $value and category is logon"],
    ["links and neighbours", "sender is $value and category in link, routing"],
    ["its health", 'sender is $value and category is "system health"'],
  ]),
  set("This file's hash", "hash", "Where a file was, and what was said of it", [
    ["any record that has it", "text has $value"],
    ["programs that were started", "text has $value and category is process"],
    ["warnings and worse", "text has $value and severity at least warning"],
  ]),
  set("This domain", "domain", "Who asked for a name, and went there", [
    ["any record that has it", "text has $value"],
    ["names that were asked for", "kind is packet and text has $value"],
    ["refused", "text has $value and outcome is failure"],
  ]),
  set("This program", "app", "What a program says, and where it runs", [
    ["errors and worse", "app is $value and severity at least error"],
    ["shapes never seen before", "app is $value and shape new"],
    ["accounts it names", "app is $value and user present"],
    ["addresses it names", "app is $value and address present"],
    ["it was started or stopped", "app is $value and category in process, service"],
  ]),
];
