import {
  AnswersAnswer,
  InterfaceFact,
  MarkingsAnswer,
  PatientQuery,
  PoliciesAnswer,
  PoliciesQuery,
  PolicyAnswer,
  PolicyQuery,
  TrafficAnswer,
  TrafficLists,
  TrafficListsQuery,
  TrafficNow,
  TrafficPlaces,
  TrafficQuery,
  UnnamedTraffic,
} from "@halvik/contract/traffic";
import { US_PER_DAY } from "@halvik/core/base/time";
import * as z from "zod";
import type { Actor } from "../../kernel/actor.js";
import { nowUs } from "../../kernel/clock.js";
import type { Config } from "../../kernel/config/config.js";
import type { Models } from "../../kernel/db/models.js";
import type { Pool } from "../../kernel/db/pool.js";
import { inAct } from "../../kernel/db/unit-of-work.js";
import { AppError } from "../../kernel/http/errors.js";
import { route } from "../../kernel/http/route.js";
import { readWindow } from "../../kernel/http/window.js";
import { derivedBefore } from "../../store/traffic/derive-sums.js";
import { keptSince, trafficSources } from "../../store/traffic/read-sums.js";
import type { ScanAsked } from "../../store/traffic/scan-flows.js";
import { flowsBehind, SUMMED_WITHIN_US } from "../../store/traffic/sum-flows.js";
import { trafficSites } from "../../store/traffic/traffic-sites.js";
import type { DirectoryCache } from "../intake/senders/directory-cache.js";
import { flowsWaiting } from "../intake/streams/repository.js";
import type { Presenter } from "../names/presenter.js";
import type { Ask } from "../records/questions.js";
import { readFilter } from "../records/read-filter.js";
import { answersOf } from "./answers.js";
import { countersBeside } from "./counters.js";
import { profile } from "./course.js";
import { namesOfInterfaces } from "./interface-names.js";
import { knownInterfaces, sayInterface } from "./interfaces-repository.js";
import { lists } from "./lists.js";
import { markingsOf } from "./markings.js";
import { trafficNow } from "./now.js";
import { capacityOf, placesOf } from "./places.js";
import { policiesOf } from "./policies.js";
import { policyCheck } from "./policy.js";
import type { Question } from "./question.js";
import { metersOf, placesIn, waitingIn } from "./scope.js";
import { unnamedOf } from "./unnamed.js";
import { type Place, whereOf } from "./where.js";

const MOST_DAYS = 800;
const ofInterface = z.object({
  exporter: z.coerce.number().int().min(1).max(2_147_483_647),
  interface: z.coerce.number().int().min(0).max(4_294_967_295),
});

type Scoped = Omit<z.output<typeof TrafficListsQuery>, "dimensions" | "most">;

/** What these routes work with. */
interface Needs {
  readonly config: Config;
  readonly models: Models;
  readonly db: Pool;
  readonly directory: DirectoryCache;
  readonly presenter: Presenter;
  /** Who answers questions about a filter. */
  readonly ask: Ask;
}

