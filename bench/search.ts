import { US_PER_DAY, US_PER_HOUR, US_PER_MINUTE } from "@halvik/core/base/time";
import { parseFilter } from "@halvik/core/query/filter";
import { loadDirectory } from "../packages/server/src/domains/intake/senders/directory-cache.js";
import { connectionOf, createPool } from "../packages/server/src/kernel/db/pool.js";
import { fieldValues } from "../packages/server/src/store/field-values.js";
import { histogram } from "../packages/server/src/store/histogram.js";
import { type PageKey, searchRecords } from "../packages/server/src/store/search.js";
import { TermIndex } from "../packages/server/src/store/term-index.js";
import { percentile, sayMachine } from "./harness.js";
import { openStore, STORE_DAYS, STORE_ENDS_MINUTE } from "./store.js";

/**
 * First pages, counts, values and scans over a store made before. Where a page could not be filled, how far back it looked.
 * Usage: node scripts/bench.mjs search DIR
 */
const RUNS = 5;
/** As the API has it. */
const BUDGET_MS = 550;
const CLASSES: Readonly<Record<string, readonly string[]>> = {
  everything: ["", "kind present", "time last 400 d", "severity at most emergency", "sender in site Orvane, Hestnes"],
  "common word": ["asked", "client", "sold", "input", "agent"],
  "medium word": ["failed", "battery", "mirror", "moved", "signal"],
  "rare word": ["unsolicited", "55640", "62747", "e1f9", "9c4a"],
  "part of a word": ["*assw*", "*irro*", "*ttery*", "*olici*", "*zzqx*"],
  "beginning of a word": ["fail*", "batt*", "mirr*", "unsol*", "zzq*"],
  phrase: [
    '"failed password for"',
    '"moved to guest"',
    '"battery 100"',
    '"Failed to start mirror"',
    '"asked for weather"',
  ],
  address: [
    "address is 203.0.113.66",
    "src is 10.20.4.31",
    "dst is 192.0.2.17",
    "address within 203.0.113.0/28",
    "10.20.2.170",
  ],
  severity: [
    "severity is error",
    "severity at least critical",
    "severity is warning",
    "severity at least error",
    "severity is debug",
  ],
  sender: [
    "sender is vpn-1",
    "sender is dc-1",
    "sender in site Hestnes",
    "sender is ups-torvika",
    "sender in group network",
  ],
  port: ["dst port is 443", "dst port is 3389", "src port is 51820", "dst port in 1..1023", "dst port is 6881"],
  "event code": [
    "event is 4625",
    "event is 4624, 4634",
    "event is 1102",
    'event is "1.3.6.1.6.3.1.1.5.3"',
    "event is 7045",
  ],
  "key=value": [
    "data IpAddress is 203.0.113.66",
    'data LogonType is "3"',
    'data TargetUserName is "k.lind"',
    'policy is "web-in"',
    "data ProcessName present",
  ],
  negation: [
    "not kind is flow",
    "not severity is informational",
    "not app is kernel",
    "not text has asked and kind is syslog",
    "not sender in site Orvane",
  ],
  combination: [
    "failed and sender is vpn-1",
    "severity at least error and sender in site Hestnes and not app is systemd",
    "(failed or refused) and user is k.lind",
    "kind is firewall and action is deny and dst port is 443",
    "bytes over 10 MB and src within 10.20.0.0/16",
  ],
  empty: [
    "zzqxyv",
    "user is nobody-here",
    "address is 192.0.2.251 and severity at least error",
    "event is 9999",
    '"no such phrase anywhere"',
  ],
  pattern: [
    "text matches /fail(ed|ure)/",
    "text matches /port 6[0-9]{4}/",
    'text like "*password for ?.lind*"',
    "text matches /zzqx/",
    'host like "gate-*"',
  ],
  "pattern without a word": [
    "text matches /(?i)fail(ed|ure)/",
    "text matches /[xyz]qq[0-9]/",
    "text matches /(\\w+ ){12}zz/",
    "text matches /e.*o.*9{3}$/",
    "not text matches /[aeiou]/",
  ],
  "like with stars": [
    'text like "*f*a*i*l*e*d*q*"',
    `text like "${"*e".repeat(40)}*zq*"`,
    'text like "*?*?*?*zzq*"',
    `text like "${"*a?".repeat(20)}q*"`,
    'user like "*z*q*"',
  ],
  application: [
    "application is https",
    "application is ssh and action is deny",
    "application like dom*",
    "application missing and kind is flow",
    "application is nothing-such",
  ],
};
/** Classes of which each page has to get on, however little there is to go by. */
const COVERED = ["pattern without a word", "like with stars"];

