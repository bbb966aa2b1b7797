import { existsSync } from "node:fs";
import { join } from "node:path";
import connectPgSimple from "connect-pg-simple";
import express, { type Express, type NextFunction, type Request, type Response } from "express";
import rateLimit from "express-rate-limit";
import session from "express-session";
import helmet from "helmet";
import type { Logger } from "pino";
import type { Sequelize } from "sequelize";
import { z } from "zod";
import { type Actor, actorOfToken } from "../access/people.js";
import type { Secrets } from "../config/secrets.js";
import { Person } from "../store/models.js";
import type { Deps } from "./deps.js";
import { AppError, errorHandler } from "./errors.js";
import { openApi } from "./openapi.js";
import { bind, route } from "./route.js";
import { endpointRoutes } from "./routes/endpoints.js";
import { filterRoutes } from "./routes/filters.js";
import { importRoutes } from "./routes/imports.js";
import { incidentRoutes } from "./routes/incidents.js";
import { nameRoutes } from "./routes/names.js";
import { notifyRoutes } from "./routes/notify.js";
import { recordRoutes } from "./routes/records.js";
import { ruleRoutes } from "./routes/rules.js";
import { senderRoutes } from "./routes/senders.js";
import { sessionRoutes } from "./routes/session.js";
import { statusRoutes } from "./routes/status.js";

const SESSION_MS = 12 * 3_600 * 1_000;
const actors = new WeakMap<Request, Actor>();

/** The web interface and API as an Express app; it neither listens nor reads the environment. */
export function createApp(deps: Deps, models: Sequelize, secrets: Secrets, webRoot: string, log: Logger): Express {
  const app = express();
  app.disable("x-powered-by");
  app.use(
    helmet({
      contentSecurityPolicy: {
        useDefaults: false,
        directives: {
          "default-src": ["'self'"],
          "script-src": ["'self'"],
          "style-src": ["'self'", "'unsafe-inline'"],
          "img-src": ["'self'", "data:"],
          "font-src": ["'self'"],
          "connect-src": ["'self'"],
          "object-src": ["'none'"],
          "base-uri": ["'none'"],
          "frame-ancestors": ["'none'"],
          "form-action": ["'self'"],
        },
      },
      strictTransportSecurity: deps.config.HALVIK_SECURE_COOKIES,
    }),
  );
  app.use("/api", refuseCrossSite);
  app.use(
    "/api/v1/session",
    rateLimit({
      windowMs: 60_000,
      limit: 20,
      skip: (req) => req.method === "GET",
      standardHeaders: true,
      legacyHeaders: false,
      handler: (_req, _res, next) =>
        next(new AppError("TOO_MANY_REQUESTS", "too many sign-ins from this address; wait a minute")),
    }),
  );
  app.use("/api", express.json({ limit: "1mb" }));
  const PgStore = connectPgSimple(session);
  app.use(
    "/api",
    session({
      name: "halvik",
      secret: secrets.sessionSecret,
      resave: false,
      saveUninitialized: false,
      rolling: true,
      cookie: { httpOnly: true, sameSite: "strict", secure: deps.config.HALVIK_SECURE_COOKIES, maxAge: SESSION_MS },
      store: new PgStore({ pool: deps.db, tableName: "session", pruneSessionInterval: 900, errorLog: () => undefined }),
    }),
  );
  app.use("/api", identify);

  const routes = [
    ...sessionRoutes(deps),
    ...statusRoutes(deps),
    ...recordRoutes(deps),
    ...filterRoutes(deps),
    ...incidentRoutes(deps),
    ...ruleRoutes(deps),
    ...notifyRoutes(deps),
    ...senderRoutes(deps, models),
    ...endpointRoutes(deps),
    ...nameRoutes(deps),
    ...importRoutes(deps),
  ];
  const document = route({
    method: "get",
    path: "/openapi.json",
    summary: "This description",
    access: "open",
    answer: z.object({}),
    handle: async () => description,
  });
  const description = openApi([...routes, document], deps.version);
  app.use(
    "/api/v1",
    bind([...routes, document], (req) => actors.get(req) ?? null),
  );
  app.use("/api", () => {
    throw new AppError("NOT_FOUND", "there is no such address; /api/v1/openapi.json lists them");
  });

  if (existsSync(webRoot)) {
    app.use("/assets", express.static(join(webRoot, "assets"), { immutable: true, maxAge: "1y", fallthrough: false }));
    app.use(express.static(webRoot, { index: false, maxAge: 0 }));
    app.get("/{*path}", (_req, res) =>
      res.sendFile(join(webRoot, "index.html"), { headers: { "cache-control": "no-store" } }),
    );
  }
  app.use(errorHandler(log));
  return app;
}

/** A change asked for by another site's page is refused, whatever cookies it brings along. */
function refuseCrossSite(req: Request, _res: Response, next: NextFunction): void {
  const site = req.headers["sec-fetch-site"];
  const origin = req.headers.origin;
  const foreign =
    (site !== undefined && site !== "same-origin" && site !== "none") ||
    (origin !== undefined && hostOf(origin) !== req.headers.host);
  if (req.method !== "GET" && req.method !== "HEAD" && foreign)
    throw new AppError("CROSS_SITE", "changes are taken from Halvik's own pages only");
  next();
}

const hostOf = (origin: string): string | null => (URL.canParse(origin) ? new URL(origin).host : null);

/** Token or session; a person who must set a password may do nothing else first. */
async function identify(req: Request, _res: Response, next: NextFunction): Promise<void> {
  const header = req.headers.authorization;
  if (header !== undefined) {
    const token = /^Bearer (\S+)$/.exec(header)?.[1];
    const actor = token === undefined ? null : await actorOfToken(token);
    if (actor === null) throw new AppError("SIGN_IN_REFUSED", "the token is not known or was revoked");
    actors.set(req, actor);
  } else if (req.session.personId !== undefined) {
    const person = await Person.findByPk(req.session.personId);
    if (person && !person.disabled) {
      if (person.mustChange && !req.path.startsWith("/v1/session") && !req.path.startsWith("/v1/health"))
        throw new AppError("PASSWORD_MUST_CHANGE", "choose a password of your own first");
      actors.set(req, { name: person.name, may: person.role === "reader" ? "read" : "act" });
    }
  }
  next();
}
