/** A failure of starting that a person can mend; printed as one sentence. */
export class StartError extends Error {
  readonly code = "NOT_STARTED";
}
