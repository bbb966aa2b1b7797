import type { Measured, PartMade, ReportMade } from "@halvik/contract/reports";
import { bandsOf, sayChange, sayValue, type Unit } from "@halvik/core/report";
import type { CanvasElement, Content, TableCell } from "pdfmake/interfaces.js";
import { breakable, DIM, heading, INK, LINE, LINES, titleOf, writePdf } from "../../../kernel/pdf/page.js";
import { headOf, lackingOf, minuteIn, openOf, readingWithName, roughly } from "./honesty.js";
import { DAYS, hoursOf, type TableOf, tableOf, tableOfRows, tableOfSteps } from "./tables.js";

/** What was before is paler. */
const [FILL, PALE] = ["#4a545d", "#b3b8bc"];
/** Of A4 with its margins, in points. */
const WIDTH = 515;
const BAR = 150;

/** A report as PDF: A4, fonts embedded, tables that break with their headings, charts drawn as lines and areas. */
export async function pdfOf(made: ReportMade): Promise<Uint8Array> {
  return writePdf({
    title: made.name,
    subject: made.period,
    author: made.by,
    foot: `${made.name} · ${minuteIn(made.zone, made.window.from)} to ${minuteIn(made.zone, made.window.to)}`,
    content: [
      ...titleOf(made.name, made.about),
      {
        layout: "noBorders",
        table: { widths: [75, "*"], body: headOf(made).map(([k, v]) => [{ text: k, color: DIM }, v]) },
        fontSize: 8,
      },
      { text: lackingOf(made).join("\n"), fontSize: 8, color: DIM, margin: [0, 4, 0, 0] },
      ...inRows(made.parts).map((row) => rowOf(row, made)),
    ],
  });
}

const MOST_BESIDE = 3;
const isFigure = (part: PartMade): boolean => part.is === "measured" && part.as === "figure";

/** Figures stand beside one another, all else by itself. */
function inRows(parts: readonly PartMade[]): PartMade[][] {
  const rows: PartMade[][] = [];
  for (const part of parts) {
    const row = rows[rows.length - 1];
    if (row !== undefined && row.length < MOST_BESIDE && isFigure(part) && isFigure(row[0]!)) row.push(part);
    else rows.push([part]);
  }
  return rows;
}

function rowOf(row: readonly PartMade[], made: ReportMade): Content {
  if (row.length === 1 && !isFigure(row[0]!)) return partOf(row[0]!, made);
  const columns = row.map((part) => ({ width: "*", stack: [partOf(part, made)] }));
  return {
    columns: [...columns, ...Array.from({ length: MOST_BESIDE - row.length }, () => ({ width: "*", text: "" }))],
    columnGap: 12,
  };
}

function partOf(part: PartMade, made: ReportMade): Content {
  switch (part.is) {
    case "text":
      return { text: part.markdown, margin: [0, 12, 0, 0] };
    case "failed":
      return { stack: [heading(part.title), { text: `Could not be made: ${part.why}` }], unbreakable: true };
    case "measured":
      return measured(part.as, part.title, part.measured, made);
    case "incidents":
      return {
        stack: [
          heading(part.title),
          plainTable(tableOf(part, made)!, ["*", "auto", "auto", 62, 62, "auto", "auto"]),
          ...(part.more > 0 ? [{ text: `and ${part.more} more`, color: DIM } as Content] : []),
          ...part.incidents
            .filter((i) => i.story.length > 0)
            .map(
              (i): Content => ({
                stack: [
                  { text: i.title, bold: true, margin: [0, 6, 0, 1] },
                  ...i.story.map((p) => ({ text: p.text, margin: [0, 0, 0, 2] }) as Content),
                ],
              }),
            ),
        ],
      };
    case "records":
      return {
        stack: [
          heading(part.title),
          plainTable(tableOf(part, made)!, [78, 70, "auto", "*"]),
          { text: part.reading, fontSize: 7.5, color: DIM, margin: [0, 2, 0, 0] },
        ],
      };
    case "own figures":
      return {
        stack: [
          heading(part.title),
          plainTable(tableOf(part, made)!, ["*", 80, 80, 70].slice(0, tableOf(part, made)!.headings.length)),
        ],
      };
  }
}

