import { US_PER_DAY } from "@halvik/core/base/time";
import { col, fn, type Transaction, where } from "sequelize";
import { type Actor, ITSELF } from "../../kernel/actor.js";
import { nowUs } from "../../kernel/clock.js";
import { Audit, Person, Token } from "../../kernel/db/models.js";
import { hashPassword, hashToken, makeToken, oneTimePassword, passwordMatches } from "./passwords.js";

/** The transaction that a change belongs to. */
export interface Within {
  readonly transaction?: Transaction;
}

/** Names are alike in any case and whichever way their letters are composed, as the index on them has it. */
const byName = (name: string) =>
  Person.findOne({
    where: where(fn("lower", fn("normalize", col("name"))), fn("lower", fn("normalize", name)) as never),
  });

/** Verifying against this takes as long for names that do not exist. Made by the first sign-in, whoever it is: a command needs none. */
let nobody: Promise<string> | null = null;

const ONE_TIME_US = 3 * US_PER_DAY;

/** The person with this name and password, or null; takes the same time either way. A one-time password runs out. */
export async function checkSignIn(name: string, password: string): Promise<Person | null> {
  nobody ??= hashPassword("nobody has this password");
  const hashOfNobody = await nobody;
  const person = await byName(name);
  const matches = await passwordMatches(person?.passwordHash ?? hashOfNobody, password);
  if (!person || !matches || person.disabled) return null;
  return person.oneTimeUntilUs !== null && person.oneTimeUntilUs < nowUs() ? null : person;
}

/** Words with a single space between: what else a name could hold nobody sees, and two accounts would read alike. */
const NAME = /^[^\s\p{C}]+(?: [^\s\p{C}]+)*$/u;
const MOST_NAME = 80;

/** Makes a person. @returns the one-time password. @throws when there is one whose name reads alike, or it holds what cannot be seen */
export async function addPerson(name: string, role: Person["role"], within: Within = {}): Promise<string> {
  if (name.length > MOST_NAME || !NAME.test(name))
    throw new Error(
      `name: expected 1 to ${MOST_NAME} letters that can be seen, with single spaces between words, got ${JSON.stringify(name.slice(0, MOST_NAME))}`,
    );
  if (name.normalize().toLowerCase() === ITSELF.toLowerCase())
    throw new Error(`“${name}” is what Halvik calls itself where no person did something: choose another name`);
  const known = await byName(name);
  if (known)
    throw new Error(`there is an account “${known.name}” already; “user reset ${known.name}” gives it a new password`);
  const password = oneTimePassword();
  const now = nowUs();
  await Person.create(
    {
      name,
      display: name,
      role,
      passwordHash: await hashPassword(password),
      mustChange: true,
      createdUs: now,
      oneTimeUntilUs: now + ONE_TIME_US,
    },
    within,
  );
  return password;
}

/** Gives a person a new one-time password; every session of theirs ends. */
export async function resetPassword(person: Person, within: Within = {}): Promise<string> {
  const password = oneTimePassword();
  await person.update(
    {
      passwordHash: await hashPassword(password),
      mustChange: true,
      oneTimeUntilUs: nowUs() + ONE_TIME_US,
      sessionEpoch: person.sessionEpoch + 1,
    },
    within,
  );
  return password;
}

/** Sets a person's own password; every session of theirs ends, the one it is set in begins anew. */
export async function setPassword(person: Person, password: string, within: Within = {}): Promise<void> {
  await person.update(
    {
      passwordHash: await hashPassword(password),
      mustChange: false,
      oneTimeUntilUs: null,
      sessionEpoch: person.sessionEpoch + 1,
    },
    within,
  );
}

/** Changes what a person may; sessions begun with another right end. */
export const changePerson = (
  person: Person,
  change: Partial<Pick<Person, "role" | "disabled">>,
  within: Within = {},
): Promise<Person> => person.update({ ...change, sessionEpoch: person.sessionEpoch + 1 }, within);

/** @throws when there is nobody of that name */
export async function personNamed(name: string): Promise<Person> {
  const person = await byName(name);
  if (!person) throw new Error(`there is no account “${name}”`);
  return person;
}

/** @param days after which it is worth nothing; null: until it is revoked */
export async function createToken(
  name: string,
  scope: Token["scope"],
  days: number | null = null,
  within: Within = {},
): Promise<string> {
  const { token, hash } = makeToken();
  const now = nowUs();
  await Token.create(
    { name, hash, scope, createdUs: now, expiresUs: days === null ? null : now + days * US_PER_DAY },
    within,
  );
  return token;
}

export async function actorOfToken(token: string): Promise<Actor | null> {
  const found = await Token.findOne({ where: { hash: hashToken(token), revoked: false } });
  // an intake token brings records and may not read
  if (!found || found.scope === "intake") return null;
  const now = nowUs();
  if (found.expiresUs !== null && found.expiresUs <= now) return null;
  if (now - (found.lastUsedUs ?? 0) > 60_000_000) await found.update({ lastUsedUs: now });
  return { name: `token ${found.name}`, may: found.scope };
}

/** Notes what was tried and changed nothing. */
export async function audit(who: string, what: string, detail: object = {}): Promise<void> {
  await Audit.create({ atUs: nowUs(), who, what, detail });
}
