import type { NotifyRouteJson } from "@halvik/contract/notify";
import type { RuleList } from "@halvik/contract/rules";
import { NotifyRoute } from "@halvik/core/respond/notify";

/** A notification as its form holds it: lists as texts, numbers as what is typed or chosen. */
export interface Values {
  name: string;
  severity: string;
  about: string;
  tags: string;
  sites: string;
  groups: string;
  where: string;
  /** The number of texts of one's own; empty: those that ship. */
  texts: string;
  rules: string[];
  to: string;
  rotas: string[];
  channels: string[];
  delaySeconds: string;
  mostPerHour: string;
  tells: string[];
  enabled: boolean;
  repeatMinutes: string;
  escalate: { afterMinutes: string; to: string; rotas: string[]; channels: string[] }[];
  quiet: { days: string; from: string; to: string }[];
  breaks: string;
  digestAt: string;
  zone: string;
}

/** Stands for “nothing is” in a list of severities. */
export const NOTHING = "";

/** Stands for the texts that ship. */
export const SHIPPED = "";

const NEW: NotifyRoute = NotifyRoute.parse({ name: "new route", to: ["nobody@localhost.example"] });

const listed = (text: string): string[] =>
  text
    .split(",")
    .map((t) => t.trim())
    .filter(Boolean);
const texts = (ids: readonly number[]): string[] => ids.map(String);

/** @param forRule the rule that a new one is for @param zone whose clock a new one goes by */
export function valuesOf(
  route: NotifyRouteJson | null,
  forRule: RuleList["rules"][number] | null,
  zone: string,
): Values {
  const r = route ?? {
    ...NEW,
    to: [],
    zone,
    name: forRule?.name.slice(0, 80) ?? "",
    ...(forRule === null ? {} : { rules: [forRule.id], severity: forRule.severity }),
  };
  return {
    name: r.name,
    severity: r.severity,
    enabled: r.enabled,
    about: r.about.join(", "),
    tags: r.tags.join(", "),
    sites: r.sites.join(", "),
    groups: r.groups.join(", "),
    where: r.where,
    texts: r.texts === null ? SHIPPED : String(r.texts),
    rules: [...r.rules],
    to: r.to.join(", "),
    rotas: texts(r.rotas),
    channels: texts(r.channels),
    delaySeconds: String(r.delaySeconds),
    mostPerHour: String(r.mostPerHour),
    tells: [...r.tells],
    repeatMinutes: String(r.repeatMinutes),
    escalate: r.escalate.map((e) => ({
      afterMinutes: String(e.afterMinutes),
      to: e.to.join(", "),
      rotas: texts(e.rotas),
      channels: texts(e.channels),
    })),
    quiet: r.quiet.map((q) => ({ days: q.days.join(","), from: q.from, to: q.to })),
    breaks: r.breaks ?? NOTHING,
    digestAt: r.digestAt.join(", "),
    zone: r.zone,
  };
}

/** What is sent: checked by whoever reads it. */
export const routeOf = (v: Values) => ({
  name: v.name,
  enabled: v.enabled,
  severity: v.severity,
  about: listed(v.about),
  tags: listed(v.tags),
  sites: listed(v.sites),
  groups: listed(v.groups),
  where: v.where,
  texts: v.texts === SHIPPED ? null : Number(v.texts),
  rules: v.rules,
  to: listed(v.to),
  rotas: v.rotas.map(Number),
  channels: v.channels.map(Number),
  tells: v.tells,
  delaySeconds: Number(v.delaySeconds),
  mostPerHour: Number(v.mostPerHour),
  repeatMinutes: Number(v.repeatMinutes),
  escalate: v.escalate.map((e) => ({
    afterMinutes: Number(e.afterMinutes),
    to: listed(e.to),
    rotas: e.rotas.map(Number),
    channels: e.channels.map(Number),
  })),
  quiet: v.quiet.map((q) => ({ days: listed(q.days), from: q.from, to: q.to })),
  breaks: v.breaks === NOTHING ? null : v.breaks,
  digestAt: listed(v.digestAt),
  zone: v.zone,
});
