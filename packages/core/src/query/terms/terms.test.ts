import fc from "fast-check";
import { arbitraryFilter, arbitraryRecord, TEST_DIRECTORY } from "../../testing/filters.js";
import { effort } from "../../testing/node/effort.js";
import { testRecord } from "../../testing/record.js";
import { compileFilter, parseFilter, timeBounds } from "../filter/index.js";
import {
  blocksFor,
  decodeDirectory,
  decodeRows,
  type EncodedPart,
  PartBuilder,
  planFilter,
  RowSet,
  readTerms,
  searchPart,
} from "./index.js";
import { RowsEncoder } from "./row-set.js";
import { VarintWriter } from "./varint.js";
import { eachWord } from "./words.js";

const CONTEXT = { directory: TEST_DIRECTORY, nowUs: 1_700_000_050_000_000 };
const encodeRows = (ordinals: readonly number[], rows: number): Uint8Array => {
  const out = new VarintWriter();
  new RowsEncoder(rows).encode(ordinals, out);
  return out.finish();
};
const build = (records: readonly ReturnType<typeof testRecord>[]): EncodedPart => {
  const builder = new PartBuilder();
  records.forEach((record, i) => {
    builder.add(record, { timeUs: record.timeUs, storedUs: 1_700_000_200_000_000 + i });
  });
  return builder.finish();
};
const ask = (part: EncodedPart, filter: Parameters<typeof planFilter>[0], most = 1_000) => {
  const plan = planFilter(filter, CONTEXT);
  const firstTerms = part.blocks.map((b) => b.firstTerm);
  const blocks = new Map([...blocksFor(plan, firstTerms, most)].map((n) => [n, part.blocks[n]!]));
  return searchPart(plan, { rows: part.rows, firstTerms }, blocks);
};
const parse = (text: string) => {
  const parsed = parseFilter(text, { zone: "UTC", directory: TEST_DIRECTORY });
  if (!parsed.ok) throw new Error(parsed.error.message);
  return parsed.filter;
};

test("what terms answer lies around the truth, whatever the filter and the records", () => {
  fc.assert(
    fc.property(
      fc.array(arbitraryRecord, { minLength: 1, maxLength: 40 }),
      arbitraryFilter,
      fc.constantFrom(0, 1, 1_000),
      (records, filter, most) => {
        const { sure, perhaps } = ask(build(records), filter, most);
        const matches = compileFilter(filter, CONTEXT);
        const bounds = timeBounds(filter, CONTEXT.nowUs);
        records.forEach((record, row) => {
          if (record.timeUs < bounds.fromUs || record.timeUs >= bounds.toUs) return;
          const truth = matches(record);
          if (sure.has(row) && !truth) throw new Error(`row ${row} is said to fit and does not`);
          if (truth && !perhaps.has(row)) throw new Error(`row ${row} fits and is missed`);
        });
      },
    ),
    { numRuns: effort(500), seed: 20_261_125 },
  );
});

describe("what terms alone decide, and what they only narrow", () => {
  const records = [
    testRecord({ text: "Link down on port ge0/7", host: "SW-1", app: "kernel", src: "10.20.4.31", severity: 3 }),
    testRecord({ text: "refused password for root from 10.20.4.31 port 40022", dstPort: 22, users: ["Root"] }),
    testRecord({ text: "address 10.20.4.3 is not 10.20.4.31.9", data: [["meta user", "k.lind"]] }),
    testRecord({ text: `${"a".repeat(120)} ends`, host: "h".repeat(120) }),
  ];
  const part = build(records);
  test.each<[filter: string, sure: number[], perhaps: number[]]>([
    ["down", [0], [0]],
    ["DOWN", [0], [0]],
    ["dow", [], []],
    ["dow*", [0], [0]],
    // what is kept by its beginning may hold it further on
    ["*assw*", [1], [1, 3]],
    ['"link down"', [], [0]],
    ["ge0/7", [], [0]],
    // a dotted quad is one term: not every record with a 10, a 20, a 4 and a 31
    ["text has 10.20.4.3", [], [2]],
    ['text like "*port ge*"', [], [0]],
    ["text matches /./", [], [0, 1, 2, 3]],
    ["text matches /(to|fro)m? 10[.]20/", [], [1]],
    ["text matches /refu[sz]ed pass/", [], [1]],
    ["not down", [1, 2, 3], [1, 2, 3]],
    ["severity at least error", [0], [0]],
    ['host is "sw-1"', [0], [0]],
    ["host missing", [1, 2], [1, 2]],
    ["src within 10.20.0.0/16", [0], [0]],
    ["src within 10.0.0.0/7", [0], [0]],
    ["dst port in 1..1023", [1], [1]],
    ["user is root", [1], [1]],
    ['data "user" is "K.Lind"', [2], [2]],
    ['data "meta user" is "k.lind"', [2], [2]],
    // kept by their beginnings
    [`${"a".repeat(120)}`, [], [3]],
    [`host is "${"h".repeat(120)}"`, [], [3]],
    ["bytes over 5", [], [0, 1, 2, 3]],
    ["bytes over 5 and down", [], [0]],
    ["bytes over 5 or not down", [1, 2, 3], [0, 1, 2, 3]],
  ])("%s", (filter, sure, perhaps) => {
    const answer = ask(part, parse(filter));
    expect({ sure: answer.sure.list(), perhaps: answer.perhaps.list() }).toEqual({ sure, perhaps });
  });
});