function measured(
  as: Extract<PartMade, { is: "measured" }>["as"],
  title: string,
  m: Measured,
  { zone }: ReportMade,
): Content {
  const notes: Content = {
    text: [readingWithName(m), ...openOf(m, zone)].join("\n"),
    fontSize: 7.5,
    color: DIM,
    margin: [0, 3, 0, 0],
  };
  const unit = m.unit as Unit;
  switch (as) {
    case "figure": {
      const change = sayChange(m.total.value, m.total.before);
      return {
        unbreakable: true,
        stack: [
          heading(title),
          {
            text: [
              { text: `${roughly(m.total)}${sayValue(m.total.value, unit)}`, fontSize: 20, bold: true },
              { text: m.unit === "" || m.unit === "%" ? "" : ` ${m.unit}`, color: DIM },
            ],
          },
          ...(change === null
            ? []
            : [{ text: `before ${sayValue(m.total.before ?? null, unit)}: ${change}`, color: DIM } as Content]),
          notes,
        ],
      };
    }
    case "course":
      return { unbreakable: true, stack: [heading(title), course(m, zone), notes] };
    case "profile":
      return { unbreakable: true, stack: [heading(title), profile(m, zone), notes] };
    case "hours of the week":
      return { unbreakable: true, stack: [heading(title), heat(m), notes] };
    case "bars":
      return { stack: [heading(title), barTable(m), notes] };
    case "table":
      return {
        stack: [
          heading(title),
          plainTable(tableOfRows(m), [
            ...m.headings.map(() => "*" as const),
            ...tableOfRows(m)
              .headings.slice(m.headings.length)
              .map(() => "auto" as const),
          ]),
          notes,
        ],
      };
  }
}

type Widths = (string | number)[];
function plainTable({ headings, rows, figures }: TableOf, widths: Widths): Content {
  if (rows.length === 0) return { text: "Nothing.", color: DIM };
  const cell = (text: string, i: number, more: object = {}): TableCell => ({
    text: breakable(text),
    alignment: figures.includes(i) ? "right" : "left",
    ...more,
  });
  return {
    layout: LINES,
    fontSize: 8.5,
    table: {
      headerRows: 1,
      widths,
      body: [
        headings.map((h, i) => cell(h, i, { color: DIM, bold: true })),
        ...rows.map((r) => r.map((c, i) => cell(c, i))),
      ],
    },
  };
}

/** Rows with a bar each: bars and figures line up in columns. */
function barTable(m: Measured): Content {
  const { headings, rows, figures } = tableOfRows(m);
  const most = Math.max(0, ...m.rows.map((r) => Number(r.value ?? 0)));
  const labels = m.headings.length;
  const bar = (i: number): TableCell => {
    const r = m.rows[i];
    if (r === undefined || most === 0) return "";
    const length = (value: number | string | null | undefined) => Math.max(0.5, (BAR * Number(value ?? 0)) / most);
    const box = { x: 0, y: 1, w: length(r.value), h: 7 };
    const canvas = filled(box, r.exact, 1);
    if (r.before !== undefined && r.before !== null && Number(r.before) > 0) {
      const at = Math.min(BAR, length(r.before));
      canvas.push({ type: "line", x1: at, y1: 0, x2: at, y2: 9, lineWidth: 1, lineColor: INK });
    }
    return { canvas };
  };
  const cell = (text: string, i: number, more: object = {}): TableCell => ({
    text: breakable(text),
    alignment: figures.includes(i) ? "right" : "left",
    ...more,
  });
  const withBar = <T>(cells: readonly T[], at: T): T[] => [...cells.slice(0, labels), at, ...cells.slice(labels)];
  return {
    layout: LINES,
    fontSize: 8.5,
    table: {
      headerRows: 1,
      widths: [...m.headings.map(() => "*" as const), BAR, ...headings.slice(labels).map(() => "auto" as const)],
      body: [
        withBar(
          headings.map((h, i) => cell(h, i, { color: DIM, bold: true })),
          { text: m.total.before === undefined ? "" : "│ before", color: DIM, fontSize: 7 } as TableCell,
        ),
        ...rows.map((r, at) =>
          withBar(
            r.map((c, i) => cell(c, i)),
            bar(at),
          ),
        ),
      ],
    },
  };
}

