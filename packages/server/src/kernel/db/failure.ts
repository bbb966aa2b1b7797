/**
 * What a failed statement means for whoever sent it.
 * - `outage`: the database cannot be used now; waited out, however long, and never counted against what was sent;
 * - `again`: it lost against another transaction; repeated at once;
 * - `refused`: it will not take this, now or later.
 * - `unknown`: any other error, ours or the database's; tried a few times, then taken for refused.
 */
export type Failure = "outage" | "again" | "refused" | "unknown";

/** SQLSTATE classes (PostgreSQL documentation, appendix A): connection, resources, operator intervention, system. */
const OUTAGE = /^(08|53|57P|58)/;
/** A statement that was cancelled, by its own time limit among others. */
const CANCELLED = "57014";
/** What the driver and the runtime say without a code of their own. */
const NO_CONNECTION =
  /^(Connection terminated|Client has encountered a connection error|Client was closed|Query read timeout|timeout expired|timeout exceeded|The server does not support|no answer)/i;

export function failureOf(e: unknown): Failure {
  if (!(e instanceof Error)) return "unknown";
  const { code } = e as { code?: unknown };
  if (typeof code === "string") {
    // the runtime's own: ECONNREFUSED, EPIPE; no SQLSTATE begins with E
    if (/^E[A-Z]+$/.test(code) || OUTAGE.test(code) || code === CANCELLED) return "outage";
    if (code.startsWith("40")) return "again";
    if (code.startsWith("22") || code.startsWith("23")) return "refused";
    return "unknown";
  }
  return e.constructor === Error && NO_CONNECTION.test(e.message) ? "outage" : "unknown";
}

/** Whether what was sent is at fault, and not the database or another transaction: then it may be left out, and the rest goes on. */
export function isOwnFault(e: unknown): boolean {
  const failure = failureOf(e);
  return failure === "refused" || failure === "unknown";
}

/** An operation that got no answer within its bound. */
export const noAnswer = (what: string, ms: number): Error => new Error(`no answer to ${what} within ${ms} ms`);
