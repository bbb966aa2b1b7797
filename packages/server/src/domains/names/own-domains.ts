import { fold } from "@halvik/core/base/text";
import { DOMAIN, MOST_DOMAINS } from "@halvik/core/model/entity";
import type { Act } from "../../kernel/db/unit-of-work.js";
import { AppError } from "../../kernel/http/errors.js";
import { addDomain, listDomains, removeDomain } from "./domains-repository.js";

/** Says that a domain is ours. @throws BAD_REQUEST when it is none, CONFLICT when there are too many */
export async function nameOurDomain(act: Act, written: string): Promise<void> {
  const domain = fold(written.trim());
  if (!DOMAIN.test(domain))
    throw new AppError("BAD_REQUEST", `domain: expected one such as orvane.example or ORVANE, got “${written}”`, {
      field: "domain",
    });
  const kept = await listDomains(act.db);
  if (kept.length >= MOST_DOMAINS)
    throw new AppError("CONFLICT", `there are ${kept.length} domains; at most ${MOST_DOMAINS} can be kept`);
  if (await addDomain(act.db, { domain, author: act.who, atUs: act.atUs }))
    await act.audit("own domain added", { domain });
}

/** @throws NOT_FOUND when it is none of them */
export async function takeBackDomain(act: Act, written: string): Promise<void> {
  const domain = fold(written.trim());
  if (!(await removeDomain(act.db, domain))) throw new AppError("NOT_FOUND", `“${written}” is none of the own domains`);
  await act.audit("own domain removed", { domain });
}
