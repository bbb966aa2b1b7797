import { statfs } from "node:fs/promises";
import { formatDuration, US_PER_MINUTE, US_PER_SECOND } from "@halvik/core/base/time";
import type { OwnObservation } from "@halvik/core/normalise";
import { agoUs } from "../../kernel/clock.js";
import type { Queryable } from "../../kernel/db/pool.js";
import { processName } from "../../kernel/node.js";
import { lastAuditId, readRoles, refusedSignIns, rolesReportedStopped } from "./repository.js";

const ROLE_STALE_US = 15 * US_PER_SECOND;
const LAG_US = US_PER_MINUTE;
const REPEAT_US = 30 * US_PER_SECOND;

/** What rules have seen. */
export interface RulesSeen {
  /** Up to where every live record has been seen, in µs of arrival; null: none yet. */
  readonly throughUs: number | null;
  /** Whether that is all that is stored: what is older than it should be then waited before it was. */
  readonly isAll: boolean;
}

/** Halvik's own troubles as observations (`docs/semantics.md` 27). What lasts is repeated, so that its quiet means it is over. */
export class SelfWatch {
  private readonly toldUs = new Map<string, number>();
  private readonly stopped = new Set<string>();
  /** Of its first look. */
  private beganUs: number | null = null;

  /** @param lastAudit the line of the audit up to which refused sign-ins have been told; null: those before the first look are not */
  constructor(
    private readonly dataDir: string,
    private readonly diskLowBytes: number,
    private lastAudit: number | null = null,
  ) {}

  /** Up to which line of the audit refused sign-ins have been told, for the one who looks after a restart. */
  get auditThrough(): number | null {
    return this.lastAudit;
  }

  async look(db: Queryable, seen: RulesSeen, nowUs: number): Promise<OwnObservation[]> {
    const roles = await this.roles(db, nowUs);
    const lag = this.lag(seen, nowUs);
    return [...roles, ...(await this.disk(nowUs)), ...lag, ...(await this.signIns(db))];
  }

  private async roles(db: Queryable, nowUs: number): Promise<OwnObservation[]> {
    const out: OwnObservation[] = [];
    if (this.beganUs === null) {
      this.beganUs = nowUs;
      // what an engine before this one said has stopped is said to be back by this one
      for (const role of await rolesReportedStopped(db)) this.stopped.add(role);
    }
    for (const { role: kind, node, heartbeatUs, detail } of await readRoles(db)) {
      if (kind === "engine") continue;
      const role = processName(kind, node);
      // when all of Halvik starts again, its roles come one after another
      const waitedUs = agoUs(Math.max(heartbeatUs, this.beganUs), nowUs);
      const stale = waitedUs > ROLE_STALE_US && detail.stopped !== true;
      if (stale && !this.stopped.has(role)) {
        this.stopped.add(role);
        out.push({
          event: "role-stopped",
          severity: 2,
          outcome: "failure",
          subject: role,
          text: `The role ${role} has given no sign for ${formatDuration(nowUs - heartbeatUs)}.`,
        });
      } else if (!stale && this.stopped.delete(role))
        out.push({
          event: "role-back",
          severity: 5,
          outcome: "success",
          subject: role,
          text: `The role ${role} is back.`,
        });
    }
    return out;
  }

  private async disk(nowUs: number): Promise<OwnObservation[]> {
    const { bavail, bsize } = await statfs(this.dataDir);
    const free = bavail * bsize;
    if (free >= this.diskLowBytes || !this.due("disk", nowUs)) return [];
    return [
      {
        event: "disk-low",
        severity: 3,
        outcome: "failure",
        subject: this.dataDir,
        text: `${(free / 1e9).toFixed(1)} GB are free for ${this.dataDir}; the line is at ${(this.diskLowBytes / 1e9).toFixed(1)} GB.`,
        data: [["free bytes", String(free)]],
      },
    ];
  }

  private lag({ throughUs, isAll }: RulesSeen, nowUs: number): OwnObservation[] {
    if (throughUs === null || nowUs - throughUs < LAG_US || this.stopped.has("collector") || !this.due("lag", nowUs))
      return [];
    return [
      {
        event: "engine-behind",
        severity: 4,
        outcome: "failure",
        subject: isAll ? "intake" : "engine",
        text: `Rules have seen records up to ${formatDuration(nowUs - throughUs)} ago only${isAll ? ", and all that is stored: what arrives waits on disk before it is" : ""}.`,
      },
    ];
  }

  private async signIns(db: Queryable): Promise<OwnObservation[]> {
    this.lastAudit ??= await lastAuditId(db);
    const rows = await refusedSignIns(db, this.lastAudit);
    if (rows.length > 0) this.lastAudit = rows[rows.length - 1]!.id;
    return rows.map((r) => ({
      event: "sign-in-refused",
      severity: 4,
      outcome: "failure",
      category: "logon",
      subject: r.address,
      text: `A sign-in to Halvik as “${r.who}” from ${r.address} was refused.`,
      data: [["name", r.who]],
    }));
  }

  private due(what: string, nowUs: number): boolean {
    const told = this.toldUs.get(what);
    // told in what is the future now: the clock was set back
    if (told !== undefined && told <= nowUs && nowUs - told < REPEAT_US) return false;
    this.toldUs.set(what, nowUs);
    return true;
  }
}
