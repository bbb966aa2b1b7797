import {
  BoardChange,
  BoardKept,
  BoardList,
  NewBoard,
  NowBoard,
  NowBoardChange,
  TileAnswer,
  TileParams,
  TileQuery,
  TileQuestion,
  WallList,
  WallMade,
  WallShown,
} from "@halvik/contract/boards";
import { EntityId } from "@halvik/contract/common";
import { formatUs, isZone } from "@halvik/core/base/time";
import { NOW_BOARD, READY_BOARDS, type Tile, type TileShows, Wall } from "@halvik/core/board";
import { windowOf } from "@halvik/core/report";
import * as z from "zod";
import type { Actor } from "../../kernel/actor.js";
import { nowUs } from "../../kernel/clock.js";
import type { Models } from "../../kernel/db/models.js";
import { type Act, inAct } from "../../kernel/db/unit-of-work.js";
import { AppError, naming } from "../../kernel/http/errors.js";
import { route } from "../../kernel/http/route.js";
import { readWindow } from "../../kernel/http/window.js";
import { makeToken } from "../people/passwords.js";
import { KeptTiles } from "./kept-tiles.js";
import type { TileNeeds } from "./make-tile.js";
import {
  addBoard,
  boardsFor,
  changeBoard,
  dropNowBoard,
  findBoard,
  type KeptBoard,
  keepNowBoard,
  nowBoardOf,
  removeBoard,
} from "./repository.js";
import { addWall, type KeptWall, listWalls, revokeWall } from "./walls-repository.js";

const MOST_BOARDS = 500;
const MOST_WALLS = 100;
const params = z.object({ id: EntityId });

/** What these routes work with. */
type Needs = TileNeeds & { readonly models: Models };

