import { US_PER_DAY, US_PER_HOUR } from "@halvik/core/base/time";
import { nowUs } from "../../kernel/clock.js";
import { createModels, type Models } from "../../kernel/db/models.js";
import { connectionOf, createPool, type Pool } from "../../kernel/db/pool.js";
import { startTestInstance, type TestInstance } from "../../testing/test-database.js";
import { passwordTrouble } from "./password-rules.js";
import { hashPassword, hashToken, makeToken, oneTimePassword, passwordMatches } from "./passwords.js";
import {
  actorOfToken,
  addPerson,
  changePerson,
  checkSignIn,
  createToken,
  personNamed,
  resetPassword,
  setPassword,
} from "./repository.js";
import { personOf } from "./sessions.js";
import { mayBringRecords, mayRead } from "./tokens-repository.js";

/** Who may come in, as the database has it: by every spelling, at every moment. */
let instance: TestInstance;
let models: Models;
let db: Pool;

beforeAll(async () => {
  instance = await startTestInstance();
  models = createModels(instance.config, instance.secrets, "owner");
  db = createPool(connectionOf(instance.config, instance.secrets, "owner"), 2, 10_000);
}, 240_000);
afterAll(async () => {
  await models?.close();
  await db?.end();
  await instance?.dispose();
}, 240_000);

const OWN = "seven boats leave at dusk";

describe("passwords", () => {
  test.each([
    ["Tr0ub4dor&3", "too short by one"],
    ["password1234", "among the first tried"],
    ["qwertyuiop12", "a row of keys"],
    ["aaaaaaaaaaaaaa", "one letter"],
    ["k.lindk.lind", "the person's own name, twice"],
    ["halvikhalvik", "what this is called, twice"],
  ])("%j will not do: %s", async (password) => {
    expect(await passwordTrouble(password, ["k.lind"])).not.toBeNull();
  });

  test.each([OWN, "correct horse battery", "ærlig talt, åtte båter", `${OWN}, ${OWN}, ${OWN}, ${OWN}`])(
    "%j will do, whatever letters it is of",
    async (password) => {
      expect(await passwordTrouble(password, ["k.lind"])).toBeNull();
    },
  );

  test("what is kept tells nobody what it was, and is not the same twice (RFC 9106: argon2id)", async () => {
    const [a, b] = await Promise.all([hashPassword(OWN), hashPassword(OWN)]);
    expect(a).toMatch(/^\$argon2id\$v=19\$m=19456,t=2,p=1\$/);
    expect(a).not.toBe(b);
    expect(await passwordMatches(a, OWN)).toBe(true);
    expect(await passwordMatches(a, `${OWN} `)).toBe(false);
    // what is kept may be broken: nobody comes in by it, and nothing breaks
    expect(await passwordMatches("not a hash", OWN)).toBe(false);
  });

  test("one that is handed out is easy to copy by eye, and not handed out again", () => {
    const made = Array.from({ length: 200 }, oneTimePassword);
    for (const password of made)
      expect(password).toMatch(/^[abcdefghjkmnpqrstuvwxyz2-9]{5}(-[abcdefghjkmnpqrstuvwxyz2-9]{5}){3}$/);
    expect(new Set(made).size).toBe(200);
  });
});

describe("an account", () => {
  test("is one, by whatever case and whichever way its letters are composed (Unicode, UAX 15)", async () => {
    const first = await addPerson("Kåre", "analyst");
    for (const name of ["kåre", "KÅRE", "ka\u030are"]) {
      await expect(addPerson(name, "reader")).rejects.toThrow(/there is an account “Kåre” already/);
      expect((await checkSignIn(name, first))?.name).toBe("Kåre");
      expect((await personNamed(name)).name).toBe("Kåre");
    }
  });

  test.each(["Halvik", "HALVIK", "halvik"])("is not called %s: that is who does what no person did", async (name) => {
    await expect(addPerson(name, "owner")).rejects.toThrow(/is what Halvik calls itself/);
  });

  test.each(["", " ", " owner", "owner ", "own\u200ber", "a  b", "a\tb", "a\0b", "x".repeat(81)])(
    "is not called %j: nobody sees what that is",
    async (name) => {
      await expect(addPerson(name, "owner")).rejects.toThrow(/^name: expected 1 to 80 letters that can be seen/);
    },
  );

  test("may be called by two words", async () => {
    await addPerson("Åse Vik", "reader");
    expect((await personNamed("åse vik")).name).toBe("Åse Vik");
  });

  test("comes in by its password alone, and not at all when it is switched off", async () => {
    const password = await addPerson("t.vik", "reader");
    expect(await checkSignIn("t.vik", password)).toMatchObject({ name: "t.vik", mustChange: true });
    expect(await checkSignIn("t.vik", `${password}x`)).toBeNull();
    expect(await checkSignIn("nobody", password)).toBeNull();
    await changePerson(await personNamed("t.vik"), { disabled: true });
    expect(await checkSignIn("t.vik", password)).toBeNull();
  });

  test("a password that was handed out runs out; one's own does not", async () => {
    const password = await addPerson("m.dahl", "reader");
    const person = await personNamed("m.dahl");
    expect(person.oneTimeUntilUs! - nowUs()).toBeLessThanOrEqual(3 * US_PER_DAY);
    await person.update({ oneTimeUntilUs: nowUs() - 1 });
    expect(await checkSignIn("m.dahl", password)).toBeNull();
    const again = await resetPassword(person);
    expect(await checkSignIn("m.dahl", password)).toBeNull();
    await setPassword((await checkSignIn("m.dahl", again))!, OWN);
    expect(await checkSignIn("m.dahl", OWN)).toMatchObject({ mustChange: false, oneTimeUntilUs: null });
    expect(await checkSignIn("m.dahl", again)).toBeNull();
  });
});

