import * as z from "zod";
import { ReportDefinition } from "./definition.js";
import { field, octets, own, REFUSED_LOGONS, records } from "./drafts.js";

const FIREWALL = "kind is firewall";
/** What Halvik writes down when records are lost, and when a sender sends more than it may. */
const LOST = "records-lost, senders-capped";
/** How much it says was missing. @param events by their names */
const told = (events: string) => ({
  figure: { of: "sum", number: { data: "count" } },
  filter: `kind is halvik and event in ${events}`,
});

/** Reports that ship; a copy of one is one's own. What they count is said by their filters, in the language of Records. */
export const READY_REPORTS: readonly ReportDefinition[] = z.array(ReportDefinition).parse([
  {
    name: "Logons and privilege",
    about: "Who signed in where, who was refused, and who used special rights.",
    period: { last: 7, unit: "day" },
    parts: [
      { is: "figure", title: "Refused logons", compare: true, measure: records(REFUSED_LOGONS) },
      {
        is: "figure",
        title: "Accepted logons",
        compare: true,
        measure: records("category is logon and outcome is success"),
      },
      { is: "course", title: "Refused logons over time", compare: true, measure: records(REFUSED_LOGONS) },
      { is: "bars", title: "Accounts refused most", compare: true, measure: records(REFUSED_LOGONS, [field("user")]) },
      { is: "bars", title: "Sources refused most", compare: true, measure: records(REFUSED_LOGONS, [field("src")]) },
      {
        is: "table",
        title: "From how many sources each account was refused",
        measure: {
          figure: { of: "distinct", values: field("src") },
          filter: REFUSED_LOGONS,
          by: [field("user")],
          top: 20,
        },
      },
      {
        is: "hours of the week",
        title: "When logons are accepted",
        measure: { figure: { of: "records" }, filter: "category is logon and outcome is success" },
      },
      {
        is: "table",
        title: "Use of special rights",
        measure: records("category is privilege", [field("user"), field("host")], { top: 20 }),
      },
      {
        is: "table",
        title: "Accounts changed",
        measure: records("category is account", [field("event"), field("host")], { top: 20 }),
      },
    ],
  },
  {
    name: "Firewall decisions by policy",
    about: "What was let through, what was refused, by which policy, and for whom.",
    period: { last: 7, unit: "day" },
    parts: [
      { is: "figure", title: "Decisions", compare: true, measure: records(FIREWALL) },
      {
        is: "figure",
        title: "Refused",
        compare: true,
        measure: { figure: { of: "share", filter: "action in deny, reject" }, filter: FIREWALL },
      },
      {
        is: "course",
        title: "Refused over time",
        compare: true,
        measure: records(`${FIREWALL} and action in deny, reject`),
      },
      {
        is: "table",
        title: "By policy and decision",
        measure: records(FIREWALL, [field("policy"), field("action")], { top: 30 }),
      },
      {
        is: "bars",
        title: "Sources refused most",
        measure: records(`${FIREWALL} and action in deny, reject`, [field("src")]),
      },
      {
        is: "bars",
        title: "Ports refused most",
        measure: records(`${FIREWALL} and action in deny, reject`, [field("dst port")]),
      },
      {
        is: "table",
        title: "Who was refused where",
        measure: records(`${FIREWALL} and action in deny, reject`, [field("src"), field("dst")], { top: 20 }),
      },
    ],
  },
  {
    name: "Links and devices",
    about: "What went down, what was reported as broken, and by which devices.",
    period: { last: 7, unit: "day" },
    parts: [
      { is: "figure", title: "Errors and worse", compare: true, measure: records("severity at least error") },
      { is: "course", title: "Errors and worse over time", compare: true, measure: records("severity at least error") },
      {
        is: "bars",
        title: "Senders with most errors",
        compare: true,
        measure: records("severity at least error", [field("sender")]),
      },
      {
        is: "table",
        title: "Interfaces reported most",
        measure: records("category is link", [field("sender"), field("interface")], { top: 20 }),
      },
      {
        is: "table",
        title: "Notifications by what they are",
        measure: records("kind is snmp", [field("event"), field("sender")], { top: 20 }),
      },
      { is: "incidents", title: "Incidents of the time", worst: 4, most: 15 },
    ],
  },
  {
    name: "Traffic by link",
    about:
      "What the links carried, for whom, by which application. Links count as exported, all else each conversation once; flows are spread over the time they took.",
    period: { last: 7, unit: "day" },
    parts: [
      { is: "figure", title: "Carried", compare: true, measure: octets() },
      { is: "course", title: "Carried over time", compare: true, measure: octets([], { perSecond: true }) },
      {
        is: "table",
        title: "By interface and direction",
        compare: true,
        measure: octets(["interface", "direction"], { top: 20 }),
      },
      { is: "bars", title: "Applications", compare: true, measure: octets(["application"]) },
      { is: "bars", title: "The ten biggest talkers", compare: true, measure: octets(["source"]) },
      { is: "table", title: "Who sent to whom", measure: octets(["pair"], { top: 20 }) },
    ],
  },
  {
    name: "Intake health",
    about: "Is everything heard: what arrived, what was lost, who is silent.",
    period: { last: 7, unit: "day" },
    parts: [
      {
        is: "own figures",
        title: "Heard and not heard",
        figures: [
          "records arrived",
          "records dropped on arrival",
          "datagrams lost or refused",
          "flow records missing by sequence",
          "time nobody listened",
          "senders silent now",
          "days that records are kept",
        ],
      },
      { is: "course", title: "Records over time", compare: true, measure: records("") },
      {
        is: "table",
        title: "By sender and kind",
        compare: true,
        measure: records("", [field("sender"), field("kind")], { top: 40 }),
      },
      { is: "course", title: "Lost or refused over time", measure: told(LOST) },
      { is: "course", title: "Flow datagrams missing over time", measure: told("flow-gaps") },
      {
        is: "course",
        title: "Senders falling silent over time",
        measure: records('kind is halvik and event is "sender-silent"'),
      },
      { is: "bars", title: "Senders that sent least", measure: records("", [field("sender")], { order: "least" }) },
      {
        is: "bars",
        title: "What could not be decoded in full",
        measure: records("not problem missing", [field("problem")]),
      },
      {
        is: "table",
        title: "Senders whose clock is furthest off, as they are now",
        measure: own("senders", ["sender"], { figure: { of: "greatest", number: "clock offset" } }),
      },
      {
        is: "table",
        title: "Silent longest, as they are now",
        measure: own("senders", ["sender"], {
          figure: { of: "greatest", number: "silent for" },
          only: [{ by: "silent", is: ["yes"] }],
        }),
      },
      {
        is: "table",
        title: "What is kept, as it is now",
        measure: own("store", ["kind"], { figure: { of: "sum", number: "bytes" } }),
      },
      {
        is: "table",
        title: "Halvik's own events",
        measure: records("sender is halvik", [field("event")], { top: 20 }),
      },
    ],
  },
  {
    name: "Alarm load",
    about: "What was put on people, and what became of it.",
    period: { last: 7, unit: "day" },
    parts: [
      {
        is: "own figures",
        title: "Incidents and notifications",
        compare: true,
        figures: [
          "incidents opened",
          "incidents ended",
          "incidents that need somebody now",
          "median time to acknowledge",
          "closed as false or expected",
          "notifications sent",
          "notifications withheld",
        ],
      },
      { is: "course", title: "Messages to people", compare: true, measure: own("notifications") },
      { is: "bars", title: "Messages by person", compare: true, measure: own("notifications", ["person"]) },
      { is: "bars", title: "Incidents by rule", compare: true, measure: own("incidents", ["rule"]) },
      {
        is: "table",
        title: "Of each rule, the share closed as false or expected",
        measure: own("incidents", ["rule"], {
          only: [{ by: "closed as", is: [] }],
          figure: { of: "share", only: [{ by: "closed as", is: ["false", "expected"] }] },
        }),
      },
      {
        is: "table",
        title: "Median time to acknowledge, by who did",
        measure: own("incidents", ["acknowledged by"], { figure: { of: "p50", number: "time to acknowledge" } }),
      },
      { is: "incidents", title: "The worst of them", worst: 4, most: 30 },
    ],
  },
  {
    name: "A week in review",
    about: "What happened, what needed somebody, what was heard.",
    period: { last: 1, unit: "week" },
    parts: [
      { is: "figure", title: "Records", compare: true, measure: records("") },
      { is: "figure", title: "Errors and worse", compare: true, measure: records("severity at least error") },
      { is: "figure", title: "Refused logons", compare: true, measure: records(REFUSED_LOGONS) },
      {
        is: "own figures",
        title: "Incidents, notifications, intake",
        compare: true,
        figures: [
          "incidents opened",
          "incidents ended",
          "median time to acknowledge",
          "notifications sent",
          "datagrams lost or refused",
          "time nobody listened",
          "senders silent now",
        ],
      },
      { is: "incidents", title: "What needed somebody", worst: 3, most: 10, stories: true },
      { is: "bars", title: "Incidents by rule", compare: true, measure: own("incidents", ["rule"]) },
      { is: "hours of the week", title: "When records came", measure: { figure: { of: "records" } } },
      {
        is: "bars",
        title: "Senders with most errors",
        compare: true,
        measure: records("severity at least error", [field("sender")]),
      },
      { is: "bars", title: "Accounts refused most", compare: true, measure: records(REFUSED_LOGONS, [field("user")]) },
      { is: "bars", title: "The ten biggest talkers", compare: true, measure: octets(["source"]) },
    ],
  },
]);