/** Who uses the network for what. */
export const trafficRoutes = (deps: Needs) => {
  const { config, models, db, directory, presenter, ask } = deps;
  /** Narrowed by a filter, its flows are gone through. */
  const scanOf = async (query: Scoped, actor: Actor, now: number, of: Omit<ScanAsked, "summed">) => {
    if (query.filter.trim() === "") return null;
    const { filter } = await readFilter(deps, actor, query, now);
    const budgetMs = query.patience * 1_000;
    return (window: Parameters<NonNullable<Question["scan"]>>[0], summed: ScanAsked["summed"]) =>
      ask(filter).traffic({ ...window, ...of, filter, summed, nowUs: now, budgetMs });
  };
  const questionOf = async (query: Scoped, actor: Actor): Promise<Question> => {
    const now = nowUs();
    const window = readWindow(query, now);
    if (window.toUs - window.fromUs > MOST_DAYS * US_PER_DAY)
      throw new AppError("BAD_REQUEST", `expected a window of ${MOST_DAYS} days at most`);
    if (query.interface !== undefined && query.exporter === undefined)
      throw new AppError("BAD_REQUEST", "an interface is one of an exporter: name that too", { field: "interface" });
    const senders = await directory.get();
    const sources = await trafficSources(db);
    const metered = metersOf(query, sources, senders, window);
    const ofThem = new Set(metered.meters.map((m) => m.sender));
    const sites = await trafficSites(db, window.fromUs, now);
    return {
      metered,
      scan: await scanOf(query, actor, now, { meters: metered.meters, sites }),
      reportedSinceUs: Math.min(...sources.filter((s) => ofThem.has(s.sender)).map((s) => s.firstUs)),
      ...window,
      measure: query.measure,
      minuteSinceUs: keptSince(config.HALVIK_KEEP_TRAFFIC_MINUTE_DAYS, now),
      kept: {
        fiveSinceUs: keptSince(config.HALVIK_KEEP_TRAFFIC_FIVE_DAYS, now),
        derived: await derivedBefore(db),
      },
      behind: await flowsBehind(db, now - SUMMED_WITHIN_US),
      waiting: waitingIn(query, await flowsWaiting(db), senders),
      sites,
      applications: senders.applications,
      nameOf: (sender) => senders.name(sender),
    };
  };
  /** Places a scope falls into, as they are called. */
  const places = async (scope: Scoped): Promise<Place[]> => {
    const senders = await directory.get();
    const sources = await trafficSources(db);
    const names = await namesOfInterfaces(deps, sources);
    return placesIn(scope, sources, senders).map((p) => ({
      ...p,
      label: p.interface === null ? senders.name(p.exporter) : names(p.exporter, p.interface),
      site: senders.get(p.exporter)?.site ?? null,
    }));
  };
  return [
    route({
      method: "get",
      alsoPost: true,
      path: "/traffic",
      summary: "The course of traffic over a window: of everything, a site, an exporter or an interface",
      access: "read",
      query: TrafficQuery,
      answer: TrafficAnswer,
      handle: async ({ query, actor }) => {
        const { exporter, interface: index } = query;
        const course = await profile(db, await questionOf(query, actor), query.by);
        if (exporter === undefined || index === undefined) return { ...course, capacity: null, counters: null };
        const of = { sender: exporter, interface: index };
        const known = (await knownInterfaces(db)).find((i) => i.sender === exporter && i.interface === index);
        const isNarrowed = query.filter.trim() !== "";
        return {
          ...course,
          capacity: capacityOf(known).bits,
          counters: await countersBeside(db, of, course, query.measure, isNarrowed),
        };
      },
    }),
    route({
      method: "get",
      alsoPost: true,
      path: "/traffic/lists",
      summary: "The greatest values of dimensions of traffic, and what the others are together",
      access: "read",
      query: TrafficListsQuery,
      answer: TrafficLists,
      handle: async ({ query, actor }) => {
        const question = await questionOf(query, actor);
        const listed = await lists(db, question, query.dimensions, query.most);
        return { ...listed, where: question.scan === null ? await whereOf(db, question, await places(query)) : [] };
      },
    }),
    route({
      method: "get",
      path: "/traffic/places",
      summary: "Sites, exporters and interfaces with traffic",
      access: "read",
      answer: TrafficPlaces,
      handle: async () =>
        placesOf(await trafficSources(db), await knownInterfaces(db), await directory.get(), await presenter.names()),
    }),
    route({
      method: "get",
      path: "/traffic/unnamed",
      summary: "The biggest traffic without a name",
      access: "read",
      query: TrafficQuery.omit({ by: true }),
      answer: UnnamedTraffic,
      handle: async ({ query, actor }) => unnamedOf(db, await questionOf(query, actor)),
    }),
    route({
      method: "get",
      path: "/traffic/markings",
      summary: "Where a marking is not carried on from one exporter to the next",
      access: "read",
      query: PatientQuery,
      answer: MarkingsAnswer,
      handle: async ({ query: { patience, ...query } }) => {
        const now = nowUs();
        const senders = await directory.get();
        const q = {
          ...readWindow(query, now),
          nameOf: (sender: number) => senders.name(sender),
          applications: senders.applications,
        };
        return markingsOf(ask, q, await namesOfInterfaces(deps, await trafficSources(db)), now, patience * 1_000);
      },
    }),
    route({
      method: "get",
      path: "/traffic/answers",
      summary: "How servers answered: DNS, HTTP and TLS, by time and by server",
      access: "read",
      query: PatientQuery,
      answer: AnswersAnswer,
      handle: async ({ query: { patience, ...query } }) => {
        const now = nowUs();
        return answersOf(ask, readWindow(query, now), await directory.get(), now, patience * 1_000);
      },
    }),
    route({
      method: "get",
      path: "/traffic/now",
      summary: "What goes on in the last five minutes: who sends, to whom, what is decided about it",
      access: "read",
      answer: TrafficNow,
      handle: async () => trafficNow(db, ask, await directory.get(), nowUs()),
    }),
    route({
      method: "get",
      path: "/traffic/policies",
      summary: "Policies of firewalls by their use: which are new, and which are not met any more",
      access: "read",
      query: PoliciesQuery,
      answer: PoliciesAnswer,
      handle: async ({ query }) => {
        const now = nowUs();
        return policiesOf(ask, readWindow(query, now), await directory.get(), now);
      },
    }),
    route({
      method: "get",
      path: "/traffic/policy",
      summary: "What firewalls decided between some ends, what flowed, and what does not go together",
      access: "read",
      query: PolicyQuery,
      answer: PolicyAnswer,
      handle: async ({ query: { from, to, ...ends } }) => {
        const now = nowUs();
        return policyCheck(ask, { ...readWindow({ from, to }, now), ...ends }, await directory.get(), now);
      },
    }),
    route({
      method: "patch",
      path: "/traffic/interfaces/{exporter}/{interface}",
      summary: "Says what an interface is called and how much it carries",
      access: "act",
      params: ofInterface,
      body: InterfaceFact,
      answer: z.object({ saved: z.literal(true) }),
      handle: async ({ params: p, body, actor }) => {
        if ((await directory.get()).get(p.exporter) === undefined)
          throw new AppError("NOT_FOUND", `there is no sender ${p.exporter}`, { field: "exporter" });
        await inAct(models, actor.name, async (act) => {
          await sayInterface(act.db, { sender: p.exporter, interface: p.interface }, body, actor.name, nowUs());
          await act.audit("interface described", { sender: p.exporter, interface: p.interface, ...body });
        });
        return { saved: true as const };
      },
    }),
  ];
};
