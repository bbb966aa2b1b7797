import * as z from "zod";
import { field, octets, own, REFUSED_LOGONS, records } from "../report/drafts.js";
import { Board, COLUMNS } from "./definition.js";

const different = (of: string, filter: string) => ({ figure: { of: "distinct", values: field(of) }, filter });

const figure = (title: string, measure: object) => ({ is: "figure", title, compare: true, measure });
const bars = (title: string, measure: object) => ({ is: "bars", title, compare: true, measure });
const course = (title: string, measure: object) => ({ is: "course", title, compare: true, measure });
const profile = (title: string, measure: object) => ({ is: "profile", title, measure });

/** Tiles in rows: each row as high as it says, its tiles as wide as they say, from the left. */
function inRows(
  rows: readonly { readonly h: number; readonly tiles: readonly (readonly [number, object, object?])[] }[],
) {
  const tiles: object[] = [];
  let y = 0;
  for (const { h, tiles: row } of rows) {
    let x = 0;
    for (const [w, shows, more] of row) {
      tiles.push({ id: `tile-${tiles.length + 1}`, at: { x, y, w, h }, shows, ...more });
      x += w;
    }
    y += h;
  }
  return tiles;
}

/** Tiles in columns of the same width: each as high as it says, from the top. */
function inColumns(columns: readonly (readonly (readonly [number, object, object?])[])[]) {
  const w = COLUMNS / columns.length;
  const tiles: object[] = [];
  for (const [i, column] of columns.entries()) {
    let y = 0;
    for (const [h, shows, more] of column) {
      tiles.push({ id: `tile-${tiles.length + 1}`, at: { x: i * w, y, w, h }, shows, ...more });
      y += h;
    }
  }
  return tiles;
}

const DENIED = "action in deny, reject";
const DAY = { last: 24, unit: "hour", whole: false };

/** Below the queue of Now: what somebody who arrives in the morning asks. */
export const NOW_BOARD: Board = Board.parse({
  name: "Now",
  tiles: inColumns([
    [
      [10, { is: "last night", title: "Last night" }],
      [6, { is: "limits", title: "Nearest their limit", most: 5 }],
      [7, { is: "sites", title: "Sites" }],
    ],
    [
      [4, { is: "silent senders", title: "Am I hearing everything?", most: 8 }],
      [
        6,
        {
          is: "bars",
          title: "What changed most",
          compare: true,
          measure: records("", [field("sender")], { order: "changed", top: 7 }),
        },
        { window: DAY },
      ],
      [6, { is: "alarm load", title: "Alarm load" }, { window: { last: 7, unit: "day", whole: false } }],
      [7, profile("By severity", records("", [field("severity")]))],
    ],
    [
      [5, { is: "fullest links", title: "Fullest links", most: 5 }, { window: DAY }],
      [
        5,
        {
          is: "bars",
          title: "Refused most",
          compare: true,
          measure: records(`(${REFUSED_LOGONS}) or ${DENIED}`, [field("src")], { top: 6 }),
        },
        { window: DAY },
      ],
      [6, { is: "incidents a day", title: "Incidents a day" }],
      [7, { is: "intake", title: "Lost, refused, late" }],
    ],
  ]),
});