interface Box {
  readonly x: number;
  readonly y: number;
  readonly w: number;
  readonly h: number;
}
/** Between two strokes of a hatching. */
const HATCH = 2.4;

const filled = (box: Box, exact: boolean, opacity: number): CanvasElement[] =>
  exact ? [{ type: "rect", ...box, color: FILL, fillOpacity: opacity }] : hatched(box, opacity);

/** What is an estimate: strokes within a thin frame. */
function hatched({ x, y, w, h }: Box, opacity: number): CanvasElement[] {
  if (w <= 0 || h <= 0) return [];
  const line = (x1: number, y1: number, x2: number, y2: number): CanvasElement => ({
    type: "line",
    ...{ x1, y1, x2, y2 },
    lineWidth: 0.8,
    lineColor: FILL,
    strokeOpacity: opacity,
  });
  const strokes: CanvasElement[] = [
    { type: "rect", x, y, w, h, lineWidth: 0.4, lineColor: FILL, strokeOpacity: opacity } as CanvasElement,
  ];
  // each rises by its height over as much of the width, cut at both ends of the box
  for (let at = HATCH - h; at < w; at += HATCH) {
    const [from, to] = [Math.max(0, at), Math.min(w, at + h)];
    if (to > from) strokes.push(line(x + from, y + h - (from - at), x + to, y + h - (to - at)));
  }
  return strokes;
}

const [CHART_H, AXIS_W] = [96, 60];

/** What is drawn, beside its greatest value and zero. */
function byAxis(most: number, { unit }: Measured, canvas: CanvasElement[]): Content {
  const said = [
    { text: sayValue(most, unit), margin: [0, 0, 0, CHART_H - 24] as [number, number, number, number] },
    { text: sayValue(0, unit) },
  ];
  return {
    columns: [
      { width: AXIS_W - 6, stack: said, alignment: "right", fontSize: 7.5, color: DIM },
      { width: WIDTH - AXIS_W, canvas },
    ],
    columnGap: 6,
  };
}

/** A line over time on an honest zero, the period before it paler; gaps stay gaps. */
function course(m: Measured, zone: string): Content {
  const values = m.total.steps.map((v) => (v === null ? null : Number(v)));
  const before = m.stepsBefore.map((v) => (v === null ? null : Number(v)));
  const most = Math.max(0, ...values.map((v) => v ?? 0), ...before.map((v) => v ?? 0));
  if (most === 0) return { text: "Nothing.", color: DIM };
  const width = WIDTH - AXIS_W;
  const counts = m.addsUp;
  // where nothing was counted there was nothing, unless nobody listened; of other figures there is none
  const pointsOf = (list: readonly (number | null)[]) =>
    list.map((v, i) => ({
      x: (width * (i + 0.5)) / list.length,
      y:
        v === null && (!counts || (list === values && m.gaps.includes(i)))
          ? null
          : CHART_H - (CHART_H * (v ?? 0)) / most,
    }));
  const lines = (list: readonly (number | null)[], color: string, lineWidth: number): CanvasElement[] => {
    const runs: { x: number; y: number }[][] = [[]];
    for (const { x, y } of pointsOf(list))
      if (y === null) runs.push([]);
      else runs[runs.length - 1]!.push({ x, y });
    return runs
      .filter((r) => r.length > 0)
      .map((points) =>
        points.length === 1
          ? { type: "ellipse", x: points[0]!.x, y: points[0]!.y, r1: 1, r2: 1, color }
          : {
              type: "polyline",
              lineWidth,
              lineColor: color,
              points,
              ...(list === values && !m.total.exact ? { dash: { length: 4, space: 2 } } : {}),
            },
      );
  };
  const rule = (y: number): CanvasElement => ({
    type: "line",
    x1: 0,
    y1: y,
    x2: width,
    y2: y,
    lineWidth: 0.5,
    lineColor: LINE,
  });
  const table = tableOfSteps(m, zone);
  return {
    stack: [
      byAxis(most, m, [
        rule(0),
        rule(CHART_H / 2),
        rule(CHART_H),
        ...lines(before, PALE, 1),
        ...lines(values, FILL, 1.4),
      ]),
      {
        columns: [
          { width: AXIS_W, text: "" },
          { text: table.rows[0]?.[0] ?? "", fontSize: 7.5, color: DIM },
          {
            text: before.length === 0 ? "" : "the period before, paler",
            fontSize: 7.5,
            color: DIM,
            alignment: "center",
          },
          { text: minuteIn(zone, m.steps[m.steps.length - 1]!), fontSize: 7.5, color: DIM, alignment: "right" },
        ],
      },
    ],
  };
}

