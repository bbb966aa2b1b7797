import { RecordId } from "@halvik/contract/common";
import { Trace, TraceMessage } from "@halvik/contract/trace";
import { ArrivalRules } from "@halvik/core/arrive";
import { UsmUsers } from "@halvik/core/decode/snmp";
import * as z from "zod";
import { nowUs } from "../../kernel/clock.js";
import type { Config } from "../../kernel/config/config.js";
import type { Pool } from "../../kernel/db/pool.js";
import { AppError } from "../../kernel/http/errors.js";
import { route } from "../../kernel/http/route.js";
import { nodeSnmpCrypto } from "../../kernel/snmp-crypto.js";
import { findRecord } from "../../store/find-records.js";
import { loadArrivalRules, readyRules } from "../arrival/repository.js";
import { loadFormats, readyFormats } from "../formats/repository.js";
import { loadEndpoints, mappingsOf } from "../intake/endpoints/repository.js";
import type { DecodeSettings } from "../intake/pipeline/decoders.js";
import type { DirectoryCache } from "../intake/senders/directory-cache.js";
import type { Presenter } from "../names/presenter.js";
import { loadMeanings } from "../names/repository.js";
import { RuleCache } from "./rule-cache.js";
import { traceMessage } from "./trace-message.js";
import { traceRecord } from "./trace-record.js";

/** What these routes work with. */
interface Needs {
  readonly db: Pool;
  readonly directory: DirectoryCache;
  readonly presenter: Presenter;
  readonly config: Config;
}

/** One message followed on its way: one that is stored, or one that only might be. */
export const traceRoutes = ({ db, directory, presenter, config }: Needs) => {
  const rules = new RuleCache(db, config.HALVIK_ZONE);
  const needs = async () => {
    const senders = await directory.get();
    return { db, directory: senders, presenter, zone: config.HALVIK_ZONE, rules: await rules.get(senders) };
  };
  /** As the collector works; keys of SNMPv3 are its alone. */
  const settings = async (): Promise<DecodeSettings> => {
    const senders = await directory.get();
    const endpoints = await loadEndpoints(db, config);
    return {
      users: new UsmUsers([], nodeSnmpCrypto),
      meanings: await loadMeanings(db),
      mappings: mappingsOf(endpoints),
      arrivalRules: new ArrivalRules(readyRules(await loadArrivalRules(db), senders).ready, senders, nowUs()),
      formats: readyFormats(await loadFormats(db), senders, nowUs()).ready,
    };
  };
  return [
    route({
      method: "post",
      path: "/trace",
      summary: "What would become of a message, step by step; nothing is stored and nobody is notified",
      access: "read",
      body: TraceMessage,
      answer: Trace,
      handle: async ({ body }) => traceMessage({ ...(await needs()), settings: await settings() }, body, nowUs()),
    }),
    route({
      method: "get",
      path: "/records/{id}/trace",
      summary: "Where a stored record has been: received, decoded, decided, stored, seen by rules, notified",
      access: "read",
      params: z.object({ id: RecordId }),
      answer: Trace,
      handle: async ({ params }) => {
        const found = await findRecord(db, params.id);
        if (!found) throw new AppError("NOT_FOUND", `record ${params.id} is not stored (any more)`);
        return traceRecord(await needs(), found.record, found.segment, nowUs());
      },
    }),
  ];
};
