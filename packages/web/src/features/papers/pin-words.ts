import type { PinJson } from "@halvik/contract/papers";
import { momentOf, sayPin } from "@halvik/core/papers";
import { usOf } from "../../data/view-store";
import { safeText } from "../../ui/safe-text";

const saidOf = ({ pinned, record }: PinJson) => ({
  pinned,
  record: record === null ? null : { ...record, sender: record.sender.name },
});

/** What a pin is, in a line. */
export const said = (pin: PinJson): string => safeText(sayPin(saidOf(pin)));

/** When it happened, or begins; null: it is of no time. */
export function pinUs(pin: PinJson): number | null {
  const at = momentOf(saidOf(pin));
  return at === null ? null : usOf(at);
}
