import type { Express } from "express";
import type pg from "pg";
import pino from "pino";
import request from "supertest";
import { DirectoryCache } from "../domains/intake/senders/directory-cache.js";
import { Presenter } from "../domains/names/presenter.js";
import { createToken } from "../domains/people/repository.js";
import { LiveFeed } from "../domains/records/live-feed.js";
import { askedOf, questions } from "../domains/records/questions.js";
import { createApp } from "../edges/http/app.js";
import { createModels } from "../kernel/db/models.js";
import { connectionOf, createPool } from "../kernel/db/pool.js";
import { Streams } from "../kernel/http/streams.js";
import { webThreads } from "../roles/threads/web-threads.js";
import { TermIndex } from "../store/term-index.js";
import type { TestInstance } from "./test-database.js";

/** The API on a test's own database, asked as the web role is, with a token that may read and one that may act. */
export class TestApi {
  private constructor(
    readonly app: Express,
    readonly db: pg.Pool,
    readonly reader: string,
    readonly actor: string,
    readonly close: () => Promise<void>,
  ) {}

  static async start({ config, secrets }: TestInstance): Promise<TestApi> {
    const log = pino({ level: "silent" });
    const owner = createModels(config, secrets, "owner");
    const reader = await createToken("reader", "read");
    const actor = await createToken("actor", "act");
    await owner.close();
    const models = createModels(config, secrets, "web", 10_000);
    const db = createPool(connectionOf(config, secrets, "web"), 4, 10_000);
    const directory = new DirectoryCache(db, "UTC");
    const terms = new TermIndex();
    const { work, scans, rehearsals } = webThreads(connectionOf(config, secrets, "web"), "UTC", 10_000);
    const app = createApp(
      {
        config,
        db,
        models,
        directory,
        presenter: new Presenter(db),
        feed: new LiveFeed(connectionOf(config, secrets, "web"), db, log),
        terms,
        ask: askedOf(questions(db, directory, terms), work, scans),
        work,
        rehearsals,
        streams: new Streams(),
        certificate: null,
        version: "test",
      },
      secrets.sessionSecret,
      "/nowhere",
      log,
    );
    return new TestApi(app, db, reader, actor, async () => {
      await Promise.all([work.close(), scans.close(), rehearsals.close()]);
      await models.close();
      await db.end();
    });
  }

  get(path: string, token = this.reader): request.Test {
    return this.send("get", path, token);
  }

  post(path: string, body: object, token = this.actor): request.Test {
    return this.send("post", path, token).send(body);
  }

  patch(path: string, body: object): request.Test {
    return this.send("patch", path, this.actor).send(body);
  }

  delete(path: string): request.Test {
    return this.send("delete", path, this.actor);
  }

  private send(method: "get" | "post" | "patch" | "delete", path: string, token: string): request.Test {
    return request(this.app)[method](`/api/v1${path}`).set("authorization", `Bearer ${token}`);
  }
}
