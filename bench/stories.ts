import { formatUs } from "../packages/core/src/base/time/index.js";
import { MibNames } from "../packages/core/src/decode/mib/index.js";
import { findingTitle, isOfRecords, Rule, shippedRules } from "../packages/core/src/detect/index.js";
import { Meanings } from "../packages/core/src/meaning/index.js";
import { sentenceOf } from "../packages/core/src/meaning/sentence/index.js";
import { NO_APPLICATIONS } from "../packages/core/src/model/applications/index.js";
import { type HalvikRecord, recordToJson } from "../packages/core/src/model/record/index.js";
import type { SenderDirectory } from "../packages/core/src/model/senders/index.js";
import { storyOf } from "../packages/core/src/respond/story/index.js";
import { joinStories } from "../packages/core/src/testing/stories.js";

const names = {
  meanings: new Meanings(),
  mib: new MibNames([]),
  applications: NO_APPLICATIONS,
  interfaceName: () => null,
};
const toldOf = (directory: SenderDirectory) => (r: HalvikRecord) => {
  const senderName = directory.name(r.sender);
  return { ...recordToJson(r, senderName), sentence: sentenceOf(r, { ...names, senderName }) };
};

/** Incidents of labelled histories read aloud: their stories, and whether a sentence comes twice in one. */
const runs = Number(process.argv[2] ?? 10);
const rules = new Map(
  shippedRules()
    .map((r) => Rule.parse(r))
    .map((r) => [r.id, r]),
);
let told = 0;
let repeated = 0;
for (let run = 0; run < runs; run++) {
  const seed = Number(process.argv[3 + run] ?? Math.floor(Math.random() * 1e9));
  const { findings, records, directory } = joinStories(seed);
  const byId = new Map(records.map((r) => [r.id, r]));
  console.log(`\n=== seed ${seed}`);
  for (const group of new Set(findings.map((f) => f.group))) {
    const own = findings.filter((f) => f.group === group);
    const lastUs = Math.max(...own.map((f) => f.episode.lastUs));
    const detail = {
      incident: {
        state: "open" as const,
        stopped: false,
        last: formatUs(lastUs),
        ended: null,
        closeReason: null,
        acknowledged: null,
        explains: { all: 0 },
      },
      findings: own.map(({ rule: id, key, episode: e }) => {
        const rule = rules.get(id)!;
        const listed = [...e.first, ...e.latest].map((x) => byId.get(x.id)!);
        return {
          first: formatUs(e.firstUs),
          last: formatUs(e.lastUs),
          count: e.count,
          says: isOfRecords(rule) ? null : findingTitle(rule, { ...e, key }, directory),
          clearedBy: e.clearedBy,
          evidence: listed.map(toldOf(directory)) as never,
        };
      }),
      history: [],
    };
    const texts = storyOf(detail, formatUs).map((p) => p.text);
    told++;
    if (new Set(texts).size < texts.length) repeated++;
    console.log(`\n-- ${own.length} findings: ${[...new Set(own.map((f) => f.rule))].join(", ")}`);
    for (const text of texts.slice(0, -1)) console.log(text);
  }
}
console.log(`\n${told} stories, ${repeated} with a sentence that comes twice`);
