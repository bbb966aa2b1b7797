import { fenced, plain } from "../base/text/index.js";
import {
  type EntryInWords,
  type LeadInWords,
  momentOf,
  type PaperInWords,
  type PinInWords,
  sayLead,
  sayPin,
} from "./in-words.js";

/** A part of a summary: the same as Markdown and on paper. */
export type HandOverBlock =
  | { readonly is: "heading"; readonly level: 1 | 2 | 3; readonly text: string }
  | { readonly is: "paragraph"; readonly text: string }
  | { readonly is: "items"; readonly items: readonly string[] }
  | { readonly is: "table"; readonly head: readonly string[]; readonly rows: readonly (readonly string[])[] }
  /** What devices sent, word for word. */
  | { readonly is: "received"; readonly lines: readonly string[] }
  /** What a person wrote, in Markdown. */
  | { readonly is: "written"; readonly markdown: string };

/** Figures of a chart that are printed; all of them are in the bundle. */
const MOST_STEPS = 48;

/** What is known, by which evidence, and what is open: made from the papers alone. */
export function handOver(paper: PaperInWords): HandOverBlock[] {
  return [
    { is: "heading", level: 1, text: paper.name },
    { is: "table", head: [], rows: headOf(paper) },
    ...known(paper),
    ...hypotheses(paper),
    ...open(paper),
    ...timeLine(paper),
    ...evidence(paper),
    ...notes(paper),
  ];
}

function headOf(paper: PaperInWords): string[][] {
  const rows = [
    ["investigation", String(paper.id)],
    ["state", paper.closed === null ? paper.state : `closed ${paper.closed}`],
    ["owner", [paper.owner, ...paper.people].join(", ")],
    ["begun", paper.created],
    ["handed over", `${paper.made} by ${paper.madeBy}`],
  ];
  if (paper.window !== null) rows.push(["about the time", `${paper.window.from} to ${paper.window.to}`]);
  const techniques = [...new Set(paper.pins.flatMap((p) => p.techniques))].sort();
  if (techniques.length > 0) rows.push(["techniques (MITRE ATT&CK)", techniques.join(", ")]);
  return rows;
}

function known({ question, conclusion, entries }: PaperInWords): HandOverBlock[] {
  const answered = entriesOf(entries, "question").filter((q) => q.answer !== "");
  return [
    ...(question === "" ? [] : [heading("The question"), { is: "written", markdown: question } as const]),
    heading("What is known"),
    conclusion === ""
      ? { is: "paragraph", text: "No conclusion has been written yet." }
      : { is: "written", markdown: conclusion },
    ...(answered.length === 0
      ? []
      : [{ is: "table", head: ["asked", "answer"], rows: answered.map((q) => [q.text, q.answer]) } as const]),
  ];
}

function hypotheses({ entries, pins }: PaperInWords): HandOverBlock[] {
  const all = entriesOf(entries, "hypothesis");
  if (all.length === 0) return [];
  const said = (numbers: readonly number[]) =>
    numbers.map((n) => {
      const pin = pins.find((p) => p.number === n);
      return pin === undefined ? `#${n}, no longer pinned` : `#${n} ${sayPin(pin)}`;
    });
  return [
    heading("What may have happened"),
    ...all.flatMap((h): HandOverBlock[] => [
      { is: "heading", level: 3, text: h.text },
      {
        is: "items",
        items: [
          `${h.state}, confidence ${h.confidence}`,
          ...said(h.speaksFor).map((s) => `for: ${s}`),
          ...said(h.speaksAgainst).map((s) => `against: ${s}`),
        ],
      },
    ]),
  ];
}

function open({ entries }: PaperInWords): HandOverBlock[] {
  const items = [
    ...entriesOf(entries, "question")
      .filter((q) => q.answer === "")
      .map((q) => `question: ${q.text}`),
    ...entriesOf(entries, "hypothesis")
      .filter((h) => h.state === "open")
      .map((h) => `hypothesis: ${h.text}`),
    ...entriesOf(entries, "task")
      .filter((t) => !t.isDone)
      .map((t) => `to do${t.assignedTo === "" ? "" : ` by ${t.assignedTo}`}: ${t.text}`),
  ];
  return [
    heading("What is open"),
    items.length === 0 ? { is: "paragraph", text: "Nothing that was written down." } : { is: "items", items },
  ];
}

/** What was pinned, in the order in which it happened, and how one led to another. */
function timeLine({ pins, leads }: PaperInWords): HandOverBlock[] {
  const inTime = pins
    .flatMap((pin) => {
      const at = momentOf(pin);
      return at === null ? [] : [{ pin, at }];
    })
    .sort((a, b) => (a.at < b.at ? -1 : a.at > b.at ? 1 : a.pin.number - b.pin.number));
  if (inTime.length === 0) return [];
  return [
    heading("What happened, in order"),
    {
      is: "table",
      head: ["time (UTC)", "pin", "what", "leads to"],
      rows: inTime.map(({ pin, at }) => [at, `#${pin.number}`, sayPin(pin), ledTo(pin.number, leads)]),
    },
  ];
}

const ledTo = (number: number, leads: readonly LeadInWords[]): string =>
  leads
    .filter((l) => l.from === number)
    .map((l) => `#${l.to} (${sayLead(l)})`)
    .join("; ");

