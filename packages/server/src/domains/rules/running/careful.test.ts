import type { Queryable } from "../../../kernel/db/pool.js";
import { Care } from "./careful.js";

/** A database that takes every statement. */
const asked: string[] = [];
const db = { query: async (text: string) => void asked.push(text) } as unknown as Queryable;
const error = (code: string) => Object.assign(new Error(code), { code });
const told: [string, string][] = [];
const careful = () => {
  const care = new Care();
  care.beCareful();
  return care.guard(db, async (rule, reason) => void told.push([rule, reason]));
};
beforeEach(() => {
  asked.length = 0;
  told.length = 0;
});

test.each([
  ["a value the database refuses", "22P05"],
  ["what breaks a constraint", "23505"],
  ["any other mistake", "42883"],
])("%s is left out and told, and the rest goes on", async (_what, code) => {
  await careful().run("r", () => Promise.reject(error(code)));
  expect(told).toEqual([["r", code]]);
  expect(asked).toContain("rollback to savepoint part");
});

// SQLSTATE 40001 serialization_failure, 40P01 deadlock_detected, 57P01 admin_shutdown (PostgreSQL documentation, appendix A)
test.each(["40001", "40P01", "57P01", "08006"])(
  "nothing is left out for %s: it was not the finding's fault, and the step is done again",
  async (code) => {
    await expect(careful().run("r", () => Promise.reject(error(code)))).rejects.toMatchObject({ code });
    expect(told).toEqual([]);
  },
);

test("as long as nothing was refused, findings are written without a part of their own", async () => {
  await new Care().guard(db, async () => undefined).run("r", async () => void asked.push("written"));
  expect(asked).toEqual(["written"]);
});
