import { US_PER_HOUR } from "@halvik/core/base/time";
import { whomOf } from "@halvik/core/respond/notify";
import type { Models } from "../../kernel/db/models.js";
import type { Queryable } from "../../kernel/db/pool.js";
import { inAct } from "../../kernel/db/unit-of-work.js";
import { AppError } from "../../kernel/http/errors.js";
import { acknowledgeOne } from "../incidents/service.js";
import { type AcknowledgeLink, isSigned } from "./acknowledge-link.js";
import { type KeptLink, linkOf, listRoutes, useLink } from "./repository.js";
import { listRotas } from "./settings-repository.js";

/** So long after it was made a link may be used. */
const VALID_US = 72 * US_PER_HOUR;

/** A link is worth no more than the notification that sent it: who was taken out of it, or out of its rota, signs in. */
async function isStillMailed(db: Queryable, { route: id, step }: KeptLink, to: string): Promise<boolean> {
  const route = (await listRoutes(db)).find((r) => r.id === id)?.route;
  const whom = route === undefined ? null : whomOf(route, step);
  if (whom === null) return false;
  const rotas = (await listRotas(db)).filter((r) => whom.rotas.includes(r.id)).map((r) => r.body);
  const people = rotas.flatMap((r) => [...r.people, ...r.instead.map((i) => i.person)]);
  return whom.to.includes(to) || people.some((p) => p.to === to);
}

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
    if (!(await isStillMailed(act.db, kept, link.to)))
      throw new AppError("CONFLICT", `${link.to} is not notified of this any more: sign in to acknowledge`);
    if (!(await useLink(act.db, link.message, nowUs)))
      throw new AppError("CONFLICT", "this link has been used: it acknowledges once");
    await acknowledgeOne(act, kept.incident, "by a link in a mail");
    return { incident: kept.incident };
  });
}