function evidence({ pins }: PaperInWords): HandOverBlock[] {
  return [
    heading("Evidence"),
    ...(pins.length === 0
      ? [{ is: "paragraph", text: "Nothing has been pinned." } as const]
      : pins.flatMap(evidenceOf)),
  ];
}

function evidenceOf(pin: PinInWords): HandOverBlock[] {
  const items = [`pinned ${pin.at} by ${pin.by}${pin.reason === "" ? "" : `: ${pin.reason}`}`];
  if (pin.techniques.length > 0) items.push(`techniques: ${pin.techniques.join(", ")}`);
  const told: HandOverBlock[] = [];
  const { pinned, record } = pin;
  switch (pinned.is) {
    case "record":
      if (record === null) break;
      items.push(
        `${record.time}, ${record.severity}, from ${record.sender}; record ${record.id}, arrived ${record.arrival}`,
        `SHA-256 of its ${record.raw.bytes} bytes: ${record.raw.sha256}`,
      );
      told.push({ is: "received", lines: [record.text || record.sentence] });
      break;
    case "search":
      items.push(`${pinned.from} to ${pinned.to}, counted then: ${pinned.lacking || "no known gaps"}`);
      told.push({ is: "received", lines: [pinned.filter || "(every record)"] });
      break;
    case "shape":
      items.push(`${pinned.from} to ${pinned.to}; first ever ${pinned.first}`);
      break;
    case "contrast":
      items.push(
        `${pinned.from} to ${pinned.to}, against ${pinned.other === null ? pinned.against.map((w) => `${w.from} to ${w.to}`).join(", ") : `the filter ${pinned.other}`}`,
      );
      if (pinned.others > 0) items.push(`${pinned.others} more differences are not listed`);
      told.push({
        is: "table",
        head: ["what", "now", "before", "change"],
        rows: pinned.lines.map((l) => [`${l.by} ${l.label}`, String(l.a), String(l.b), l.change]),
      });
      break;
    case "portrait":
      items.push(`${pinned.from} to ${pinned.to}`);
      told.push({ is: "table", head: [], rows: pinned.facts.map(([name, value]) => [name, value]) });
      break;
    case "incident":
      items.push(`${pinned.severity}, ${pinned.state}; ${pinned.count} records from ${pinned.first} to ${pinned.last}`);
      told.push({ is: "items", items: pinned.story });
      break;
    case "chart": {
      const { steps, series, unit } = pinned.chart;
      const all = steps.slice(0, -1);
      told.push({
        is: "table",
        head: ["from (UTC)", ...series.map((s) => `${s.name}${unit === "" ? "" : ` (${unit})`}`)],
        rows: all.slice(0, MOST_STEPS).map((at, i) => [at, ...series.map((s) => sayFigure(s.values[i]!))]),
      });
      if (all.length > MOST_STEPS) items.push(`${all.length - MOST_STEPS} more steps are in the bundle`);
      break;
    }
    case "file":
      items.push(`SHA-256 of its ${pinned.bytes} bytes: ${pinned.sha256}`);
  }
  return [
    { is: "heading", level: 3, text: `#${pin.number} ${sayPin(pin)}` },
    { is: "items", items },
    ...told.filter((b) => b.is !== "table" || b.rows.length > 0),
  ];
}

const sayFigure = (value: number | null): string => (value === null ? "unknown" : String(value));

function notes({ entries }: PaperInWords): HandOverBlock[] {
  const all = entries.flatMap(({ entry, author, at }) => (entry.is === "note" ? [{ entry, author, at }] : []));
  if (all.length === 0) return [];
  return [
    heading("Notes"),
    ...all.flatMap(({ entry, author, at }): HandOverBlock[] => [
      { is: "heading", level: 3, text: `${at}, ${author}` },
      { is: "written", markdown: entry.text },
    ]),
  ];
}

const entriesOf = <Is extends EntryInWords["entry"]["is"]>(entries: readonly EntryInWords[], is: Is) =>
  entries.flatMap(({ entry }) => (entry.is === is ? [entry as Extract<EntryInWords["entry"], { is: Is }>] : []));

const heading = (text: string): HandOverBlock => ({ is: "heading", level: 2, text });

/** The summary as Markdown. What devices sent, and what is no person's writing, cannot become markup. */
export const handOverMarkdown = (blocks: readonly HandOverBlock[]): string =>
  `${blocks.map((b) => markdownOf(b).join("\n")).join("\n\n")}\n`;

function markdownOf(block: HandOverBlock): readonly string[] {
  switch (block.is) {
    case "heading":
      return [`${"#".repeat(block.level)} ${plain(block.text)}`];
    case "paragraph":
      return [plain(block.text)];
    case "items":
      return block.items.map((item) => `- ${plain(item)}`);
    case "table": {
      const width = Math.max(block.head.length, block.rows[0]?.length ?? 0);
      const head = block.head.length === 0 ? Array.from({ length: width }, () => "") : block.head;
      return [head, head.map(() => "---"), ...block.rows.map((r) => r.map(plain))].map((r) => `| ${r.join(" | ")} |`);
    }
    case "received":
      return fenced(block.lines);
    case "written":
      return [block.markdown];
  }
}
