import { SEVERITIES } from "../../model/record/index.js";
import type { MailText, ToldOf } from "./message.js";
import type { Tells } from "./route.js";

/** HALVIK-NOTIFY-MIB, below the enterprise number for documentation (RFC 5612). */
export const MIB_ROOT = "1.3.6.1.4.1.32473.1";

/** Each telling is a notification of the module, in its order. */
const NOTIFICATIONS: readonly Tells[] = ["raise", "update", "clear", "reminder", "escalation", "test", "report"];
/** SnmpAdminString (RFC 3411 section 5). */
const OCTETS_MOST = 255;

/** A binding as text or as a number. */
export interface Binding {
  readonly oid: string;
  readonly value: string | number;
}

/** A message as a notification of HALVIK-NOTIFY-MIB: which one, and its variable bindings; of several incidents the first. */
export function notificationOf(
  { id, tells, notification }: { readonly id: string; readonly tells: Tells; readonly notification: string },
  mail: Pick<MailText, "subject">,
  about: readonly ToldOf[],
): { readonly oid: string; readonly bindings: readonly Binding[] } {
  const object = (n: number, value: string | number): Binding => ({
    oid: `${MIB_ROOT}.1.${n}.0`,
    value: typeof value === "string" ? shortened(value) : value,
  });
  const first = about[0];
  const incident = first?.detail.incident;
  return {
    oid: `${MIB_ROOT}.0.${NOTIFICATIONS.indexOf(tells) + 1}`,
    bindings: [
      object(1, id),
      object(2, notification),
      object(3, mail.subject),
      object(4, about.length),
      ...(first === undefined || incident === undefined
        ? []
        : [
            object(5, incident.id),
            object(6, incident.title),
            object(7, SEVERITIES.indexOf(incident.severity as (typeof SEVERITIES)[number])),
            object(8, incident.count),
            object(9, first.link),
          ]),
    ],
  };
}

/** So much of a text as is left whole within the octets that a receiver must take; control characters show as spaces. */
function shortened(text: string): string {
  const plain = text.replace(/\p{Cc}/gu, " ").toWellFormed();
  let octets = 0;
  let out = "";
  for (const c of plain) {
    octets += c.codePointAt(0)! < 0x80 ? 1 : c.codePointAt(0)! < 0x800 ? 2 : c.codePointAt(0)! < 0x10000 ? 3 : 4;
    if (octets > OCTETS_MOST) break;
    out += c;
  }
  return out;
}
