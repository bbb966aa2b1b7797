import { existsSync } from "node:fs";
import { hostname } from "node:os";
import { join } from "node:path";
import { canonicalAddress } from "@halvik/core/base/net";
import connectPgSimple from "connect-pg-simple";
import express, { type Express, type NextFunction, type Request, type Response } from "express";
import rateLimit, { type Options as RateLimitOptions } from "express-rate-limit";
import session, { type SessionData, type Store } from "express-session";
import helmet from "helmet";
import type { Logger } from "pino";
import * as z from "zod";
import { aroundRoutes } from "../../domains/around/routes.js";
import { arrivalRoutes } from "../../domains/arrival/routes.js";
import { boardRoutes } from "../../domains/boards/routes.js";
import { actorOfWall } from "../../domains/boards/walls-repository.js";
import { capacityRoutes } from "../../domains/capacity/routes.js";
import { contrastRoutes } from "../../domains/contrast/routes.js";
import { formatHistoryRoutes } from "../../domains/formats/history/routes.js";
import { formatRoutes } from "../../domains/formats/routes.js";
import { forwardRoutes } from "../../domains/forwarding/routes.js";
import { statusRoutes } from "../../domains/health/routes.js";
import { incidentRoutes } from "../../domains/incidents/routes.js";
import { endpointRoutes } from "../../domains/intake/endpoints/routes.js";
import { importRoutes } from "../../domains/intake/imports/routes.js";
import { quarantineRoutes } from "../../domains/intake/quarantine/routes.js";
import { senderRoutes } from "../../domains/intake/senders/routes.js";
import { streamRoutes } from "../../domains/intake/streams/routes.js";
import { waitingRoutes } from "../../domains/intake/waiting/routes.js";
import { listRoutes } from "../../domains/lists/routes.js";
import { loadRoutes } from "../../domains/load/routes.js";
import { nameRoutes } from "../../domains/names/routes.js";
import { notifyRoutes } from "../../domains/notifications/routes.js";
import { notifySettingsRoutes } from "../../domains/notifications/settings-routes.js";
import { KeptOverview } from "../../domains/overview/kept-overview.js";
import { overviewRoutes } from "../../domains/overview/routes.js";
import { questionRoutes } from "../../domains/papers/question-routes.js";
import { paperRoutes } from "../../domains/papers/routes.js";
import { actorOfToken } from "../../domains/people/repository.js";
import { sessionRoutes } from "../../domains/people/routes.js";
import { personOf, SESSION_IDLE_MS } from "../../domains/people/sessions.js";
import { portraitRoutes } from "../../domains/portrait/routes.js";
import { filterHelpRoutes } from "../../domains/records/help-routes.js";
import { recordRoutes } from "../../domains/records/routes.js";
import { filterRoutes } from "../../domains/records/saved-filters/routes.js";
import { seenRoutes } from "../../domains/records/seen-routes.js";
import { measureRoutes } from "../../domains/reports/measure-routes.js";
import { reportRoutes } from "../../domains/reports/routes.js";
import { ruleRoutes } from "../../domains/rules/routes.js";
import { shapeRoutes } from "../../domains/shapes/routes.js";
import { traceRoutes } from "../../domains/trace/routes.js";
import { trafficRoutes } from "../../domains/traffic/routes.js";
import type { Actor } from "../../kernel/actor.js";
import { nowUs } from "../../kernel/clock.js";
import type { Config } from "../../kernel/config/config.js";
import type { Person } from "../../kernel/db/models.js";
import type { Pool } from "../../kernel/db/pool.js";
import { AppError, errorHandler } from "../../kernel/http/errors.js";
import { openApi } from "../../kernel/http/openapi.js";
import { bind, route } from "../../kernel/http/route.js";
import type { Deps } from "./deps.js";

const actors = new WeakMap<Request, Actor>();

