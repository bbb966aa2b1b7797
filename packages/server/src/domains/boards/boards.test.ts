import type { BoardKept, BoardList, TileAnswer, WallMade, WallShown } from "@halvik/contract/boards";
import { NOW_BOARD, READY_BOARDS } from "@halvik/core/board";
import request from "supertest";
import { TestStore } from "../../testing/test-store.js";
import { KeptTiles } from "./kept-tiles.js";

/** Boards by whom they are seen and changed, and what a screen on the wall may do: its own tiles and nothing else. */
let store: TestStore;
beforeAll(async () => {
  store = await TestStore.start();
  await store.addSender("rt-1", "Hestnes");
}, 240_000);
afterAll(() => store?.dispose(), 240_000);

const tile = (id: string, x: number, shows: object = { is: "clock", title: id }) => ({
  id,
  at: { x, y: 0, w: 3, h: 2 },
  shows,
});
const board = (name: string, tiles: object[] = [tile("a", 0), tile("b", 3)]) => ({ name, tiles });
const keep = async (name: string, shared = false, tiles?: object[]) =>
  (await store.api.post("/boards", { board: board(name, tiles), shared }).expect(200)).body as BoardKept;
const errorOf = (answer: request.Response) => [answer.status, (answer.body as { error: { code: string } }).error.code];

test("one's own board is nobody else's; a shared one is changed by everybody who saw it as it is", async () => {
  const own = await keep("Mine");
  const shared = await keep("Ours", true);
  const seen = (await store.api.get("/boards")).body as BoardList;
  expect(seen.boards.map((b) => [b.board.name, b.mine])).toEqual([["Ours", false]]);
  expect((await store.api.get(`/boards/${own.id}`)).status).toBe(404);
  expect((await store.api.get(`/boards/${own.id}/tiles/a`)).status).toBe(404);
  const change = (version: number) =>
    store.api.patch(`/boards/${shared.id}`, { board: board("Ours too"), shared: true, version });
  expect(((await change(1)).body as BoardKept).version).toBe(2);
  // whoever saw the version before does not write over it
  expect(errorOf(await change(1))).toEqual([409, "CONFLICT"]);
  expect(errorOf(await store.api.post("/boards", { board: board("OURS TOO") }))).toEqual([409, "CONFLICT"]);
  // a reader changes nothing, but for their own page of Now
  const reader = (method: "post" | "patch" | "delete", path: string, body: object) =>
    request(store.api.app)[method](`/api/v1${path}`).set("authorization", `Bearer ${store.api.reader}`).send(body);
  expect((await reader("post", "/boards", { board: board("x") })).status).toBe(403);
  expect((await reader("delete", `/boards/${shared.id}`, {})).status).toBe(403);
  expect((await reader("patch", "/boards/now", { board: board("Now") })).body).toMatchObject({ own: true });
  expect((await store.api.get("/boards/now")).body).toMatchObject({
    own: true,
    board: { tiles: [{ id: "a" }, { id: "b" }] },
  });
  expect((await store.api.get("/boards/now", store.api.actor)).body).toMatchObject({
    own: false,
    board: { name: NOW_BOARD.name },
  });
  await store.api.delete(`/boards/${shared.id}`).expect(200);
});

test.each<[string, object, string]>([
  ["beyond the last column", { ...tile("a", 11) }, "within 12 columns"],
  ["an id that is none", { ...tile("A b", 0) }, "small letters"],
  ["nothing that it shows", { ...tile("a", 0, { is: "weather", title: "x" }) }, "tiles.0.shows"],
  [
    "a measure of what there is not",
    { ...tile("a", 0, { is: "bars", title: "x", measure: { source: "audit", by: ["whom"] } }) },
    "who, what",
  ],
])("a tile is refused: %s", async (_what, wrong, says) => {
  const answer = await store.api.post("/boards", { board: board("x", [wrong]) });
  expect([answer.status, JSON.stringify(answer.body)]).toEqual([400, expect.stringContaining(says)]);
});

test("two tiles in one place, or of one name, are refused", async () => {
  for (const second of [tile("b", 2), tile("a", 6)])
    expect((await store.api.post("/boards", { board: board("x", [tile("a", 0), second]) })).status).toBe(400);
});

test("every tile that ships is made", async () => {
  for (const { tiles, filter } of [...READY_BOARDS, NOW_BOARD])
    for (const { shows, window } of tiles) {
      const { body, status } = await store.api.post("/boards/tile", { shows, window, filter, zone: "Europe/Oslo" });
      expect([status, (body as TileAnswer).made.is]).toEqual([200, expect.not.stringMatching(/^failed$/)]);
    }
});

