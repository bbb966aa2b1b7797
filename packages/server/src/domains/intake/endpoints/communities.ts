import { createHash } from "node:crypto";
import type { EndpointSettings } from "@halvik/contract/kinds";
import type { Queryable } from "../../../kernel/db/pool.js";
import { AppError } from "../../../kernel/http/errors.js";
import { communitySettings, keepCommunities } from "./communities-repository.js";

/** Communities of one endpoint. */
const MOST = 100;

/** What a community is known by where it is not shown: 128 bits, as hexadecimal digits. */
export const communityDigest = (community: string): string =>
  createHash("sha256").update(`halvik community\n${community}`, "latin1").digest("hex").slice(0, 32);

/** Enough of a community to know it again, and not to use it. */
export const maskCommunity = (community: string): string =>
  `${community.length > 4 ? community.slice(0, 1).replace(/\P{L}/u, "•") : ""}•••`;

/** Whether a community may speak: any where no list was ever made, as of endpoints from before there were lists; of an empty list none. */
export function communitiesOf({
  communities,
  admittedCommunities = [],
}: EndpointSettings): (community: string) => boolean {
  if (communities === undefined && admittedCommunities.length === 0) return () => true;
  const [named, digests] = [new Set(communities), new Set(admittedCommunities.map((c) => c.digest))];
  return (community) => named.has(community) || digests.has(communityDigest(community));
}

/** The communities of an endpoint as they may be shown; null: any may speak. */
export function shownCommunities({
  communities,
  admittedCommunities,
}: EndpointSettings): { digest: string; mask: string }[] | null {
  if (communities === undefined && admittedCommunities === undefined) return null;
  const named = (communities ?? []).map((c) => ({ digest: communityDigest(c), mask: maskCommunity(c) }));
  return [...named, ...(admittedCommunities ?? [])];
}

/** Admits a community at an endpoint, kept by what it is known by alone. */
export async function admitCommunity(
  db: Queryable,
  endpoint: string,
  community: { readonly digest: string; readonly mask: string },
): Promise<void> {
  const { communities = [], admittedCommunities = [] } = await communitySettings(db, endpoint);
  const isNamed = communities.some((c) => communityDigest(c) === community.digest);
  const others = admittedCommunities.filter((c) => c.digest !== community.digest);
  const admitted = isNamed ? others : [...others, community];
  if (communities.length + admitted.length > MOST)
    throw new AppError("CONFLICT", `${MOST} communities are admitted here already: take one out first`);
  await keepCommunities(db, endpoint, { communities, admittedCommunities: admitted });
}

/** @returns false when none such was admitted */
export async function takeOutCommunity(db: Queryable, endpoint: string, digest: string): Promise<boolean> {
  const { communities = [], admittedCommunities = [] } = await communitySettings(db, endpoint);
  const named = communities.filter((c) => communityDigest(c) !== digest);
  const others = admittedCommunities.filter((c) => c.digest !== digest);
  await keepCommunities(db, endpoint, { communities: named, admittedCommunities: others });
  return named.length < communities.length || others.length < admittedCommunities.length;
}
