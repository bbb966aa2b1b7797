import type { SenderChange, SenderFacts } from "@halvik/contract/senders";
import { canonicalAddress } from "@halvik/core/base/net";
import type { Transaction } from "sequelize";
import type * as z from "zod";
import { SenderAddress, SenderModel } from "../../../kernel/db/models.js";
import type { Queryable } from "../../../kernel/db/pool.js";
import type { ModelAct } from "../../../kernel/db/unit-of-work.js";

/** A change that contradicts what is there, in words for a person. */
export class SenderConflict extends Error {
  readonly code = "SENDER_CONFLICT";
}

const findByName = (name: string, transaction: Transaction) =>
  SenderModel.findOne({
    transaction,
    where: SenderModel.sequelize!.where(
      SenderModel.sequelize!.fn("lower", SenderModel.sequelize!.col("name")),
      name.toLowerCase(),
    ),
  });

export async function admitSenders(db: Queryable, ids: readonly number[]): Promise<number> {
  return (await db.query("update sender set state = 'admitted' where id = any($1::int[])", [ids])).rowCount ?? 0;
}

export async function refuseSender(db: Queryable, id: number): Promise<number> {
  return (await db.query("update sender set state = 'refused' where id = $1", [id])).rowCount ?? 0;
}

/** Refuses the waiting senders of a block at once. @returns how many there were */
export async function refuseNetwork(db: Queryable, network: string): Promise<number> {
  const result = await db.query(
    "update sender s set state = 'refused' from sender_address a where a.sender = s.id and s.state = 'waiting' and a.address <<= $1::inet",
    [network],
  );
  return result.rowCount ?? 0;
}

/** Admits the waiting senders of a block and, if asked, those heard of later. @returns how many were waiting */
export async function admitNetwork(
  db: Queryable,
  network: string,
  fromNowOn: boolean,
  who: string,
  nowUs: number,
): Promise<number> {
  if (fromNowOn)
    await db.query(
      "insert into admitted_network (network, added_by, added_us) select $1::cidr, $2, $3 where not exists (select from admitted_network where network = $1::cidr)",
      [network, who, nowUs],
    );
  const result = await db.query(
    "update sender s set state = 'admitted' from sender_address a where a.sender = s.id and s.state = 'waiting' and a.address <<= $1::inet",
    [network],
  );
  return result.rowCount ?? 0;
}

/** Sets facts of a sender. @throws {SenderConflict} name or address taken, unknown uplink, a circle of uplinks */
export async function changeSender(act: ModelAct, id: number, change: z.output<typeof SenderChange>): Promise<boolean> {
  const known = await changeWithin(id, change, act);
  if (known) await act.audit("sender changed", { sender: id, ...change });
  return known;
}

async function changeWithin(id: number, change: z.output<typeof SenderChange>, act: ModelAct): Promise<boolean> {
  const { transaction } = act;
  const sender = await SenderModel.findByPk(id, { transaction });
  if (!sender) return false;
  const { addresses, reachedThrough, name, ...plain } = change;
  if (name !== undefined) {
    const other = await findByName(name, transaction);
    if (other && other.id !== id) throw new SenderConflict(`another sender is called “${other.name}”`);
  }
  const before = { name: sender.name, addresses: await addressesOf(id, transaction) };
  let uplink: number | null | undefined;
  if (reachedThrough !== undefined)
    uplink = reachedThrough === null || reachedThrough === "" ? null : await uplinkId(id, reachedThrough, transaction);
  await sender.update(
    {
      ...plain,
      ...(name === undefined ? {} : { name }),
      ...(uplink === undefined ? {} : { reachedThrough: uplink }),
    },
    { transaction },
  );
  if (addresses !== undefined) {
    await SenderAddress.destroy({ where: { sender: id }, transaction });
    for (const [position, address] of addresses.entries())
      await claimAddress(id, { address, position, sinceUs: sinceOf(before.addresses, address, act.atUs) }, transaction);
  }
  const now = addresses ?? before.addresses.map((a) => a.address);
  await noteFormer(act, id, before, { name: sender.name, addresses: now });
  return true;
}

interface HeldAddress {
  readonly address: string;
  /** Null: it was so before that was kept. */
  readonly sinceUs: number | null;
}

const addressesOf = async (sender: number, transaction: Transaction): Promise<HeldAddress[]> =>
  (await SenderAddress.findAll({ where: { sender }, transaction })).map(({ address, sinceUs }) => ({
    address: canonicalAddress(address) ?? address,
    sinceUs,
  }));