/** The web interface and API as an Express app; it neither listens nor reads the environment. */
export function createApp(deps: Deps, sessionSecret: string, webRoot: string, log: Logger): Express {
  const app = express();
  app.disable("x-powered-by");
  app.set("trust proxy", deps.config.HALVIK_TRUSTED_PROXIES);
  app.use(refuseStrangeHosts(deps.config));
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
  app.use("/api", refuseCrossSite, (_req, res, next) => {
    res.setHeader("cache-control", "no-store");
    next();
  });
  // by address before anything is read, by account after; signing out is never refused
  app.post("/api/v1/session", limited(60_000, 20, "too many sign-ins from this address; wait a minute"));
  app.post("/api/v1/session/password", limited(60_000, 20, "too many changes from this address; wait a minute"));
  app.use("/api", express.json({ limit: "1mb" }));
  app.post(
    "/api/v1/session",
    limited(15 * 60_000, 10, "too many wrong passwords for this account; wait a quarter of an hour, or have it reset", {
      keyGenerator: (req) =>
        `account ${String((req.body as { name?: unknown })?.name)
          .toLowerCase()
          .slice(0, 120)}`,
      skipSuccessfulRequests: true,
    }),
  );
  const PgStore = connectPgSimple(session);
  const sessions = new PgStore({
    pool: deps.db,
    tableName: "session",
    pruneSessionInterval: 900,
    errorLog: () => undefined,
  });
  app.use(
    "/api",
    session({
      name: "halvik",
      secret: sessionSecret,
      resave: false,
      saveUninitialized: false,
      rolling: true,
      cookie: {
        httpOnly: true,
        sameSite: "strict",
        secure: deps.config.HALVIK_SECURE_COOKIES || "auto",
        maxAge: SESSION_IDLE_MS,
      },
      store: sessions,
    }),
  );
  app.use("/api", identify(deps.db));

  const nights = new KeptOverview(deps);
  const routes = [
    ...sessionRoutes(deps),
    ...statusRoutes(deps),
    // before the records by their ids
    ...shapeRoutes(deps),
    ...filterHelpRoutes(deps),
    ...recordRoutes(deps),
    ...aroundRoutes(deps),
    ...contrastRoutes(deps),
    ...seenRoutes(deps),
    ...overviewRoutes({ ...deps, nights }),
    ...filterRoutes(deps),
    ...incidentRoutes(deps),
    ...ruleRoutes(deps),
    ...reportRoutes(deps),
    ...measureRoutes(deps),
    ...boardRoutes({ ...deps, nights }),
    ...paperRoutes(deps),
    ...questionRoutes(deps),
    ...listRoutes(deps),
    ...loadRoutes(deps),
    ...trafficRoutes(deps),
    ...portraitRoutes(deps),
    ...notifyRoutes(deps),
    ...notifySettingsRoutes(deps),
    ...senderRoutes(deps),
    ...waitingRoutes(deps),
    ...arrivalRoutes(deps),
    ...formatRoutes(deps),
    ...formatHistoryRoutes(deps),
    ...forwardRoutes(deps),
    ...traceRoutes(deps),
    ...endpointRoutes(deps),
    ...nameRoutes(deps),
    ...importRoutes(deps),
    ...quarantineRoutes(deps),
    ...streamRoutes(deps),
    ...capacityRoutes(deps),
  ];
  // made when it is asked for, which is seldom: it takes longer than all else here
  let description: object | undefined;
  const document = route({
    method: "get",
    path: "/openapi.json",
    summary: "This description",
    access: "open",
    answer: z.record(z.string(), z.unknown()),
    handle: async () => {
      description ??= openApi([...routes, document], deps.version);
      return description;
    },
  });
  app.use(
    "/api/v1",
    bind(
      [...routes, document],
      (req) => actors.get(req) ?? null,
      mayStill(deps.db, sessions),
      deps.config.HALVIK_CHECK_ANSWERS,
    ),
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

/**
 * A name that is none of ours in the Host header: a page of elsewhere whose name was made to lead here. Addresses are taken as they
 * are, since no page has one for a name it could point anywhere.
 */
function refuseStrangeHosts(config: Config): (req: Request, res: Response, next: NextFunction) => void {
  const publicHost = config.HALVIK_PUBLIC_URL === "" ? [] : [new URL(config.HALVIK_PUBLIC_URL).hostname.toLowerCase()];
  const ours = new Set([
    "localhost",
    hostname().toLowerCase(),
    config.HALVIK_HTTP_HOST.toLowerCase(),
    ...publicHost,
    ...config.HALVIK_ALLOWED_HOSTS,
  ]);
  return (req, _res, next) => {
    const name = nameOfHost(req.headers.host ?? "");
    if (name === null || !(ours.has(name) || name.endsWith(".localhost") || canonicalAddress(name) !== null))
      throw new AppError(
        "BAD_REQUEST",
        `Halvik does not go by the name “${(name ?? "").slice(0, 100)}”: reach it by its address, or name it in HALVIK_ALLOWED_HOSTS`,
      );
    next();
  };
}

/** The name of a Host header (RFC 9110 section 7.2), without port and brackets; null: none. */
function nameOfHost(header: string): string | null {
  const m = /^(?:\[([0-9a-f:.]+)\]|([^:[\]/?#@\s]+))(?::\d{1,5})?$/i.exec(header);
  return m === null ? null : (m[1] ?? m[2]!).toLowerCase();
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
const identify =
  (db: Pool) =>
  async (req: Request, _res: Response, next: NextFunction): Promise<void> => {
    const header = req.headers.authorization;
    const person = header === undefined ? await personOf(req.session) : null;
    if (person?.mustChange && !req.path.startsWith("/v1/session") && !req.path.startsWith("/v1/health"))
      throw new AppError("PASSWORD_MUST_CHANGE", "choose a password of your own first");
    const actor = person === null ? await actorOfHeader(db, header) : actorOfPerson(person);
    if (header !== undefined && actor === null)
      throw new AppError("SIGN_IN_REFUSED", "the token is not known or was revoked");
    if (actor !== null) actors.set(req, actor);
    next();
  };

const actorOfPerson = (person: Person): Actor => ({
  name: person.name,
  may: person.role === "reader" ? "read" : "act",
});

async function actorOfHeader(db: Pool, header: string | undefined): Promise<Actor | null> {
  const token = header === undefined ? undefined : /^Bearer (\S+)$/.exec(header)?.[1];
  if (token === undefined) return null;
  return token.startsWith("hw_") ? actorOfWall(db, token, nowUs()) : actorOfToken(token);
}

/** Whether who asked may still read: the token or session as it stands now, not as it stood when the answer began. */
const mayStill =
  (db: Pool, sessions: Store) =>
  async (req: Request): Promise<boolean> => {
    if (req.headers.authorization !== undefined) return (await actorOfHeader(db, req.headers.authorization)) !== null;
    const kept = await new Promise<SessionData | null>((resolve, reject) =>
      sessions.get(req.sessionID, (e, found) => (e ? reject(e) : resolve(found ?? null))),
    );
    return kept !== null && (await personOf(kept)) !== null;
  };

const limited = (windowMs: number, limit: number, message: string, more: Partial<RateLimitOptions> = {}) =>
  rateLimit({
    windowMs,
    limit,
    standardHeaders: true,
    legacyHeaders: false,
    handler: (_req, _res, next) => next(new AppError("TOO_MANY_REQUESTS", message)),
    ...more,
  });
