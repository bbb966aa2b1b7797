import express, { type Express } from "express";
import pino from "pino";
import request from "supertest";
import * as z from "zod";
import type { Actor } from "../actor.js";
import { WorkQueueFull, WorkTooLong } from "../threads/work-errors.js";
import { AppError, errorHandler, naming, parseInput, toAppError } from "./errors.js";
import { readFileName } from "./file-name.js";
import { bind, type Route, route } from "./route.js";
import { Turns } from "./turns.js";
import { readTime, readWindow } from "./window.js";

/** What stands between a request and a handler, whatever the handler does. */
const ANALYST: Actor = { name: "k.lind", may: "act" };
const READER: Actor = { name: "m.dahl", may: "read" };
const WALL = { name: "k.lind", may: "read", wall: { id: 3, boards: [] } } as unknown as Actor;

const echo = (over: Partial<Route> = {}): Route => ({
  ...route({
    method: "get",
    path: "/things/{id}",
    summary: "Says what it got",
    access: "read",
    params: z.object({ id: z.coerce.number().int().min(1) }),
    query: z.object({ filter: z.string().max(20).optional(), limit: z.coerce.number().int().max(10).default(5) }),
    answer: z.object({ got: z.unknown() }),
    handle: async ({ params, query, actor }) => ({ got: { params, query, who: actor.name } }),
  }),
  ...over,
});
const appOf = (routes: readonly Route[], actor: Actor | null, checkAnswers = true): Express => {
  const app = express();
  app.use(express.json());
  app.use(
    bind(
      routes,
      () => actor,
      async () => true,
      checkAnswers,
    ),
  );
  app.use(errorHandler(pino({ level: "silent" })));
  return app;
};
const asked = (path: string, actor: Actor | null = READER, over: Partial<Route> = {}) =>
  request(appOf([echo(over)], actor)).get(path);

describe("who asks", () => {
  test.each<[string, Route["access"], Actor | null, number, string | null]>([
    ["nobody, what is open", "open", null, 200, null],
    ["nobody, what is to be read", "read", null, 401, "SIGN_IN_NEEDED"],
    ["a reader, what is to be read", "read", READER, 200, null],
    ["a reader, what changes something", "act", READER, 403, "NOT_ALLOWED"],
    ["an analyst, what changes something", "act", ANALYST, 200, null],
    ["a screen on the wall, what is for people", "read", WALL, 403, "NOT_ALLOWED"],
  ])("%s", async (_what, access, actor, status, code) => {
    const { body } = await asked("/things/4", actor, { access }).expect(status);
    expect(body.error?.code ?? null).toBe(code);
  });

  test("a screen on the wall gets what is on walls", async () => {
    await asked("/things/4", WALL, { onWall: true }).expect(200);
  });

  test("nobody is called so, and may at most read", async () => {
    const { body } = await asked("/things/4", null, { access: "open" }).expect(200);
    expect(body.got.who).toBe("nobody");
  });
});

