/** Why a module cannot be used, with its place. */
export type MibErrorCode = "BAD_TOKEN" | "UNEXPECTED" | "MISSING_IMPORT" | "UNKNOWN_NAME" | "NO_MODULE" | "TOO_LARGE";

export interface MibProblem {
  readonly code: MibErrorCode;
  readonly module: string;
  readonly line: number;
  readonly column: number;
  readonly message: string;
}

export class MibError extends Error {
  constructor(
    readonly code: MibErrorCode,
    readonly line: number,
    readonly column: number,
    message: string,
  ) {
    super(`line ${line}, column ${column}: ${message}`);
  }
}
