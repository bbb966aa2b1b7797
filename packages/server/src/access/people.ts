import { col, fn, where } from "sequelize";
import { nowUs } from "../config/clock.js";
import { Audit, Person, Token } from "../store/models.js";
import { hashPassword, hashToken, makeToken, oneTimePassword, passwordMatches } from "./passwords.js";

/** Who acts: a person in a session or a token. */
export interface Actor {
  readonly name: string;
  readonly may: "read" | "act";
}

const byName = (name: string) => Person.findOne({ where: where(fn("lower", col("name")), name.toLowerCase()) });

// verifying against this takes as long for names that do not exist
const NOBODY = hashPassword("nobody has this password");

/** The person with this name and password, or null; takes the same time either way. */
export async function checkSignIn(name: string, password: string): Promise<Person | null> {
  const person = await byName(name);
  const matches = await passwordMatches(person?.passwordHash ?? (await NOBODY), password);
  return person && matches && !person.disabled ? person : null;
}

/** Makes a person, or gives an existing one a new password; it must be changed at the first sign-in. */
export async function resetPerson(name: string, role: Person["role"] | null): Promise<string> {
  const password = oneTimePassword();
  const passwordHash = await hashPassword(password);
  const person = await byName(name);
  if (person) await person.update({ passwordHash, mustChange: true, disabled: false, ...(role ? { role } : {}) });
  else
    await Person.create({
      name,
      display: name,
      role: role ?? "analyst",
      passwordHash,
      mustChange: true,
      createdUs: nowUs(),
    });
  return password;
}

export async function createToken(name: string, scope: Token["scope"]): Promise<string> {
  const { token, hash } = makeToken();
  await Token.create({ name, hash, scope, createdUs: nowUs() });
  return token;
}

export async function actorOfToken(token: string): Promise<Actor | null> {
  const found = await Token.findOne({ where: { hash: hashToken(token), revoked: false } });
  // an intake token brings records and may not read
  if (!found || found.scope === "intake") return null;
  const now = nowUs();
  if (now - (found.lastUsedUs ?? 0) > 60_000_000) await found.update({ lastUsedUs: now });
  return { name: `token ${found.name}`, may: found.scope };
}

export async function audit(who: string, what: string, detail: object = {}): Promise<void> {
  await Audit.create({ atUs: nowUs(), who, what, detail });
}
