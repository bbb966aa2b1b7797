import { US_PER_HOUR } from "@halvik/core/base/time";
import type { Models } from "../../kernel/db/models.js";
import { inAct } from "../../kernel/db/unit-of-work.js";
import { AppError } from "../../kernel/http/errors.js";
import { acknowledgeOne } from "../incidents/service.js";
import { type AcknowledgeLink, isSigned } from "./acknowledge-link.js";
import { linkOf, useLink } from "./repository.js";

/** So long after it was made a link may be used. */
const VALID_US = 72 * US_PER_HOUR;

/**
 * Acknowledges what a message was about, as whoever was mailed: once, within 72 h. Whatever is wrong with a link is said alike, so that nobody
 * learns what there is. @returns the incident
 */
export async function acknowledgeByLink(
  models: Models,
  link: AcknowledgeLink,
  nowUs: number,
): Promise<{ readonly incident: number }> {
  return inAct(models, link.to, async (act) => {
    const kept = await linkOf(act.db, link.message);
    if (kept === null || !isSigned(kept.key, link))
      throw new AppError("NOT_FOUND", "this link is none of ours, or is not whole: copy all of it from the message");
    if (nowUs - kept.madeUs > VALID_US)
      throw new AppError("CONFLICT", "this link is older than 72 hours: sign in to acknowledge");
    if (!(await useLink(act.db, link.message, nowUs)))
      throw new AppError("CONFLICT", "this link has been used: it acknowledges once");
    await acknowledgeOne(act, kept.incident, "by a link in a mail");
    return { incident: kept.incident };
  });
}
