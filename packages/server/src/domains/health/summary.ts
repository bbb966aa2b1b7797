import { statfs } from "node:fs/promises";
import type { Summary } from "@halvik/contract/status";
import { formatUs, US_PER_MINUTE, US_PER_SECOND } from "@halvik/core/base/time";
import type { SenderDirectory } from "@halvik/core/model/senders";
import type { Config } from "../../kernel/config/config.js";
import type { Queryable } from "../../kernel/db/pool.js";
import { storedSince } from "../../store/batches.js";
import { storeSize } from "../../store/segments.js";
import { needingAttention } from "../incidents/repository.js";
import { runningJobs } from "../intake/imports/repository.js";
import { senderStatus } from "../intake/senders/status-repository.js";
import { collectorsDetail, readRoles } from "./repository.js";

const RATE_WINDOW_US = US_PER_MINUTE;

interface Needs {
  readonly db: Queryable;
  readonly directory: SenderDirectory;
  readonly config: Config;
}

/** The figures of the top line and of Now. */
export async function summaryOf({ db, directory, config }: Needs, now: number): Promise<Summary> {
  const senders = await senderStatus(db, directory);
  const roles = await readRoles(db);
  const collector = collectorsDetail(roles);
  const count = (name: string) => Number(collector[name] ?? 0);
  const sum = (name: "problems" | "late" | "capped") => senders.reduce((total, s) => total + s[name], 0);
  const { rows: n, sinceUs: since } = await storedSince(db, now - RATE_WINDOW_US);
  const store = await storeSize(db);
  const engine = roles.find((r) => r.role === "engine");
  const through = Number(engine?.detail.throughUs ?? 0);
  const disk = await statfs(config.HALVIK_DATA_DIR).catch(() => null);
  const silent = senders.filter((s) => s.state === "admitted" && s.silentSince !== null);
  const silentNames = new Set(silent.map((s) => s.name));
  return {
    now: formatUs(now),
    recordsPerSecond: since === null ? 0 : Math.round((n / Math.max(1, (now - since) / US_PER_SECOND)) * 10) / 10,
    lost: count("lost"),
    attention: (await needingAttention(db, now)).length,
    senders: {
      admitted: senders.filter((s) => s.state === "admitted").length,
      waiting: senders.filter((s) => s.state === "waiting").length,
      silent: silent.map((s) => ({
        name: s.name,
        since: s.silentSince!,
        usualGapSeconds: s.expectedEverySeconds ?? s.usualGapSeconds,
        explainedBy: s.reachedThrough !== null && silentNames.has(s.reachedThrough) ? s.reachedThrough : null,
      })),
    },
    intake: {
      lost: count("lost"),
      refused: count("refused") + count("unlisted senders") + count("held: refused, too many"),
      capped: sum("capped"),
      problems: sum("problems"),
      late: sum("late"),
      held: senders.reduce((t, s) => t + s.held, 0),
      spoolBytes: count("spoolBytes"),
    },
    store: {
      records: store.records,
      oldest: store.oldestUs === null ? null : formatUs(store.oldestUs),
      bytes: store.bytes,
      diskFreeBytes: disk ? disk.bavail * disk.bsize : 0,
    },
    jobs: await runningJobs(db, now),
    zone: config.HALVIK_ZONE,
    // by the clock of now: what was measured long ago is not shown as small
    engineBehindSeconds: through > 0 ? Math.max(0, (now - through) / US_PER_SECOND) : null,
  };
}