/** The least and the greatest weight of a band: the greatest of them darkest, all others palest. */
const [DARKEST, PALEST] = [0.9, 0.14];
const weightOf = (i: number, bands: number): number => DARKEST - ((DARKEST - PALEST) * i) / Math.max(1, bands - 1);

/** Bands over time, one upon the other, told apart by weight and named below in their order. */
function profile(m: Measured, zone: string): Content {
  const bands = bandsOf(m);
  const heights = m.total.steps.map((_, i) => bands.reduce((sum, b) => sum + (b.steps[i] ?? 0), 0));
  const most = Math.max(0, ...heights);
  if (most === 0) return { text: "Nothing.", color: DIM };
  const width = WIDTH - AXIS_W;
  const step = width / heights.length;
  const rects = heights.flatMap((_, i) => {
    let below = 0;
    return bands.flatMap((band, at): CanvasElement[] => {
      const h = (CHART_H * (band.steps[i] ?? 0)) / most;
      below += h;
      const fillOpacity = weightOf(at, bands.length);
      const box = { x: i * step, y: CHART_H - below, w: Math.max(0.5, step - 0.6), h };
      return filled(box, band.exact, fillOpacity);
    });
  });
  return {
    stack: [
      byAxis(most, m, rects),
      {
        columns: [
          { width: AXIS_W, text: "" },
          { text: minuteIn(zone, m.steps[0]!), fontSize: 7.5, color: DIM },
          { text: minuteIn(zone, m.steps[m.steps.length - 1]!), fontSize: 7.5, color: DIM, alignment: "right" },
        ],
      },
      {
        margin: [AXIS_W, 2, 0, 0],
        fontSize: 7.5,
        columns: bands.map((band, at) => ({
          width: "auto",
          columns: [
            { width: 10, canvas: filled({ x: 0, y: 1, w: 7, h: 7 }, band.exact, weightOf(at, bands.length)) },
            { width: "auto", text: breakable(band.name), margin: [0, 0, 8, 0] },
          ],
        })),
      },
    ],
  };
}

/** Hours by days, the darker the more; readable in grey. */
function heat(m: Measured): Content {
  const cells = hoursOf(m);
  const most = Math.max(0, ...cells.flat());
  if (most === 0) return { text: "Nothing.", color: DIM };
  const [w, h] = [(WIDTH - 36) / 24, 13];
  const rects = cells.flatMap((row, day) =>
    row.map(
      (v, hour): CanvasElement => ({
        type: "rect",
        x: hour * w,
        y: day * h,
        w: w - 1,
        h: h - 1,
        color: FILL,
        fillOpacity: v === 0 ? 0.04 : 0.12 + (0.88 * v) / most,
      }),
    ),
  );
  return {
    stack: [
      {
        columns: [
          {
            width: 30,
            stack: DAYS.map(
              (d) => ({ text: d, fontSize: 7.5, color: DIM, margin: [0, 0.6, 0, 3.4], lineHeight: 1 }) as Content,
            ),
          },
          { width: "*", canvas: rects },
        ],
        columnGap: 6,
      },
      {
        columns: [
          { width: 36, text: "" },
          ...[0, 6, 12, 18].map((hour) => ({
            width: w * 6,
            text: `${String(hour).padStart(2, "0")}:00`,
            fontSize: 7.5,
            color: DIM,
          })),
        ],
      },
      {
        text: `most in an hour of the week: ${sayValue(most, m.unit as Unit)}`,
        fontSize: 7.5,
        color: DIM,
        margin: [36, 2, 0, 0],
      },
    ],
  };
}