test.each<[text: string, words: string[]]>([
  ["", []],
  ["a", ["a"]],
  ["link-down: ge0/7", ["link", "down", "ge0", "7"]],
  ["zürich_1 naïve", ["zürich_1", "naïve"]],
  ["10.1.2.3", ["10", "1", "2", "3", "10.1.2.3"]],
  ["1.3.6.1.4", ["1", "3", "6", "1", "1.3.6.1", "4", "3.6.1.4"]],
  ["1.2..3.4", ["1", "2", "3", "4"]],
  ["1.2 .3.4.5.6", ["1", "2", "3", "4", "5", "6", "3.4.5.6"]],
  ["1.2.3.4000", ["1", "2", "3", "4000"]],
])("words of %j", (text, words) => {
  const found: string[] = [];
  eachWord(text, (w) => found.push(w));
  expect(found).toEqual(words);
});

describe("how it is kept", () => {
  const ordinals = (rows: number) =>
    fc.uniqueArray(fc.nat(rows - 1), { maxLength: rows }).map((a) => a.sort((x, y) => x - y));

  test("rows come back from every form: few, runs, most", () => {
    fc.assert(
      fc.property(
        fc.integer({ min: 1, max: 400 }).chain((rows) => fc.tuple(fc.constant(rows), ordinals(rows))),
        ([rows, list]) => {
          const set = new RowSet(rows);
          decodeRows(encodeRows(list, rows), set);
          expect(set.list()).toEqual(list);
          expect(set.count()).toBe(list.length);
          expect(set.not().list()).toEqual([...Array(rows).keys()].filter((n) => !list.includes(n)));
        },
      ),
      { seed: 7 },
    );
    // a value that all rows hold costs bytes, not rows
    expect(encodeRows([...Array(100_000).keys()], 100_000).length).toBeLessThan(8);
    expect(encodeRows([5, 90_000], 100_000).length).toBeLessThan(8);
  });

  test("terms come back in order, through every block, with their rows", () => {
    fc.assert(
      fc.property(
        fc.array(fc.string({ unit: "binary", minLength: 1 }), { minLength: 1, maxLength: 1_500 }),
        (values) => {
          const part = build(values.map((host) => testRecord({ host })));
          const found = new Map<string, number[]>();
          let last = "";
          for (const block of part.blocks) {
            readTerms(block.terms, (term, from, to) => {
              if (last >= term) throw new Error(`${term} comes after ${last}`);
              last = term;
              const set = new RowSet(part.rows);
              decodeRows(block.rows.subarray(from, to), set);
              if (term.startsWith("host=")) found.set(term.slice(5), set.list());
              return true;
            });
          }
          const wanted = new Map<string, number[]>();
          values.forEach((v, i) => {
            const host = v.replace(/[A-Z]/g, (c) => c.toLowerCase());
            wanted.set(host, [...(wanted.get(host) ?? []), i]);
          });
          expect(new Map([...found].sort())).toEqual(new Map([...wanted].sort()));
        },
      ),
      { numRuns: 30, seed: 3 },
    );
  });

  test("times and ids come back, late ones too", () => {
    const keys = [...Array(9_000).keys()].map((i) => ({
      timeUs: 1_700_000_000_000_000 + ((i * 7_919) % 1_000) * 1_000_003,
      storedUs: 1_700_000_200_000_000 + i * 17,
    }));
    const builder = new PartBuilder();
    for (const key of keys) builder.add(testRecord(), key);
    const { directory } = builder.finish();
    expect(directory.map((b) => b.firstRow)).toEqual([0, 4_096, 8_192]);
    const back = directory.flatMap(({ data, minTimeUs, maxTimeUs }) => {
      const { timesUs, storedUs } = decodeDirectory(data);
      expect([Math.min(...timesUs), Math.max(...timesUs)]).toEqual([minTimeUs, maxTimeUs]);
      return [...timesUs].map((timeUs, i) => ({ timeUs, storedUs: storedUs[i] }));
    });
    expect(back).toEqual(keys);
  });
});
