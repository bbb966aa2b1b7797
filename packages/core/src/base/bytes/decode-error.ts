/** Why bytes or text could not be decoded. Stored records and the API carry these codes: append, never rename. */
export type DecodeCode =
  | "TRUNCATED"
  | "BAD_LENGTH"
  | "BAD_MAGIC"
  | "UNSUPPORTED"
  | "NOT_UTF8"
  | "EMPTY"
  | "INVALID_PRI"
  | "BAD_TIMESTAMP"
  | "BAD_HEADER"
  | "BAD_STRUCTURED_DATA"
  | "TOO_LONG"
  | "BAD_FRAME"
  | "NOT_SYSLOG"
  | "BAD_VALUE"
  | "NOT_NOTIFICATION"
  | "NOT_FLOW"
  | "NOT_AUTHENTIC"
  | "UNKNOWN_USER"
  | "UNKNOWN_ENGINE"
  | "OUT_OF_TIME"
  | "NO_TEMPLATE"
  | "BAD_XML"
  | "FORBIDDEN_XML"
  | "BAD_JSON"
  | "BAD_COLUMNS"
  | "DECODER_FAILED"
  | "NOT_STORABLE"
  | "UNKNOWN_KIND"
  | "NOT_KEPT";

/** A problem with a place: `offset` counts bytes (binary input) or UTF-16 units (text input) from the start. */
export interface DecodeProblem {
  readonly code: DecodeCode;
  readonly offset: number;
  readonly message: string;
}

/** Thrown deep inside a decoder and caught at its door, never beyond. */
export class DecodeError extends Error implements DecodeProblem {
  constructor(
    readonly code: DecodeCode,
    readonly offset: number,
    message: string,
  ) {
    super(message);
    this.name = "DecodeError";
  }
}
