import type { MailText, Tells, ToldOf } from "@halvik/core/respond/notify";

/** What became of an attempt to send; `permanent`: trying again would not help. */
export type Sent =
  | { readonly ok: true; readonly why?: string }
  | {
      readonly ok: false;
      readonly why: string;
      readonly permanent: boolean;
      /** Those of several who have it all the same. */
      readonly reached?: readonly string[];
    };

/** A message as a way sends it. */
export interface Outgoing {
  /** The same whenever it is sent again. */
  readonly id: string;
  readonly tells: Tells;
  /** The name of the notification that sends it. */
  readonly notification: string;
  /** The message as it is read. @param acknowledgeUrl by which whoever gets it acknowledges it; null: there is none */
  readonly write: (acknowledgeUrl: string | null) => MailText;
  readonly about: readonly ToldOf[];
  /** Which conversation it belongs to, so that readers keep its messages together; null: none. */
  readonly thread: string | null;
  /** A link by which whoever is mailed acknowledges it; null: there is nothing to acknowledge. */
  readonly acknowledgeUrl: ((to: string) => string) | null;
  /** Those who have it already, from an attempt before. */
  readonly reached: readonly string[];
}

/** Sends a message to those it is for. */
export type Send = (message: Outgoing) => Promise<Sent>;
