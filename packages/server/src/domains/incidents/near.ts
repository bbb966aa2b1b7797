import { formatUs } from "@halvik/core/base/time";
import { aboutOf, subjectsOf } from "@halvik/core/detect";
import type { SenderDirectory } from "@halvik/core/model/senders";
import { apart, type JoinContext, linksBetween, NEAR_US, thingsToCount } from "@halvik/core/respond/incidents";
import type { Queryable } from "../../kernel/db/pool.js";
import { type HeardBefore, weekBefore } from "./heard-before.js";
import { thingsOf } from "./joints.js";
import { joinableIncidents, joiningRules } from "./joints-repository.js";
import { findIncident, titlesOf } from "./repository.js";

const MOST = 8;

/** Incidents near one in time that share something with it and are none with it: what that weighs, and why it is not enough. Null: there is none. */
export async function nearAndNotJoined(
  db: Queryable,
  id: number,
  directory: SenderDirectory,
  heard: HeardBefore,
  nowUs: number,
) {
  const row = await findIncident(db, id);
  if (row === null) return null;
  const rules = await joiningRules(db);
  const keys = new Map(rules.map((r) => [r.id, r]));
  const about = (rule: string, key: string) => {
    const known = keys.get(rule);
    return known === undefined ? [] : aboutOf(known, key);
  };
  const all = await joinableIncidents(db, row.first_us, row.last_us, nowUs, new Map(), about, id);
  const own = all.find((i) => i.id === id);
  if (own === undefined) return [];
  const others = all.filter((i) => i.id !== id && i.parent !== id && own.parent !== i.id && apart(own, i) <= NEAR_US);
  const things = thingsOf(directory);
  const context: JoinContext = {
    things,
    heard: await heard.of(db, thingsToCount(own, others, things), weekBefore(own.firstUs, others), directory),
    subjectsOf: subjectsOf(rules),
    explainedBy: () => [],
    relation: () => null,
  };
  const self = { ...own, rule: "", key: "", aboutSender: false };
  const near = others
    .map((i) => ({ incident: i, links: linksBetween(self, i, context) }))
    .filter((n) => n.links.length > 0)
    .sort((a, b) => weigh(b.links) - weigh(a.links))
    .slice(0, MOST);
  const titles = await titlesOf(
    db,
    near.map((n) => n.incident.id),
  );
  return near.map(({ incident, links }) => ({
    id: incident.id,
    title: titles.get(incident.id) ?? "",
    first: formatUs(incident.firstUs),
    links,
  }));
}

const weigh = (links: readonly { readonly weight: number }[]): number => links.reduce((sum, l) => sum + l.weight, 0);
