import * as z from "zod";

/** Error codes of the API and their status (RFC 9110 section 15): append, never rename. */
export const API_ERROR_STATUS = {
  BAD_REQUEST: 400,
  BAD_FILTER: 400,
  BAD_TIME: 400,
  BAD_RULE: 400,
  TESTS_FAIL: 422,
  SIGN_IN_NEEDED: 401,
  SIGN_IN_REFUSED: 401,
  PASSWORD_MUST_CHANGE: 403,
  NOT_ALLOWED: 403,
  CROSS_SITE: 403,
  NOT_FOUND: 404,
  CONFLICT: 409,
  TOO_MANY_REQUESTS: 429,
  INTERNAL: 500,
  STORE_AWAY: 503,
  TOO_SLOW: 503,
} as const;
export type ApiErrorCode = keyof typeof API_ERROR_STATUS;

/** Every error of the API has this shape; `position` points into a filter, in characters. */
export const ApiError = z.object({
  error: z.object({
    code: z.enum(Object.keys(API_ERROR_STATUS) as [ApiErrorCode, ...ApiErrorCode[]]),
    message: z.string(),
    position: z.object({ start: z.int(), end: z.int() }).optional(),
    suggestion: z.string().optional(),
    field: z.string().optional(),
    /** In a text that was sent, from 1. */
    line: z.int().optional(),
    column: z.int().optional(),
  }),
});
export type ApiError = z.infer<typeof ApiError>;