describe("what is asked", () => {
  test("is read as the schema says, with what goes without saying", async () => {
    const { body } = await asked("/things/4?filter=app").expect(200);
    expect(body.got).toEqual({ params: { id: 4 }, query: { filter: "app", limit: 5 }, who: "m.dahl" });
  });

  test.each([
    ["/things/0", "id", /id: /],
    ["/things/x", "id", /id: /],
    ["/things/4?limit=11", "limit", /limit: /],
    [`/things/4?filter=${"x".repeat(21)}`, "filter", /filter: /],
    // a name nobody knows would change the answer without a word
    ["/things/4?filtre=app", "filtre", /did you mean “filter”\?/],
    ["/things/4?weather=1", "weather", /it takes filter, limit/],
    ["/things/4?filter=a%00b", undefined, /without U\+0000/],
  ])("%s is refused, with where", async (path, field, message) => {
    const { body } = await asked(path).expect(400);
    expect(body.error).toMatchObject({ code: "BAD_REQUEST", message: expect.stringMatching(message) });
    expect(body.error.field).toBe(field);
  });

  test("the same may be asked by POST, where a filter is longer than an address may be", async () => {
    const app = appOf([echo({ alsoPost: true })], READER);
    const { body } = await request(app).post("/things/4").send({ filter: "app", limit: 2 }).expect(200);
    expect(body.got.query).toEqual({ filter: "app", limit: 2 });
    await request(app).post("/things/4").send({ filtre: "app" }).expect(400);
    await request(appOf([echo()], READER))
      .post("/things/4")
      .send({})
      .expect(404);
  });

  test.each<[string, string]>([
    ["half a letter, in a value", '{"a":"\\ud800"}'],
    ["U+0000, in a name", '{"a\\u0000":1}'],
    ["a hundred and one lists in one another", `${"[".repeat(102)}${"]".repeat(102)}`],
  ])("a body that no table could keep is refused before anybody reads it: %s", async (_what, text) => {
    let ran = false;
    const any = route({
      ...{ method: "post", path: "/any", summary: "", access: "read" },
      body: z.unknown(),
      answer: z.unknown(),
      handle: async () => {
        ran = true;
        return {};
      },
    });
    const { body } = await request(appOf([any], READER))
      .post("/any")
      .set("content-type", "application/json")
      .send(text)
      .expect(400);
    expect(body.error.code).toBe("BAD_REQUEST");
    expect(ran).toBe(false);
  });
});

describe("what is answered", () => {
  const answering = (answer: unknown, checkAnswers = true) =>
    request(
      appOf([echo({ answer: z.object({ n: z.number() }), handle: async () => answer })], READER, checkAnswers),
    ).get("/things/4");

  test("is held against the contract: less, other or more than it says is our mistake", async () => {
    await answering({ n: 1 }).expect(200);
    for (const wrong of [{}, { n: "1" }, { n: 1, more: true }]) {
      const { body } = await answering(wrong).expect(500);
      expect(body.error.message).not.toContain("contract");
    }
    // where people work nobody is kept waiting for it
    await answering({ n: 1, more: true }, false).expect(200);
  });

  test("a handler that answers by itself has answered", async () => {
    const { text } = await asked("/things/4", READER, {
      handle: async ({ res }) => {
        res.type("text/plain").send("a stream");
        return undefined;
      },
    });
    expect(text).toBe("a stream");
  });
});

describe("errors become answers in one place", () => {
  test.each<[string, unknown, string]>([
    ["our own", new AppError("CONFLICT", "taken"), "CONFLICT"],
    ["a statement that was ended", { code: "57014" }, "TOO_SLOW"],
    ["a thread that took too long", new WorkTooLong("search", 1_000), "TOO_SLOW"],
    ["a queue that is full", new WorkQueueFull(), "TOO_MANY_REQUESTS"],
    ["a database that went away", { code: "57P01" }, "STORE_AWAY"],
    ["one that never was there", { code: "ECONNREFUSED" }, "STORE_AWAY"],
    ["a driver that waited", new Error("timeout exceeded when trying to connect"), "STORE_AWAY"],
    ["a value beyond its column", { code: "22003" }, "BAD_REQUEST"],
    ["a body that is no JSON", { type: "entity.parse.failed", status: 400 }, "BAD_REQUEST"],
    ["an address that is no UTF-8", new URIError("x"), "BAD_REQUEST"],
    ["anything else", new Error("secret inside"), "INTERNAL"],
    ["nothing that is an error", "oops", "INTERNAL"],
  ])("%s", (_what, error, code) => {
    const known = toAppError(error);
    expect(known.code).toBe(code);
    expect(known.message).not.toContain("secret");
  });

  test("a name that is taken is said at the name; what else fails stays what it is", async () => {
    const taken = naming("list", () => Promise.reject({ code: "23505" }));
    await expect(taken).rejects.toMatchObject({ code: "CONFLICT", more: { field: "name" } });
    await expect(naming("list", () => Promise.reject(new Error("other")))).rejects.toThrow("other");
  });

  test("what is missing altogether is said of the request", () => {
    expect(() => parseInput(z.string(), undefined)).toThrow(/^request: /);
  });
});