/** Boards that ship; a copy of one is one's own. */
export const READY_BOARDS: readonly Board[] = z.array(Board).parse([
  {
    name: "Wall",
    about: "What a room must see: what needs somebody, who is silent, what is full.",
    tiles: inRows([
      {
        h: 8,
        tiles: [
          [3, { is: "clock", title: "Now" }],
          [
            3,
            figure("Records", records("", [], { perSecond: true })),
            { window: { last: 1, unit: "hour", whole: false } },
          ],
          [3, figure("Errors", records("severity at least error")), { window: DAY }],
          [3, figure("Refused logons", records(REFUSED_LOGONS)), { window: DAY }],
        ],
      },
      {
        h: 13,
        tiles: [
          [7, { is: "needs somebody", title: "Needs somebody", most: 6 }],
          [5, { is: "silent senders", title: "Silent", most: 6 }],
        ],
      },
      {
        h: 11,
        tiles: [
          [7, course("Records over time", records("")), { window: DAY }],
          [
            5,
            { is: "fullest links", title: "Fullest links", most: 5 },
            { window: { last: 1, unit: "hour", whole: false } },
          ],
        ],
      },
    ]),
  },
  {
    name: "Syslog",
    about: "What machines say by syslog, how bad it is, and who says it.",
    filter: "kind is syslog",
    tiles: inRows([
      {
        h: 3,
        tiles: [
          [3, figure("Messages", records(""))],
          [3, figure("Errors and worse", records("severity at least error"))],
          [3, figure("How many senders", different("sender", ""))],
          [3, figure("How many programs", different("app", ""))],
        ],
      },
      { h: 9, tiles: [[12, profile("By severity", records("", [field("severity")]))]] },
      {
        h: 10,
        tiles: [
          [6, bars("Senders", records("", [field("sender")]))],
          [6, bars("Programs", records("", [field("app")]))],
        ],
      },
      {
        h: 10,
        tiles: [[12, { is: "records", title: "The newest errors", filter: "severity at least error", most: 12 }]],
      },
    ]),
  },
  {
    name: "SNMP",
    about: "Notifications of devices: what happened, at which interface.",
    filter: "kind is snmp",
    tiles: inRows([
      {
        h: 3,
        tiles: [
          [4, figure("Notifications", records(""))],
          [4, figure("How many devices", different("sender", ""))],
          [4, figure("How many interfaces", different("interface", ""))],
        ],
      },
      { h: 9, tiles: [[12, profile("By event", records("", [field("event")]))]] },
      {
        h: 10,
        tiles: [
          [6, bars("Devices", records("", [field("sender")]))],
          [6, bars("Interfaces", records("", [field("interface")]))],
        ],
      },
      { h: 10, tiles: [[12, { is: "records", title: "The newest", filter: "", most: 12 }]] },
    ]),
  },
  {
    name: "Windows",
    about: "Logons, privilege, accounts, by the events of Windows.",
    filter: "kind is windows",
    tiles: inRows([
      {
        h: 3,
        tiles: [
          [3, figure("How many events", records(""))],
          [3, figure("Refused logons", records(REFUSED_LOGONS))],
          [3, figure("Accounts that logged on", different("user", "category is logon and outcome is success"))],
          [3, figure("Use of special rights", records("category is privilege"))],
        ],
      },
      { h: 9, tiles: [[12, course("Refused logons over time", records(REFUSED_LOGONS))]] },
      {
        h: 10,
        tiles: [
          [6, bars("Accounts refused", records(REFUSED_LOGONS, [field("user")]))],
          [6, bars("Sources refused", records(REFUSED_LOGONS, [field("src")]))],
        ],
      },
      {
        h: 10,
        tiles: [
          [6, bars("Events", records("", [field("event")]))],
          [6, { is: "records", title: "Accounts changed", filter: "category is account", most: 10 }],
        ],
      },
    ]),
  },
  {
    name: "Firewall",
    about: "What was let through and what was not, by which policy.",
    filter: "kind is firewall",
    tiles: inRows([
      {
        h: 3,
        tiles: [
          [3, figure("Decisions", records(""))],
          [3, figure("Refused", records(DENIED))],
          [3, figure("Share refused", { figure: { of: "share", filter: DENIED } })],
          [3, figure("How many sources refused", different("src", DENIED))],
        ],
      },
      { h: 9, tiles: [[12, profile("By decision", records("", [field("action")]))]] },
      {
        h: 10,
        tiles: [
          [4, bars("Policies", records("", [field("policy")]))],
          [4, bars("Sources refused", records(DENIED, [field("src")]))],
          [4, bars("Ports refused", records(DENIED, [field("dst port")]))],
        ],
      },
      { h: 10, tiles: [[12, { is: "records", title: "The newest refusals", filter: DENIED, most: 12 }]] },
    ]),
  },
  {
    name: "Flow",
    about: "Who talks to whom, and how much; links that fill. Each conversation counts once.",
    filter: "kind is flow",
    tiles: inRows([
      {
        h: 3,
        tiles: [
          [3, figure("Octets", octets())],
          [3, figure("Flows", records(""))],
          [3, figure("Sources", different("src", ""))],
          [3, figure("Exporters", different("sender", ""))],
        ],
      },
      { h: 9, tiles: [[12, profile("By application", octets(["application"], { perSecond: true }))]] },
      {
        h: 10,
        tiles: [
          [4, bars("Who sent", octets(["source"]))],
          [4, bars("Who received", octets(["destination"]))],
          [4, { is: "fullest links", title: "Fullest links", most: 8 }],
        ],
      },
    ]),
  },
  {
    name: "Intake",
    about: "Whether everything is heard: arrivals, losses, silence, clocks.",
    tiles: inRows([
      {
        h: 7,
        tiles: [
          [6, { is: "intake", title: "Lost, refused, late" }],
          [6, course("Records", records(""))],
        ],
      },
      {
        h: 10,
        tiles: [
          [6, { is: "silent senders", title: "Silent", most: 8 }],
          [
            6,
            bars(
              "Clock furthest off",
              own("senders", ["sender"], { figure: { of: "greatest", number: "clock offset" } }),
            ),
          ],
        ],
      },
      {
        h: 10,
        tiles: [
          [6, bars("Over the cap", own("senders", ["sender"], { figure: { of: "sum", number: "over the cap" } }))],
          [6, bars("What is kept", own("store", ["kind"], { figure: { of: "sum", number: "bytes" } }))],
        ],
      },
    ]),
  },
  {
    name: "People",
    about: "What is put on people, and what they do.",
    tiles: inRows([
      {
        h: 8,
        tiles: [[12, { is: "alarm load", title: "Alarm load" }, { window: { last: 7, unit: "day", whole: false } }]],
      },
      {
        h: 10,
        tiles: [
          [4, bars("Incidents by rule", own("incidents", ["rule"]))],
          [4, bars("Messages by person", own("notifications", ["person"]))],
          [4, bars("Who did what", own("audit", ["who"]))],
        ],
      },
      { h: 10, tiles: [[12, { is: "needs somebody", title: "Needs somebody", most: 10 }]] },
    ]),
  },
]);
