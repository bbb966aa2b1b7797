import { ArrivalRules } from "@halvik/core/arrive";
import { applyFormats, readyFormat } from "@halvik/core/formats";
import { Meanings } from "@halvik/core/meaning";
import { compileFilter, parseFilter } from "@halvik/core/query/filter";
import { DemoRecords } from "../packages/server/src/testing/demo-records.js";
import { dropping, fiftyFilters, TEN_FORMATS } from "./arrival-set.js";
import { sayMachine } from "./harness.js";

/** What fifty rules of arrival cost a record of the demo's mix: 30 on sender, severity, kind and program, 15 on addresses or ports, 5 with words; a pattern apart. */
const runs = Number(process.argv[2] ?? 3);
sayMachine();
const demo = new DemoRecords({ seed: 9, rate: 20, storyEveryMinutes: 149 });
const records = Array.from({ length: 20 }, (_, m) => demo.minute(29_300_000 + m)).flat();
const senders = demo.directory.senders.map((s) => s.name);
const FILTERS = fiftyFilters(senders);
const ready = (filters: readonly string[]): ArrivalRules =>
  new ArrivalRules(
    filters.map((filter, id) => {
      const rule = dropping(filter, id);
      const parsed = parseFilter(filter, { zone: "UTC", directory: demo.directory });
      if (!parsed.ok) throw new Error(`${filter}: ${parsed.error.message}`);
      return { id, rule, filter: parsed.filter };
    }),
    demo.directory,
    0,
  );
for (const [what, rules] of [
  ["50 rules", ready(FILTERS)],
  ["the 5 with words", ready(FILTERS.slice(45))],
  ["one pattern", ready(["text matches /user [a-z]+ from 203\\.0\\.113\\.[0-9]+ denied/"])],
  ["none that matches, one rule", ready(["app is nobody"])],
] as const) {
  const took = Array.from({ length: runs }, () => {
    const started = process.cpuUsage();
    let met = 0;
    // as the collector does: what was decoded becomes a record in place, then it is judged
    for (const r of records) met += rules.judge(Object.assign(r, { id: "" })).met.length;
    const used = process.cpuUsage(started);
    return `${((used.user + used.system) / records.length).toFixed(2)} µs (${met} met)`;
  });
  console.log(`${what}: ${took.join(", ")} a record of ${records.length.toLocaleString("en")}`);
}

const meanings = new Meanings();
const formats = TEN_FORMATS.map((format, i) => {
  const parsed = parseFilter(format.filter, { zone: "UTC", directory: demo.directory });
  if (!parsed.ok) throw new Error(parsed.error.message);
  return readyFormat(i, format, compileFilter(parsed.filter, { directory: demo.directory, nowUs: 0 }));
});
const took = Array.from({ length: runs }, () => {
  const started = process.cpuUsage();
  for (const r of records) applyFormats(formats, r, () => r, meanings);
  const used = process.cpuUsage(started);
  return `${((used.user + used.system) / records.length).toFixed(2)} µs`;
});
console.log(`10 formats, none of which fits: ${took.join(", ")} a record`);
const lifted = formats.map((_, i) =>
  Object.assign({ ...records[0]! }, { kind: "syslog", app: `job-${i}`, text: `crane ${i} 4 lifted 12.5 t by k.lind` }),
);
const read = Array.from({ length: runs }, () => {
  const started = process.cpuUsage();
  for (let n = 0; n < 20_000; n++) applyFormats(formats, lifted[n % 10]!, () => lifted[n % 10]!, meanings);
  const used = process.cpuUsage(started);
  return `${((used.user + used.system) / 20_000).toFixed(2)} µs`;
});
console.log(`10 formats, one of which fits: ${read.join(", ")} a record`);
