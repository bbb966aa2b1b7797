import { createHash } from "node:crypto";
import { EndpointSettings } from "@halvik/contract/kinds";
import type { Queryable } from "../../../kernel/db/pool.js";
import { AppError } from "../../../kernel/http/errors.js";

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
  communityDigests = [],
}: EndpointSettings): (community: string) => boolean {
  if (communities === undefined && communityDigests.length === 0) return () => true;
  const [named, digests] = [new Set(communities), new Set(communityDigests)];
  return (community) => named.has(community) || digests.has(communityDigest(community));
}

/** The communities of an endpoint as they may be shown; null: any may speak. */
export function shownCommunities({
  communities,
  communityDigests,
}: EndpointSettings): { digest: string; mask: string }[] | null {
  if (communities === undefined && communityDigests === undefined) return null;
  return [
    ...(communities ?? []).map((c) => ({ digest: communityDigest(c), mask: maskCommunity(c) })),
    // of those admitted as they came nothing else is known
    ...(communityDigests ?? []).map((digest) => ({ digest, mask: `known by ${digest.slice(0, 6)}` })),
  ];
}

/** Admits a community at an endpoint, or takes it out; kept by what it is known by alone. @returns whether that changed anything */
export async function changeCommunity(
  db: Queryable,
  endpoint: string,
  digest: string,
  to: "admit" | "take out",
): Promise<boolean> {
  const { rows } = await db.query<{ settings: unknown }>(
    "select settings from endpoint_config where name = $1 and kind = 'snmp' for update",
    [endpoint],
  );
  if (rows[0] === undefined) return false;
  const { communities = [], communityDigests = [] } = EndpointSettings.parse(rows[0].settings);
  const named = to === "admit" ? communities : communities.filter((c) => communityDigest(c) !== digest);
  const others = communityDigests.filter((d) => d !== digest);
  const isNamed = named.some((c) => communityDigest(c) === digest);
  const digests = to === "admit" && !isNamed ? [...others, digest] : others;
  if (named.length + digests.length > MOST)
    throw new AppError("CONFLICT", `${MOST} communities are admitted here already: take one out first`);
  const changed = { communities: named, communityDigests: digests };
  await db.query("update endpoint_config set settings = settings || $2 where name = $1", [
    endpoint,
    JSON.stringify(changed),
  ]);
  return to === "admit" || named.length < communities.length || others.length < communityDigests.length;
}
