import { execFileSync } from "node:child_process";
import { mkdtempSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import type { TrafficLists } from "@halvik/contract/traffic";
import { formatUs } from "@halvik/core/base/time";
import { Random } from "@halvik/simulator";
import { nowUs } from "../../kernel/clock.js";
import { TestStore } from "../../testing/test-store.js";
import { keepFlows, reportedFlows, sumStored } from "../../testing/told-flows.js";

/** What Traffic says, said again by awk over the flows as they are exported, by nothing but what `docs/traffic.md` says of counting. */
const H = 3_600_000_000;
const FIVE = 300_000_000;
const SENTENCES = Number(process.env.HALVIK_RECOUNTS ?? 30);
const T = Math.floor(nowUs() / H) * H - 30 * H;

let store: TestStore;
const exporters: number[] = [];
const directory = mkdtempSync(join(tmpdir(), "halvik-awk-"));
const csv = join(directory, "flows.csv");
beforeAll(async () => {
  store = await TestStore.start();
  for (const [name, site] of [
    ["rt-hestnes", "Hestnes"],
    ["sw-hestnes", "Hestnes"],
    ["rt-vardholm", "Vardholm"],
  ] as const)
    exporters.push(await store.addSender(name, site));
  await keepFlows(store, reportedFlows(exporters, 31, 900, T, 8 * H));
  await sumStored(store.keeper as never);
  const { text, status } = await store.api.get(
    `/records/export?format=csv&filter=kind%20is%20flow&from=${formatUs(T - 24 * H)}&to=${formatUs(T + 24 * H)}`,
  );
  expect(status).toBe(200);
  writeFileSync(csv, text);
}, 240_000);
afterAll(async () => {
  rmSync(directory, { recursive: true, force: true });
  await store?.dispose();
});

/** Fields by their names in the first line; what a flow carried until a moment is its octets times the part of its time that is over, in whole octets. */
const PROGRAM = String.raw`
function us(text,  d, days, y, m) {
  split(text, d, /[-T:Z]/); y = d[1]; m = d[2] + 0
  if (m <= 2) { y--; m += 12 }
  days = 365 * y + int(y / 4) - int(y / 100) + int(y / 400) + int((153 * (m - 3) + 2) / 5) + d[3] - 719469
  return ((days * 24 + d[4]) * 60 + d[5]) * 60000000 + d[6] * 1000000
}
function carried(all, start, end, until) {
  if (until <= start) return 0
  if (until >= end) return all
  return int(all * (until - start) / (end - start))
}
function part(all, start, end) {
  if (start == end) return (end >= from && end < to) ? all : 0
  return carried(all, start, end, to) - carried(all, start, end, from)
}
BEGIN { FS = "," }
NR == 1 { for (i = 1; i <= NF; i++) at[$i] = i; next }
{
  if (sender != "" && index("," sender ",", "," $at["sender"] ",") == 0) next
  if (via != "" && $at["ingress"] != via && $at["egress"] != via) next
  end = us($at["time"]); start = $at["start"] == "" ? end : us($at["start"])
  key = by == "pair" ? $at["src"] " → " $at["dst"] : $at[by]
  amount = of == "flows" ? (end >= from && end < to) : part($at[of], start, end)
  sum[key] += amount; total += amount
}
END { printf "\t%.0f\n", total; for (k in sum) if (sum[k] > 0) printf "%s\t%.0f\n", k, sum[k] }`;

test("thirty random sentences of Traffic say what awk says of the exported flows", async () => {
  const random = new Random(Number(process.env.HALVIK_SEED ?? 77));
  const pick = <A>(of: readonly A[]): A => of[Math.floor(random.next() * of.length)]!;
  const names = ["rt-hestnes", "sw-hestnes", "rt-vardholm"];
  for (let n = 0; n < SENTENCES; n++) {
    const exporter = Math.floor(random.next() * names.length);
    const [scope, sender, via] = pick([
      ["", "", ""],
      ["count=exported", "", ""],
      ["site=Hestnes", "rt-hestnes,sw-hestnes", ""],
      [`exporter=${exporters[exporter]}`, names[exporter]!, ""],
      // of an interface: what came in by it and what went out
      [`exporter=${exporters[exporter]}&interface=2`, names[exporter]!, "2"],
    ]);
    const [dimension, by] = pick([
      ["source", "src"],
      ["destination", "dst"],
      ["pair", "pair"],
      ["dscp", "dscp"],
      ["protocol", "protocol"],
      ["tcp flags", "tcp flags"],
    ]);
    const measure = pick(["bytes", "packets", "flows"] as const);
    const isShort = random.next() < 0.4;
    const from = T + (isShort ? FIVE * Math.floor(random.next() * 80) : H * Math.floor(random.next() * 5));
    const to = isShort
      ? from + FIVE * (1 + Math.floor(random.next() * 24))
      : from + H * (1 + Math.floor(random.next() * 7));
    const { status, body } = await store.api.get(
      `/traffic/lists?${new URLSearchParams({ from: formatUs(from), to: formatUs(to), measure, dimensions: dimension, most: "1000" })}&${scope}`,
    );
    expect(status).toBe(200);
    const { lists, asked } = body as TrafficLists;
    const [list] = lists;
    const said = Object.fromEntries(list!.rows.map((r) => [r.label, r.amounts[measure]]));
    const out = execFileSync(
      "awk",
      [
        ...["-v", `from=${Date.parse(asked.from) * 1_000}`, "-v", `to=${Date.parse(asked.to) * 1_000}`],
        ...["-v", `by=${by}`, "-v", `of=${measure}`, "-v", `sender=${sender}`, "-v", `via=${via}`],
        ...[PROGRAM, csv],
      ],
      { encoding: "utf8" },
    );
    const counted = new Map(
      out
        .trimEnd()
        .split("\n")
        .map((line) => line.split("\t") as [string, string]),
    );
    const total = Number(counted.get(""));
    counted.delete("");
    const told = list!.rows.reduce((sum, r) => sum + r.amounts[measure], 0);
    const what = `${n}: ${dimension} ${measure} of ${scope || "everything"}, ${asked.from} to ${asked.to}`;
    expect([what, told + list!.others.amounts[measure]]).toEqual([what, total]);
    expect(counted.size).toBeGreaterThan(0);
    for (const [label, amount] of counted)
      expect([what, label, amountOf(said, label)]).toEqual([what, label, Number(amount)]);
  }
}, 120_000);

/** Labels of numbers begin with the number, or are its name. */
function amountOf(said: Readonly<Record<string, number>>, label: string): number | undefined {
  const name = { "6": "tcp", "27": "FIN SYN PSH ACK" }[label];
  const key = Object.keys(said).find((k) => k === label || k === name || k.startsWith(`${label} `));
  return key === undefined ? undefined : said[key];
}