describe("a session", () => {
  const begun = async (name: string) => {
    await addPerson(name, "analyst");
    const person = await personNamed(name);
    return { person, session: { personId: person.id, epoch: person.sessionEpoch, begunUs: nowUs() } };
  };

  test("is that person's, for a day at most, however busy", async () => {
    const { session } = await begun("s.krog");
    expect((await personOf(session))?.name).toBe("s.krog");
    expect(await personOf({ ...session, begunUs: nowUs() - 24 * US_PER_HOUR })).toBeNull();
    expect(await personOf({ ...session, begunUs: nowUs() - 23 * US_PER_HOUR })).not.toBeNull();
  });

  test.each([
    ["a right that was changed", (p: Awaited<ReturnType<typeof personNamed>>) => changePerson(p, { role: "reader" })],
    ["being switched off", (p: Awaited<ReturnType<typeof personNamed>>) => changePerson(p, { disabled: true })],
    ["a new password of one's own", (p: Awaited<ReturnType<typeof personNamed>>) => setPassword(p, OWN)],
    ["a new password that was handed out", (p: Awaited<ReturnType<typeof personNamed>>) => resetPassword(p)],
  ])("%s ends it", async (what, change) => {
    const { person, session } = await begun(`ends by ${what}`);
    await change(person);
    expect(await personOf(session)).toBeNull();
  });

  test.each([
    ["that never began", {}],
    ["of nobody", { personId: 2_000_000, epoch: 0, begunUs: nowUs() }],
    ["that does not say when it began", { personId: 1, epoch: 0 }],
  ])("one %s is nobody's", async (_what, session) => {
    expect(await personOf(session)).toBeNull();
  });
});

describe("a token", () => {
  test("is 256 random bits, kept as a sum alone", () => {
    const { token, hash } = makeToken();
    expect(token).toMatch(/^hv_[\w-]{43}$/);
    expect(hash).toBe(hashToken(token));
    expect(hash).not.toContain(token.slice(3));
    expect(makeToken("hw").token).toMatch(/^hw_/);
  });

  test("may what it was made for, and nothing else", async () => {
    const read = await createToken("reads", "read");
    const act = await createToken("acts", "act");
    const intake = await createToken("brings", "intake");
    expect(await actorOfToken(read)).toEqual({ name: "token reads", may: "read" });
    expect(await actorOfToken(act)).toEqual({ name: "token acts", may: "act" });
    // who brings records reads none, and the other way round
    expect(await actorOfToken(intake)).toBeNull();
    expect(await mayBringRecords(db, intake, nowUs())).toBe(true);
    for (const other of [read, act, "", "hv_", `${intake} `, `${intake}\u0000`])
      expect(await mayBringRecords(db, other, nowUs())).toBe(false);
    expect(await actorOfToken("hv_guess")).toBeNull();
  });

  test("is worth nothing after its days, at the moment they end", async () => {
    const token = await createToken("for a week", "intake", 7);
    const reading = await createToken("a week's reader", "read", 7);
    const end = nowUs() + 7 * US_PER_DAY;
    expect(await mayBringRecords(db, token, end - US_PER_HOUR)).toBe(true);
    expect(await mayBringRecords(db, token, end + US_PER_HOUR)).toBe(false);
    expect(await mayRead(db, "token a week's reader", end - US_PER_HOUR)).toBe(true);
    expect(await mayRead(db, "token a week's reader", end + US_PER_HOUR)).toBe(false);
    expect(await actorOfToken(reading)).not.toBeNull();
  });

  test("that is revoked is worth nothing from then on", async () => {
    const token = await createToken("lost", "intake");
    const reading = await createToken("lost reader", "read");
    await db.query("update token set revoked = true where name in ('lost', 'lost reader')");
    expect(await mayBringRecords(db, token, nowUs())).toBe(false);
    expect(await actorOfToken(reading)).toBeNull();
    expect(await mayRead(db, "token lost reader", nowUs())).toBe(false);
  });

  test("a stream goes on only for who may read still: a person, or a token that may", async () => {
    await addPerson("n.eide", "reader");
    expect(await mayRead(db, "n.eide", nowUs())).toBe(true);
    await changePerson(await personNamed("n.eide"), { disabled: true });
    expect(await mayRead(db, "n.eide", nowUs())).toBe(false);
    await createToken("brings only", "intake");
    expect(await mayRead(db, "token brings only", nowUs())).toBe(false);
    expect(await mayRead(db, "token nobody's", nowUs())).toBe(false);
  });
});