sayMachine();
const instance = await openStore(process.argv[2]!, 20);
const db = createPool(connectionOf(instance.config, instance.secrets, "web"), 4, 120_000);
const terms = new TermIndex();
const directory = await loadDirectory(db, "UTC");
const toUs = STORE_ENDS_MINUTE * US_PER_MINUTE;
const scope = { fromUs: toUs - STORE_DAYS * US_PER_DAY, toUs, directory, nowUs: toUs, terms };
const parse = (text: string) => {
  const parsed = parseFilter(text, { zone: "UTC", directory });
  if (!parsed.ok) throw new Error(`${text}: ${parsed.error.message}`);
  return parsed.filter;
};
const page = (text: string) =>
  searchRecords(db, {
    ...scope,
    filter: parse(text),
    budgetMs: BUDGET_MS,
    limit: 100,
    cursor: null,
    direction: "older",
  });
const timed = async <T>(work: () => Promise<T>): Promise<[ms: number, result: T]> => {
  const started = performance.now();
  const result = await work();
  return [performance.now() - started, result];
};
const count = (await db.query<{ n: number }>("select sum(rows)::bigint as n from segment")).rows[0]!.n;
console.log(
  `${count.toLocaleString("en")} records, window ${STORE_DAYS} days, first page of 100, budget ${BUDGET_MS} ms, ${RUNS} warm runs`,
);

for (const [name, filters] of Object.entries(CLASSES)) {
  const all: number[] = [];
  const each: string[] = [];
  for (const text of filters) {
    await page(text);
    const times: number[] = [];
    let result = await page(text);
    for (let i = 0; i < RUNS; i++) {
      const [ms, r] = await timed(() => page(text));
      times.push(ms);
      result = r;
    }
    all.push(...times);
    each.push(
      `${text === "" ? "(none)" : text.slice(0, 60)}: ${percentile(times, 0.5).toFixed(0)} ms${result.partial ? " partial" : ""} (${result.records.length}${COVERED.includes(name) && result.next !== null ? `, ${((toUs - result.next.timeUs) / US_PER_MINUTE).toFixed(0)} min` : ""})`,
    );
  }
  console.log(
    `${name}: p50 ${percentile(all, 0.5).toFixed(0)}, p95 ${percentile(all, 0.95).toFixed(0)} ms  | ${each.join(" | ")}`,
  );
}

console.log("counts and histograms over the window, 120 bars, budget 60 s");
for (const text of [
  "",
  "severity at least error",
  "sender is vpn-1",
  "kind is firewall",
  "62747",
  "failed",
  "battery",
  "asked",
  '"failed password for"',
]) {
  const run = () => histogram(db, { ...scope, filter: parse(text), budgetMs: 60_000 }, 6 * US_PER_HOUR);
  await run();
  const [ms, h] = await timed(run);
  console.log(
    `  ${text === "" ? "(none)" : text}: ${ms.toFixed(0)} ms, ${h.total.toLocaleString("en")} ${h.exact ? "exact" : "at least"}, from ${h.source}`,
  );
}
console.log("values of a field, top 20");
for (const [text, field] of [
  ["", "severity"],
  ["", "app"],
  ["failed", "user"],
  ["kind is firewall", "dst port"],
  ["", "src"],
] as const) {
  const run = () => fieldValues(db, { ...scope, filter: parse(text), budgetMs: 60_000 }, { field }, 20);
  await run();
  const [ms, v] = await timed(run);
  console.log(
    `  ${field} of ${text === "" ? "everything" : text}: ${ms.toFixed(0)} ms, ${v.distinct} values, ${v.exact ? "exact" : "of the newest"}`,
  );
}
const toTheEnd = async (text: string, fromUs: number): Promise<void> => {
  const started = performance.now();
  let cursor: PageKey | null = null;
  let answers = 0;
  do {
    const p: Awaited<ReturnType<typeof page>> = await searchRecords(db, {
      ...scope,
      fromUs,
      filter: parse(text),
      budgetMs: BUDGET_MS,
      limit: 100,
      cursor,
      direction: "older",
    });
    cursor = p.next;
    answers++;
  } while (cursor !== null);
  console.log(`  ${text}: ${((performance.now() - started) / 1000).toFixed(1)} s in ${answers} answers`);
};
console.log("to the end of the window where nothing matches, one connection");
for (const text of ["*zzqxyv*", '"zzq xyv"', "text matches /zzqxyv/"]) await toTheEnd(text, scope.fromUs);
console.log("the same over the last day, for a pattern of which nothing has to be there literally");
await toTheEnd("text matches /[xyz]qq[0-9]/", toUs - US_PER_DAY);
await db.end();
await instance.dispose();
