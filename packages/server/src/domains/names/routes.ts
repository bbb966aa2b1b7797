import { EntityId } from "@halvik/contract/common";
import {
  ApplicationJson,
  ApplicationList,
  DomainJson,
  DomainList,
  MeaningJson,
  MeaningList,
  MibList,
  NewMib,
  SeverityChange,
  SeverityWord,
} from "@halvik/contract/kinds";
import { parseNetwork } from "@halvik/core/base/net";
import { formatUs } from "@halvik/core/base/time";
import {
  phraseCode,
  SEVERITY_ROWS,
  type SeverityRow,
  SNMP_MEANINGS,
  SYSLOG_PHRASES,
  sentenceNames,
  WINDOWS_MEANINGS,
} from "@halvik/core/meaning";
import type { SenderDirectory } from "@halvik/core/model/senders";
import * as z from "zod";
import { nowUs } from "../../kernel/clock.js";
import type { Models } from "../../kernel/db/models.js";
import type { Pool } from "../../kernel/db/pool.js";
import { type Act, inAct } from "../../kernel/db/unit-of-work.js";
import { AppError } from "../../kernel/http/errors.js";
import { route } from "../../kernel/http/route.js";
import type { WorkPool } from "../../kernel/threads/work-pool.js";
import type { TermIndex } from "../../store/term-index.js";
import type { CheckedModule } from "./check-module.js";
import { domains } from "./domains.js";
import { addModules, listModules, namedBy } from "./mibs.js";
import { countModules, removeModule } from "./mibs-repository.js";
import { nameOurDomain, takeBackDomain } from "./own-domains.js";
import type { Presenter } from "./presenter.js";
import {
  addApplication,
  forgetMeaning,
  forgetSeverity,
  loadApplications,
  ownMeanings,
  ownSeverities,
  removeApplication,
  setMeaning,
  setSeverity,
  unnamedOids,
} from "./repository.js";
import { unnamedServices } from "./unnamed-services.js";

const MAX_UNNAMED = 50;
const MAX_MODULES = 500;
const CHECK_MS = 15_000;

type Word = Pick<SeverityRow, "kind" | "original">;
const isSameWord = (a: Word, b: Word): boolean => a.kind === b.kind && a.original === b.original;

/** What these routes work with. */
interface Needs {
  readonly models: Models;
  readonly db: Pool;
  readonly directory: { readonly get: () => Promise<SenderDirectory> };
  readonly presenter: Presenter;
  /** Threads for what somebody wrote and may take long. */
  readonly work: WorkPool;
  readonly terms: TermIndex;
}