/** Since when an address is a sender's: as before, where it was already. */
function sinceOf(before: readonly HeldAddress[], address: string, nowUs: number): number | null {
  const known = before.find((a) => a.address === address);
  return known === undefined ? nowUs : known.sinceUs;
}

/** Names and addresses a sender has had are remembered, at most so many: filters and rules that say them still mean it. */
const MAX_FORMER = 50;

async function noteFormer(
  { db, atUs }: ModelAct,
  sender: number,
  before: { readonly name: string; readonly addresses: readonly HeldAddress[] },
  after: { readonly name: string; readonly addresses: readonly string[] },
): Promise<void> {
  const gone = [
    ...(before.name === after.name ? [] : [{ what: "name", value: before.name, sinceUs: null }]),
    ...before.addresses
      .filter((a) => !after.addresses.includes(a.address))
      .map(({ address, sinceUs }) => ({ what: "address", value: address, sinceUs })),
  ];
  for (const { what, value, sinceUs } of gone)
    await db.query(
      `insert into sender_former (sender, what, value, since_us, until_us) values ($1, $2, $3, $4, $5)
       on conflict (sender, what, value) do update set since_us = excluded.since_us, until_us = excluded.until_us`,
      [sender, what, value, sinceUs, atUs],
    );
  // what it is again is nothing it was
  await db.query(
    `delete from sender_former where sender = $1 and ((what = 'name' and value = $2) or (what = 'address' and value = any($3::text[]))
       or (what, value) in (select what, value from sender_former where sender = $1 order by until_us desc, value offset $4))`,
    [sender, after.name, after.addresses, MAX_FORMER],
  );
}

/** An address may be taken over from a sender that is waiting under it: that one becomes part of this one. */
async function claimAddress(
  sender: number,
  { address, ...held }: HeldAddress & { readonly position: number },
  transaction: Transaction,
): Promise<void> {
  const taken = await SenderAddress.findOne({ where: { address }, transaction });
  if (taken && taken.sender !== sender) {
    const other = await SenderModel.findByPk(taken.sender, { transaction });
    if (other?.state !== "waiting") throw new SenderConflict(`the address ${address} belongs to “${other?.name}”`);
    await SenderModel.sequelize!.query("update held_record set sender = $1 where sender = $2", {
      bind: [sender, taken.sender],
      transaction,
    });
    await other.destroy({ transaction });
  }
  await SenderAddress.create({ sender, address, ...held }, { transaction });
}

async function uplinkId(id: number, name: string, transaction: Transaction): Promise<number> {
  const uplink = await findByName(name, transaction);
  if (!uplink) throw new SenderConflict(`there is no sender called “${name}” to be reached through`);
  for (
    let at: SenderModel | null = uplink;
    at !== null;
    at = at.reachedThrough === null ? null : await SenderModel.findByPk(at.reachedThrough, { transaction })
  )
    if (at.id === id) throw new SenderConflict(`“${name}” is itself reached through this sender`);
  return uplink.id;
}

/**
 * Creates or changes senders from a list, by name: all of them or none. Uplinks are set at the end, so that order does not matter.
 * @throws {SenderConflict} naming the sender whose line contradicts another or what is there
 */
export async function importSenders(
  act: ModelAct,
  list: readonly SenderFacts[],
): Promise<{ created: number; changed: number }> {
  const { transaction } = act;
  const ids: number[] = [];
  let created = 0;
  for (const facts of list) {
    let sender = await findByName(facts.name, transaction);
    if (!sender) {
      sender = await SenderModel.create({ name: facts.name, state: "admitted" }, { transaction });
      created++;
    } else if (sender.state !== "admitted") await sender.update({ state: "admitted" }, { transaction });
    ids.push(sender.id);
    await naming(facts, changeWithin(sender.id, { ...facts, reachedThrough: undefined }, act));
  }
  for (const [i, facts] of list.entries())
    await naming(facts, changeWithin(ids[i]!, { reachedThrough: facts.reachedThrough }, act));
  const changed = list.length - created;
  await act.audit("senders imported", { created, changed });
  return { created, changed };
}

/** A conflict in a list says whose line it is. */
const naming = (facts: SenderFacts, work: Promise<unknown>): Promise<unknown> =>
  work.catch((e: unknown) => {
    throw e instanceof SenderConflict ? new SenderConflict(`sender “${facts.name}”: ${e.message}`) : e;
  });
