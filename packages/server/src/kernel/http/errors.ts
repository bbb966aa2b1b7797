import { API_ERROR_STATUS, type ApiErrorCode } from "@halvik/contract/errors";
import type { FilterError } from "@halvik/core/query/filter";
import type { ErrorRequestHandler } from "express";
import type { Logger } from "pino";
import type * as z from "zod";
import { WorkQueueFull, WorkTooLong } from "../threads/work-errors.js";

/** An error that is the caller's to know about. */
export class AppError extends Error {
  constructor(
    readonly code: ApiErrorCode,
    message: string,
    readonly more: {
      position?: { start: number; end: number };
      suggestion?: string;
      field?: string;
      line?: number;
      column?: number;
    } = {},
  ) {
    super(message);
  }

  get status(): number {
    return API_ERROR_STATUS[this.code];
  }
}

export const filterError = (e: FilterError): AppError =>
  new AppError("BAD_FILTER", `column ${e.span.start + 1}: ${e.message}`, {
    position: e.span,
    ...(e.suggestion === null ? {} : { suggestion: e.suggestion }),
  });

/** A key that is there already (PostgreSQL, appendix A: unique_violation). */
const UNIQUE_VIOLATION = "23505";

/** Does what gives something a name. @param what it is, in words. @throws {AppError} CONFLICT where another one has the name */
export async function naming<T>(what: string, work: () => Promise<T>): Promise<T> {
  try {
    return await work();
  } catch (e) {
    if ((e as { code?: string }).code === UNIQUE_VIOLATION)
      throw new AppError("CONFLICT", `there is a ${what} of that name already`, { field: "name" });
    throw e;
  }
}

/** Checks a part of a request; only here does a failed schema become a 400. */
export function parseInput<T extends z.ZodType>(schema: T, value: unknown): z.output<T> {
  const result = schema.safeParse(value ?? {});
  if (result.success) return result.data;
  const issue = result.error.issues[0]!;
  const field = issue.path.join(".");
  throw new AppError(
    "BAD_REQUEST",
    `${field === "" ? "request" : field}: ${issue.message}`,
    field === "" ? {} : { field },
  );
}

/** The one place where errors become answers. What is not ours to tell is logged and answered with 500. */
export function errorHandler(log: Logger): ErrorRequestHandler {
  return (error, _req, res, _next) => {
    const known = toAppError(error);
    if (known.status >= 500) log.error({ err: error }, "request failed");
    if (res.headersSent) {
      res.end();
      return;
    }
    res.status(known.status).json({ error: { code: known.code, message: known.message, ...known.more } });
  };
}

/** Any error as whoever asked is told of it. */
export function toAppError(error: unknown): AppError {
  if (error instanceof AppError) return error;
  if (error instanceof WorkTooLong)
    return new AppError(
      "TOO_SLOW",
      "the answer took longer than allowed; narrow the window, or look for less costly patterns",
    );
  if (error instanceof WorkQueueFull)
    return new AppError("TOO_MANY_REQUESTS", "too many costly questions wait already; try again in a moment");
  const e = error as { type?: string; status?: number; code?: string; message?: string };
  if (e.type === "entity.parse.failed") return new AppError("BAD_REQUEST", "the body is not JSON");
  if (e.type === "entity.too.large") return new AppError("BAD_REQUEST", "the body is larger than 1 MiB");
  if (e.code === "57014")
    return new AppError("TOO_SLOW", "the answer took longer than allowed; narrow the window or the filter");
  if (typeof e.code === "string" && /^(ECONN|57P|08|EPIPE|ETIMEDOUT)/.test(e.code))
    return new AppError("STORE_AWAY", "the database does not answer; records are kept by the collector meanwhile");
  if (error instanceof Error && error.name.startsWith("SequelizeConnection"))
    return new AppError("STORE_AWAY", "the database does not answer; records are kept by the collector meanwhile");
  // the driver gives these no code
  if (/timeout exceeded when trying to connect|Connection terminated/.test(e.message ?? ""))
    return new AppError("STORE_AWAY", "the database does not answer; records are kept by the collector meanwhile");
  if (e.code === "ERR_WORKER_OUT_OF_MEMORY")
    return new AppError("TOO_SLOW", "the answer takes more memory than allowed; narrow the window or the filter");
  // a text the database cannot hold, a number beyond its columns: what was sent, not what we did
  if (typeof e.code === "string" && e.code.startsWith("22"))
    return new AppError("BAD_REQUEST", "a value of this request is none that can be stored or looked for");
  if (error instanceof URIError) return new AppError("BAD_REQUEST", "the address holds what is no UTF-8");
  if (e.status === 404) return new AppError("NOT_FOUND", "there is no such file");
  return new AppError("INTERNAL", "Halvik made a mistake; it is in the log of the web role");
}