/** Boards, their tiles, and the screens on the wall that show them. */
export const boardRoutes = (needs: Needs) => {
  const { models, db, config } = needs;
  const tiles = new KeptTiles(needs);
  const change = <T>(who: string, work: (act: Act) => Promise<T>) => naming("board", () => inAct(models, who, work));
  const json = (b: KeptBoard, { name }: Actor): z.infer<typeof BoardKept> => ({
    id: b.id,
    board: b.board,
    owner: b.owner,
    shared: b.shared,
    mine: b.owner === name,
    version: b.version,
    changed: formatUs(b.changedUs),
    changedBy: b.changedBy,
  });
  const list = async (actor: Actor) => ({
    boards: (await boardsFor(db, actor.name)).map((b) => json(b, actor)),
    ready: READY_BOARDS,
  });
  /** A board that who asks sees; a screen on the wall sees its own alone. */
  const seen = async (id: number, actor: Actor): Promise<KeptBoard> => {
    const board = actor.wall && !actor.wall.boards.includes(id) ? null : await findBoard(db, id, actor.name);
    if (board === null) throw new AppError("NOT_FOUND", `there is no board ${id}`);
    return board;
  };
  const zoneOf = (zone: string | undefined): string => {
    const named = zone === undefined || zone === "" ? config.HALVIK_ZONE : zone;
    if (!isZone(named)) throw new AppError("BAD_REQUEST", `zone: "${named}" is no IANA zone`, { field: "zone" });
    return named;
  };
  const tileOf = (
    actor: Actor,
    shows: TileShows,
    period: Tile["window"],
    filter: string,
    looked: z.infer<typeof TileQuery>,
  ) => {
    const now = nowUs();
    const zone = zoneOf(looked.zone);
    const window = period === null ? readWindow(looked, now) : windowOf(period, now, zone);
    return tiles.of(shows, { actor, window, zone, filter, nowUs: now });
  };
  const walls = async () => ({ walls: (await listWalls(db, nowUs())).map(wallJson) });
  return [
    route({
      method: "get",
      path: "/boards",
      summary: "A person's own boards, those that others share, and those that ship",
      access: "read",
      answer: BoardList,
      handle: ({ actor }) => list(actor),
    }),
    route({
      method: "get",
      path: "/boards/now",
      summary: "What stands below the queue of Now: a person's own, or what ships",
      access: "read",
      answer: NowBoard,
      handle: async ({ actor }) => nowJson(await nowBoardOf(db, actor.name)),
    }),
    route({
      method: "patch",
      path: "/boards/now",
      summary: "Changes a person's own page of Now",
      access: "read",
      body: NowBoardChange,
      answer: NowBoard,
      handle: async ({ actor, body }) => {
        await change(actor.name, (act) => keepNowBoard(act.db, actor.name, body.board, act.atUs));
        return nowJson(body.board);
      },
    }),
    route({
      method: "delete",
      path: "/boards/now",
      summary: "Takes a person's own page of Now away: it is the one that ships again",
      access: "read",
      answer: NowBoard,
      handle: async ({ actor }) => {
        await change(actor.name, (act) => dropNowBoard(act.db, actor.name));
        return nowJson(null);
      },
    }),
    route({
      method: "get",
      path: "/boards/{id}",
      summary: "A board",
      access: "read",
      params,
      answer: BoardKept,
      handle: async ({ params: p, actor }) => json(await seen(p.id, actor), actor),
    }),
    route({
      method: "post",
      path: "/boards",
      summary: "Keeps a board",
      access: "act",
      body: NewBoard,
      answer: BoardKept,
      handle: async ({ body, actor }) => {
        const id = await change(actor.name, async (act) => {
          if ((await boardsFor(act.db, actor.name)).length >= MOST_BOARDS)
            throw new AppError("CONFLICT", `there are ${MOST_BOARDS} boards already`);
          const made = await addBoard(act.db, body.board, body.shared, actor.name, act.atUs);
          await act.audit("board added", { id: made, name: body.board.name, shared: body.shared });
          return made;
        });
        return json(await seen(id, actor), actor);
      },
    }),
    route({
      method: "patch",
      path: "/boards/{id}",
      summary: "Changes a board, as long as nobody else has meanwhile; whether it is shared says its owner",
      access: "act",
      params,
      body: BoardChange,
      answer: BoardKept,
      handle: async ({ params: p, body, actor }) => {
        const before = await seen(p.id, actor);
        if (before.owner !== actor.name && body.shared !== before.shared)
          throw new AppError("NOT_ALLOWED", `whether it is shared says ${before.owner}, whose board it is`);
        await change(actor.name, async (act) => {
          if (!(await changeBoard(act.db, p.id, body.version, body.board, body.shared, actor.name, act.atUs)))
            throw new AppError("CONFLICT", `${before.changedBy} has changed this board meanwhile: load it anew`);
          await act.audit("board changed", { id: p.id, name: body.board.name, shared: body.shared });
        });
        return json(await seen(p.id, actor), actor);
      },
    }),
    route({
      method: "delete",
      path: "/boards/{id}",
      summary: "Deletes a board of one's own",
      access: "act",
      params,
      answer: BoardList,
      handle: async ({ params: p, actor }) => {
        const board = await seen(p.id, actor);
        if (board.owner !== actor.name) throw new AppError("NOT_ALLOWED", `it is ${board.owner}'s board`);
        await change(actor.name, async (act) => {
          await removeBoard(act.db, p.id);
          await act.audit("board deleted", { id: p.id, name: board.board.name });
        });
        return list(actor);
      },
    }),
    route({
      method: "post",
      path: "/boards/tile",
      summary: "Makes a tile that no board has to have",
      access: "read",
      body: TileQuestion,
      answer: TileAnswer,
      handle: ({ body, actor }) => tileOf(actor, body.shows, body.window, body.filter, body),
    }),
    route({
      method: "get",
      path: "/boards/{id}/tiles/{tile}",
      summary: "Makes a tile of a board, over its own window or the one that is looked at",
      access: "read",
      onWall: true,
      params: TileParams,
      query: TileQuery,
      answer: TileAnswer,
      handle: async ({ params: p, query, actor }) => {
        const { board } = await seen(p.id, actor);
        const tile = board.tiles.find((t) => t.id === p.tile);
        if (tile === undefined) throw new AppError("NOT_FOUND", `board ${p.id} has no tile “${p.tile}”`);
        return tileOf(actor, tile.shows, tile.window, board.filter, query);
      },
    }),
    route({
      method: "get",
      path: "/walls",
      summary: "Screens on the wall",
      access: "read",
      answer: WallList,
      handle: walls,
    }),
    route({
      method: "post",
      path: "/walls",
      summary: "Puts boards on a wall: answers the token that its screen shows them with, this once",
      access: "act",
      body: Wall,
      answer: WallMade,
      handle: async ({ body, actor }) => {
        if (body.zone !== "") zoneOf(body.zone);
        for (const id of body.boards) await seen(id, actor);
        const { token, hash } = makeToken("hw");
        await change(actor.name, async (act) => {
          if ((await listWalls(act.db, act.atUs)).length >= MOST_WALLS)
            throw new AppError("CONFLICT", `there are ${MOST_WALLS} walls already`);
          const id = await addWall(act.db, body, hash, actor.name, act.atUs);
          await act.audit("wall added", { id, name: body.name, boards: body.boards });
        });
        return { ...(await walls()), token };
      },
    }),
    route({
      method: "delete",
      path: "/walls/{id}",
      summary: "Takes a screen on the wall back: its token is worth nothing any more",
      access: "act",
      params,
      answer: WallList,
      handle: async ({ params: p, actor }) => {
        await change(actor.name, async (act) => {
          if (!(await revokeWall(act.db, p.id))) throw new AppError("NOT_FOUND", `there is no wall ${p.id}`);
          await act.audit("wall taken back", { id: p.id });
        });
        return walls();
      },
    }),
    route({
      method: "get",
      path: "/wall",
      summary: "What a screen on the wall shows, by its token",
      access: "read",
      onWall: true,
      answer: WallShown,
      handle: async ({ actor }) => {
        const { wall } = actor;
        if (wall === undefined) throw new AppError("NOT_ALLOWED", "this is for screens on the wall, by their token");
        const boards = [];
        for (const id of wall.boards) {
          // one that was deleted, or is not shared any more, is left out
          const kept = await findBoard(db, id, actor.name);
          if (kept !== null) boards.push({ id, board: kept.board });
        }
        const { name, turnSeconds, theme, zone } = wall;
        return { name, turnSeconds, theme, zone: zone === "" ? config.HALVIK_ZONE : zone, boards };
      },
    }),
  ];
};

const nowJson = (own: z.infer<typeof NowBoard>["board"] | null): z.infer<typeof NowBoard> => ({
  board: own ?? NOW_BOARD,
  own: own !== null,
});

const wallJson = (w: KeptWall): z.infer<typeof WallList>["walls"][number] => ({
  id: w.id,
  wall: w.wall,
  author: w.author,
  created: formatUs(w.createdUs),
  expires: w.expiresUs === null ? null : formatUs(w.expiresUs),
  lastUsed: w.lastUsedUs === null ? null : formatUs(w.lastUsedUs),
});
