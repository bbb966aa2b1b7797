import type { PartMade, ReportMade } from "@halvik/contract/reports";
import { sayChange, sayValue, type Unit } from "@halvik/core/report";
import { headOf, lackingOf, openOf, readingWithName, roughly } from "./honesty.js";
import { tableOf } from "./tables.js";

/** What stands in a mail or a file by itself: no scripts, nothing fetched, every text escaped. */
export function htmlOf(made: ReportMade): string {
  const parts = made.parts.map((p) => partOf(p, made)).join("\n");
  return `<!doctype html>
<html lang="en"><head><meta charset="utf-8"><title>${text(made.name)}</title></head>
<body style="font-family:'Atkinson Hyperlegible Next',Helvetica,Arial,sans-serif;color:#17232e;max-width:52rem;margin:1.5rem auto;padding:0 1rem;line-height:1.4">
<h1 style="font-size:1.5rem;margin:0 0 .3rem">${text(made.name)}</h1>
${made.about === "" ? "" : `<p style="margin:0 0 .8rem;color:#596670">${text(made.about)}</p>`}
<table style="border-collapse:collapse;font-size:.85rem;color:#596670">${headOf(made)
    .map(
      ([k, v]) =>
        `<tr><th style="text-align:left;font-weight:600;padding:.1rem 1rem .1rem 0;vertical-align:top">${text(k)}</th><td>${text(v)}</td></tr>`,
    )
    .join("")}</table>
<p style="font-size:.85rem;color:#596670">${lackingOf(made).map(text).join("<br>")}</p>
${parts}
</body></html>
`;
}

const heading = (title: string) => `<h2 style="font-size:1.05rem;margin:1.6rem 0 .4rem">${text(title)}</h2>`;

function partOf(part: PartMade, made: ReportMade): string {
  if (part.is === "text")
    return part.markdown
      .split(/\n{2,}/)
      .map((p) => `<p>${text(p).replaceAll("\n", "<br>")}</p>`)
      .join("");
  if (part.is === "failed") return `${heading(part.title)}<p>Could not be made: ${text(part.why)}</p>`;
  if (part.is === "measured" && part.as === "figure") {
    const { total, unit } = part.measured;
    const change = sayChange(total.value, total.before);
    return `${heading(part.title)}<p style="font-size:1.6rem;margin:0">${roughly(total)}${text(sayValue(total.value, unit as Unit))}${
      unit === "" ? "" : ` <span style="font-size:.9rem;color:#596670">${text(unit)}</span>`
    }</p>${change === null ? "" : `<p style="margin:0;color:#596670">before ${text(sayValue(total.before ?? null, unit as Unit))}: ${text(change)}</p>`}${notes(part, made)}`;
  }
  const table = tableOf(part, made)!;
  const bars = part.is === "measured" && part.as === "bars" ? barsOf(part) : null;
  const cell = (tag: string, i: number) =>
    `<${tag} style="padding:.15rem .8rem .15rem 0;${table.figures.includes(i) ? "text-align:right" : "text-align:left"};border-bottom:1px solid #e4ddd0;vertical-align:top">`;
  const rows = table.rows.map(
    (r, at) =>
      `<tr>${r.map((c, i) => `${cell("td", i)}${text(c)}</td>`).join("")}${
        bars === null ? "" : `<td style="width:12rem">${bars[at] === undefined ? "" : barOf(bars[at])}</td>`
      }</tr>`,
  );
  return `${heading(part.is === "own figures" || part.is === "incidents" || part.is === "records" || part.is === "measured" ? part.title : "")}<table style="border-collapse:collapse;font-size:.9rem"><tr>${table.headings
    .map((h, i) => `${cell("th", i)}${text(h)}</th>`)
    .join("")}</tr>${rows.join("")}</table>${part.is === "incidents" ? stories(part) : ""}${notes(part, made)}`;
}

interface Bar {
  /** In hundredths of the greatest. */
  readonly length: number;
  readonly exact: boolean;
}

function barsOf({ measured }: Extract<PartMade, { is: "measured" }>): Bar[] {
  const most = Math.max(0, ...measured.rows.map((r) => Number(r.value ?? 0)));
  return measured.rows.map(({ value, exact }) => ({
    length: most === 0 ? 0 : Math.round((100 * Number(value ?? 0)) / most),
    exact,
  }));
}

/** Estimates are hatched, where a mail program draws that, and framed everywhere. */
const HATCHED =
  "border:1px dashed #4a545d;background:repeating-linear-gradient(135deg,#4a545d 0 2px,transparent 2px 5px)";
const barOf = ({ length, exact }: Bar): string =>
  `<div style="${exact ? "background:#4a545d" : HATCHED};height:.7rem;width:${length}%"></div>`;

const stories = (part: Extract<PartMade, { is: "incidents" }>): string =>
  part.incidents
    .filter((i) => i.story.length > 0)
    .map(
      (i) =>
        `<h3 style="font-size:.95rem;margin:.8rem 0 .2rem">${text(i.title)}</h3>${i.story.map((p) => `<p style="margin:.1rem 0">${text(p.text)}</p>`).join("")}`,
    )
    .join("");

function notes(part: PartMade, { zone }: ReportMade): string {
  if (part.is !== "measured") return "";
  const said = [readingWithName(part.measured), ...openOf(part.measured, zone)];
  return `<p style="font-size:.78rem;color:#596670;margin:.3rem 0 0">${said.map(text).join("<br>")}</p>`;
}

const text = (s: string): string =>
  s
    .replace(/[&<>"']/g, (c) => `&#${c.charCodeAt(0)};`)
    .replace(/[\u0000-\u0008\u000b-\u001f\u007f\u202a-\u202e\u2066-\u2069]/g, "\ufffd");
