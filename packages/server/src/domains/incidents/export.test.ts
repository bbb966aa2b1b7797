import { createHash } from "node:crypto";
import type { IncidentDetail } from "@halvik/contract/incidents";
import { incidentAsJson, incidentAsMarkdown } from "./export.js";

const record = {
  id: "7",
  time: "2026-01-01T00:00:00.000000Z",
  sender: { id: 1, name: "vpn" },
  text: "a ``` b <script>",
  sentence: "",
};
const detail = {
  incident: {
    id: 3,
    title: "# not a heading [x](y)",
    severity: "error",
    state: "open",
    first: "2026-11-28T02:00:00.000000Z",
    last: "2026-11-28T02:01:00.000000Z",
    ended: null,
    stopped: false,
    explains: { all: 0, lasting: 0 },
    count: 1,
    returned: 0,
    entities: [{ field: "user", value: "*root*" }],
    acknowledged: null,
    assignedTo: null,
    closeReason: null,
  },
  rules: [{ id: "r", name: "R", version: 2, sentence: "When." }],
  findings: [
    {
      rule: "r",
      joined: "",
      raised: "t",
      first: "2026-11-28T02:00:00.000000Z",
      last: "2026-11-28T02:01:00.000000Z",
      count: 1,
      cleared: null,
      clearedBy: null,
      clearedWith: null,
      facts: [["value", 4]],
      links: [],
      says: null,
      evidence: [record],
      notShown: 0,
    },
  ],
  moreFindings: 3,
  moreHistory: 4,
  tasks: [{ id: 1, text: "ask *them*", by: "a", done: null }],
  again: null,
  consequences: [],
  similar: [],
  history: [{ at: "t", who: "a", code: "note", what: "note", detail: "line\n# two" }],
} as unknown as IncidentDetail;
const raw = Buffer.from("<13>a");
const exhibits = async function* () {
  yield { record: record as never, raw, step: 1 };
};
async function whole(parts: AsyncIterable<string>): Promise<string> {
  let all = "";
  for await (const part of parts) all += part;
  return all;
}
const hash = createHash("sha256").update(raw).digest("hex");

test("tasks stand in the Markdown as text", async () => {
  expect(await whole(incidentAsMarkdown(detail, exhibits))).toContain("- to do: ask \\*them\\*");
});

test("as JSON: raw bytes of the evidence and their SHA-256", async () => {
  const parsed = JSON.parse(await whole(incidentAsJson(detail, exhibits)));
  expect(parsed.findings[0].evidence[0]).toMatchObject({
    id: "7",
    raw: { base64: "PDEzPmE=", bytes: 5, sha256: hash },
  });
  expect(parsed.findings[0]).toMatchObject({ rule: "r", evidence: [{ step: 1 }] });
  expect(Object.keys(parsed).sort()).toEqual(Object.keys(detail).sort());
  const none = async function* () {};
  expect(JSON.parse(await whole(incidentAsJson(detail, none))).findings[0].evidence).toEqual([]);
});

test("as Markdown: what devices and people wrote is no markup, and cannot leave its block", async () => {
  const text = await whole(incidentAsMarkdown(detail, exhibits));
  expect(text).toContain("# Incident 3: \\# not a heading \\[x\\](y)");
  expect(text).toContain("- user: \\*root\\*");
  expect(text).toContain(
    `\n\`\`\`\`\n2026-01-01T00:00:00.000000Z vpn a \`\`\` b <script>\n  sha256 ${hash}\n  base64 PDEzPmE=\n\`\`\`\`\n`,
  );
  expect(text).toContain("note (line \\# two)");
  expect(text).toContain("3 older findings are not in this export.");
  expect(text).toContain("4 older lines are not in this export.");
});
