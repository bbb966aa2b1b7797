/** A message before it has a header: what a device of a role says on an ordinary day. */
export interface Said {
  readonly severity: number;
  readonly facility: number;
  readonly app: string;
  readonly process?: number;
  readonly messageId?: string;
  readonly data?: string;
  readonly text: string;
}