describe("turns", () => {
  /** Work that ends when it is told to. */
  const held = () => {
    const ends: (() => void)[] = [];
    let running = 0;
    let most = 0;
    const work = () => {
      most = Math.max(most, ++running);
      return new Promise<void>((done) =>
        ends.push(() => {
          running--;
          done();
        }),
      );
    };
    return { ends, work, most: () => most };
  };
  const settled = () => new Promise((r) => setImmediate(r));

  test("eight of one actor at once; others wait in order, and another's go by them", async () => {
    const turns = new Turns();
    const { ends, work, most } = held();
    const own = Array.from({ length: 20 }, () => turns.take("k.lind", work));
    const other = turns.take("m.dahl", work);
    await settled();
    expect(ends).toHaveLength(9);
    for (let i = 0; i < 21; i++) {
      ends[i]!();
      await settled();
    }
    await Promise.all([...own, other]);
    expect(most()).toBe(9);
  });

  test("more than two hundred that wait are refused, and only they", async () => {
    const turns = new Turns();
    const { ends, work } = held();
    const taken = Array.from({ length: 208 }, () => turns.take("k.lind", work));
    await expect(turns.take("k.lind", work)).rejects.toMatchObject({ code: "TOO_MANY_REQUESTS" });
    for (let i = 0; i < 208; i++) {
      ends[i]!();
      await settled();
    }
    await Promise.all(taken);
  });

  test("a turn is handed on where the work failed", async () => {
    const turns = new Turns();
    const failing = Array.from({ length: 30 }, () => turns.take("k.lind", () => Promise.reject(new Error("no"))));
    expect((await Promise.allSettled(failing)).every((r) => r.status === "rejected")).toBe(true);
    expect(await turns.take("k.lind", async () => 1)).toBe(1);
  });
});

describe("windows and moments (RFC 3339)", () => {
  const NOW = Date.UTC(2026, 10, 24, 12) * 1_000;
  test("without ends it is the last day, and a minute of grace", () => {
    expect(readWindow({}, NOW)).toEqual({ fromUs: NOW + 60e6 - 86_400e6, toUs: NOW + 60e6 });
    expect(readWindow({ to: "2026-11-24T10:00:00Z" }, NOW)).toEqual({
      fromUs: NOW - 26 * 3_600e6,
      toUs: NOW - 2 * 3_600e6,
    });
  });

  test("one that ends before it begins is refused, one that names no zone too", () => {
    const from = "2026-11-24T10:00:00Z";
    expect(() => readWindow({ from, to: from }, NOW)).toThrow(/before “to”/);
    for (const text of ["2026-11-24T10:00:00", "2026-11-24", "yesterday", "2026-02-30T00:00:00Z", `${from} `])
      expect(() => readTime("from", text)).toThrow(/from: expected RFC 3339 with a zone/);
    expect(readTime("from", "2026-11-24T11:00:00.5+01:00")).toBe(NOW - 2 * 3_600e6 + 500_000);
  });
});

test.each([
  ["/etc/passwd", "passwd"],
  ["../../x.pcap", "x.pcap"],
  ["  a b.log ", "a b.log"],
  ["日本.log", "日本.log"],
])("a file's name is its last part: %j", (written, name) => {
  expect(readFileName(written)).toBe(name);
});

test.each(["", "   ", "a\u202egpj.exe", "a\nb", "a\u200bb", "c:\\x", "a\u0000b"])(
  "a name that hides what it is is refused: %j",
  (written) => {
    expect(() => readFileName(written)).toThrow(/visible characters/);
  },
);