/** What turns codes into words: meanings of events, severities, SNMP modules, applications. All apply to history at once. */
export const nameRoutes = ({ models, db, directory, presenter, work, terms }: Needs) => {
  const meanings = async () => {
    const own = await ownMeanings(db);
    const mySeverities = await ownSeverities(db);
    const changed = new Set(own.map((m) => `${m.kind} ${m.code}`));
    const shipped = [...WINDOWS_MEANINGS]
      .map(([code, m]) => ({ kind: "windows" as const, code, ...m, own: false }))
      .concat([...SNMP_MEANINGS].map(([code, m]) => ({ kind: "snmp" as const, code, ...m, own: false })) as never)
      .concat(
        SYSLOG_PHRASES.map((p) => ({
          kind: "syslog" as const,
          code: phraseCode(p),
          severity: null,
          category: p.category,
          outcome: p.outcome,
          sentence: null,
          next: null,
          own: false,
        })) as never,
      );
    return {
      meanings: [
        ...own.map((m) => ({ ...m, own: true })),
        ...shipped.filter((m) => !changed.has(`${m.kind} ${m.code}`)),
      ],
      severities: [
        ...SEVERITY_ROWS.map((row) => {
          const mine = mySeverities.find((o) => isSameWord(o, row));
          return mine ? { ...mine, own: true } : { ...row, own: false };
        }),
        // words that only somebody's own devices use
        ...mySeverities
          .filter((o) => !SEVERITY_ROWS.some((row) => isSameWord(o, row)))
          .map((o) => ({ ...o, own: true })),
      ],
    };
  };

  const mibs = async () => {
    const { mib } = await presenter.names();
    const senders = await directory.get();
    const oids = await unnamedOids(db);
    return {
      modules: await listModules(db),
      // a module uploaded since may name them
      unnamed: oids
        .filter((r) => !namedBy(mib)(r.oid))
        .slice(0, MAX_UNNAMED)
        .map((r) => ({ oid: r.oid, count: r.count, last: formatUs(r.last_us), sender: senders.name(r.sender) })),
    };
  };

  const applications = async () => {
    const { applications: known } = await presenter.names();
    return {
      applications: (await loadApplications(db)).map((a) => ({
        ...a,
        network: a.network === null ? null : `${a.network.first}/${a.network.bits}`,
      })),
      unnamed: (await unnamedServices(db, known, nowUs())).slice(0, MAX_UNNAMED),
    };
  };

  const ownDomains = async () => domains(db, await directory.get(), terms, nowUs());

  /** Whoever changes one sees them all as they stand after it. */
  const change = async <T>(who: string, all: () => Promise<T>, work: (act: Act) => Promise<void>): Promise<T> => {
    await inAct(models, who, work);
    return all();
  };

  return [
    route({
      method: "get",
      path: "/meanings",
      summary: "What events and severities mean, shipped and own",
      access: "read",
      answer: MeaningList,
      handle: meanings,
    }),
    route({
      method: "post",
      path: "/meanings",
      summary: "Sets what an event means: sentence and hint apply to history, severity and category from now on",
      access: "act",
      body: MeaningJson,
      answer: MeaningList,
      handle: ({ body: m, actor }) =>
        change(actor.name, meanings, async (act) => {
          for (const name of m.sentence === null ? [] : sentenceNames(m.sentence))
            if (name.trim() === "")
              throw new AppError("BAD_REQUEST", "sentence: {} needs the name of a value between the braces", {
                field: "sentence",
              });
          await setMeaning(act.db, m, act.who, act.atUs);
          await act.audit("meaning set", m);
        }),
    }),
    route({
      method: "delete",
      path: "/meanings/{kind}/{code}",
      summary: "Takes an own meaning back: the shipped one stands again",
      access: "act",
      params: z.object({ kind: z.enum(["windows", "snmp", "syslog"]), code: z.string().min(1).max(300) }),
      answer: MeaningList,
      handle: ({ params: { kind, code }, actor }) =>
        change(actor.name, meanings, async (act) => {
          await forgetMeaning(act.db, kind, code);
          await act.audit("meaning taken back", { kind, code });
        }),
    }),
    route({
      method: "post",
      path: "/severities",
      summary: "Sets the common severity of a kind's own word; from now on",
      access: "act",
      body: SeverityChange,
      answer: MeaningList,
      handle: ({ body: s, actor }) =>
        change(actor.name, meanings, async (act) => {
          await setSeverity(act.db, s, act.who, act.atUs);
          await act.audit("severity set", s);
        }),
    }),
    route({
      method: "delete",
      path: "/severities/{kind}/{original}",
      summary: "Takes an own severity of a kind's word back: the shipped one stands again; from now on",
      access: "act",
      params: SeverityWord,
      answer: MeaningList,
      handle: ({ params: word, actor }) =>
        change(actor.name, meanings, async (act) => {
          await forgetSeverity(act.db, word);
          await act.audit("severity taken back", word);
        }),
    }),
    route({
      method: "get",
      path: "/mibs",
      summary: "SNMP modules with what is missing, and identifiers nobody named",
      access: "read",
      answer: MibList,
      handle: mibs,
    }),
    route({
      method: "post",
      path: "/mibs",
      summary: "Adds the modules of a text; their names apply to history",
      access: "act",
      body: NewMib,
      answer: MibList,
      handle: async ({ body, actor }) => {
        // in a thread first: whoever uses a module has to read it, the collector too; and no connection waits for it
        const checked = await work.run<CheckedModule>("mib", body.source, CHECK_MS);
        if (!checked.ok)
          throw new AppError("BAD_REQUEST", checked.message, {
            field: "source",
            line: checked.line,
            column: checked.column,
          });
        return change(actor.name, mibs, async (act) => {
          const kept = await countModules(act.db);
          if (kept + checked.modules.length > MAX_MODULES)
            throw new AppError("CONFLICT", `there are ${kept} modules; at most ${MAX_MODULES} can be kept`);
          const added = await addModules(act.db, body.source, act.who, act.atUs);
          await act.audit("SNMP modules added", { names: added });
        });
      },
    }),
    route({
      method: "delete",
      path: "/mibs/{name}",
      summary: "Forgets an uploaded module",
      access: "act",
      params: z.object({ name: z.string().min(1).max(120) }),
      answer: MibList,
      handle: ({ params: { name }, actor }) =>
        change(actor.name, mibs, async (act) => {
          await removeModule(act.db, name);
          await act.audit("SNMP module removed", { name });
        }),
    }),
    route({
      method: "get",
      path: "/applications",
      summary: "Own names of traffic, and the biggest traffic without a name",
      access: "read",
      answer: ApplicationList,
      handle: applications,
    }),
    route({
      method: "post",
      path: "/applications",
      summary: "Names traffic by protocol, port and network; the name applies to history",
      access: "act",
      body: ApplicationJson,
      answer: ApplicationList,
      handle: ({ body: a, actor }) =>
        change(actor.name, applications, async (act) => {
          const network = a.network === null || a.network === "" ? null : parseNetwork(a.network);
          if (a.network && network === null)
            throw new AppError("BAD_REQUEST", `network: expected an address or block, got “${a.network}”`, {
              field: "network",
            });
          if (a.protocol === null && a.lowPort === null && network === null)
            throw new AppError("BAD_REQUEST", "name a protocol, a port or a network", { field: "lowPort" });
          // all ports up to one would be all of its protocol
          if (a.lowPort === null && a.highPort !== null)
            throw new AppError("BAD_REQUEST", `name the port it begins at, too: up to ${a.highPort} from where?`, {
              field: "lowPort",
            });
          if (a.lowPort !== null && a.highPort !== null && a.highPort < a.lowPort)
            throw new AppError("BAD_REQUEST", `high port: expected ${a.lowPort} or more, got ${a.highPort}`, {
              field: "highPort",
            });
          await addApplication(act.db, { ...a, network }, act.who, act.atUs);
          await act.audit("application named", a);
        }),
    }),
    route({
      method: "delete",
      path: "/applications/{id}",
      summary: "Takes a name back",
      access: "act",
      params: z.object({ id: EntityId }),
      answer: ApplicationList,
      handle: ({ params: { id }, actor }) =>
        change(actor.name, applications, async (act) => {
          await removeApplication(act.db, id);
          await act.audit("application name removed", { id });
        }),
    }),
    route({
      method: "get",
      path: "/domains",
      summary: "Domains that are ours: in them one thing has several spellings; and domains that names suggest",
      access: "read",
      answer: DomainList,
      handle: ownDomains,
    }),
    route({
      method: "post",
      path: "/domains",
      summary:
        "Says that a domain is ours; rules, joining and searches go by it from now on, searches over history too",
      access: "act",
      body: DomainJson,
      answer: DomainList,
      handle: ({ body: { domain }, actor }) => change(actor.name, ownDomains, (act) => nameOurDomain(act, domain)),
    }),
    route({
      method: "delete",
      path: "/domains/{domain}",
      summary: "Takes back that a domain is ours",
      access: "act",
      params: z.object({ domain: z.string().min(1).max(253) }),
      answer: DomainList,
      handle: ({ params: { domain }, actor }) => change(actor.name, ownDomains, (act) => takeBackDomain(act, domain)),
    }),
  ];
};