describe("a screen on the wall", () => {
  let shown: BoardKept;
  let made: WallMade;
  const wall = (method: "get" | "post" | "patch" | "delete", path: string) =>
    request(store.api.app)[method](`/api/v1${path}`).set("authorization", `Bearer ${made.token}`);
  beforeAll(async () => {
    shown = await keep("On the wall");
    await keep("Another");
    made = (
      await store.api
        .post("/walls", { name: "control room", boards: [shown.id], turnSeconds: 10, zone: "Europe/Oslo" })
        .expect(200)
    ).body as WallMade;
  });

  test("it is told its boards and makes their tiles", async () => {
    expect((await wall("get", "/wall")).body as WallShown).toMatchObject({
      name: "control room",
      zone: "Europe/Oslo",
      boards: [{ id: shown.id, board: { name: "On the wall" } }],
    });
    expect((await wall("get", `/boards/${shown.id}/tiles/a`)).body).toMatchObject({ made: { is: "clock" } });
    expect((await wall("get", `/boards/${shown.id}/tiles/nothing`)).status).toBe(404);
  });

  test("any other address of the API is refused it, whatever the method", async () => {
    const { body } = await store.api.get("/openapi.json");
    const allowed = new Set(["get /wall", "get /boards/{id}/tiles/{tile}"]);
    const tried: string[] = [];
    for (const [path, methods] of Object.entries(body.paths as Record<string, object>))
      for (const method of Object.keys(methods) as ("get" | "post" | "patch" | "delete")[]) {
        const name = `${method} ${path.replace("/api/v1", "")}`;
        if (allowed.has(name)) continue;
        const at = path.replace("/api/v1", "").replace(/\{\w+\}/g, "1");
        const answer = await wall(method, at).send(method === "get" ? undefined : {});
        tried.push(name);
        expect([name, ...errorOf(answer)]).toEqual([name, 403, "NOT_ALLOWED"]);
      }
    expect(tried.length).toBeGreaterThan(100);
    // another board of whoever put it there is none of its own
    const others = ((await store.api.get("/boards", store.api.actor)).body as BoardList).boards.filter(
      (b) => b.id !== shown.id,
    );
    expect(others.length).toBeGreaterThan(0);
    for (const {
      id,
      board: { tiles },
    } of others)
      expect((await wall("get", `/boards/${id}/tiles/${tiles[0]?.id ?? "a"}`)).status).toBe(404);
  });

  test("its right ends: when whoever put it there may not read, when its time is over, when it is taken back", async () => {
    const { client } = store;
    const status = async () => (await wall("get", `/boards/${shown.id}/tiles/a`)).status;
    const set = async (sql: string, want: number, back: string) => {
      await client.query(sql);
      expect([sql, await status(), (await wall("get", "/wall")).status]).toEqual([sql, want, want]);
      await client.query(back);
      expect(await status()).toBe(200);
    };
    await set(
      "update token set revoked = true where name = 'actor'",
      401,
      "update token set revoked = false where name = 'actor'",
    );
    await set(
      "update token set expires_us = 1 where name = 'actor'",
      401,
      "update token set expires_us = null where name = 'actor'",
    );
    await set("update wall set expires_us = 1", 401, "update wall set expires_us = null");
    // a board that is another's again
    await client.query("update board set owner = 'somebody' where id = $1", [shown.id]);
    expect([await status(), ((await wall("get", "/wall")).body as WallShown).boards]).toEqual([404, []]);
    await client.query("update board set owner = 'token actor' where id = $1", [shown.id]);
    await store.api.delete(`/walls/${made.walls[0]!.id}`).expect(200);
    expect(await status()).toBe(401);
    expect((await store.api.delete(`/walls/${made.walls[0]!.id}`)).status).toBe(404);
    // its token is nowhere but on its screen
    const { rows } = await client.query<{ text: string }>("select wall::text as text from wall");
    expect(rows.some((r) => r.text.includes(made.token))).toBe(false);
    expect(JSON.stringify((await store.api.get("/walls")).body)).not.toMatch(/hash|hw_/);
  });

  test("boards that whoever puts them there does not see are refused", async () => {
    const answer = await store.api.post("/walls", { name: "x", boards: [999_999] });
    expect(answer.status).toBe(404);
    expect((await store.api.post("/walls", { name: "x", boards: [shown.id], zone: "Nowhere/None" })).status).toBe(400);
  });
});

test("a tile is made once, however many screens show it; a window that stands and one that follows are two", async () => {
  const { db } = store.api;
  let made = 0;
  const needs = {
    db,
    nights: {
      of: async () => {
        made++;
        return { night: {}, figures: [], sites: [], incidents: [] };
      },
    },
  };
  const tiles = new KeptTiles({ ...needs, directory: { get: async () => null }, config: {} } as never);
  const nowUs = 1_700_000_000e6;
  const at = (toUs: number, now = nowUs) =>
    tiles.of(
      { is: "sites", title: "Sites" },
      {
        actor: { name: "a", may: "read" },
        window: { fromUs: toUs - 3_600e6, toUs },
        zone: "UTC",
        filter: "",
        nowUs: now,
      },
    );
  await Promise.all([at(nowUs), at(nowUs), at(nowUs + 2e6, nowUs + 2e6)]);
  expect(made).toBe(1);
  await at(nowUs - 3_600e6);
  expect(made).toBe(2);
  await at(nowUs + 61e6, nowUs + 61e6);
  expect(made).toBe(3);
});
