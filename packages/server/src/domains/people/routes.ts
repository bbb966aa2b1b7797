import { NewPassword, Session, SignIn } from "@halvik/contract/status";
import type { Request } from "express";
import * as z from "zod";
import { nowUs } from "../../kernel/clock.js";
import type { Config } from "../../kernel/config/config.js";
import type { Models, Person } from "../../kernel/db/models.js";
import { inAct } from "../../kernel/db/unit-of-work.js";
import { AppError } from "../../kernel/http/errors.js";
import { route } from "../../kernel/http/route.js";
import { passwordTrouble } from "./password-rules.js";
import { passwordMatches } from "./passwords.js";
import { audit, checkSignIn, setPassword } from "./repository.js";
import { personOf } from "./sessions.js";

/** A session of this person, under a fresh id: one planted before is worth nothing. */
async function begin(req: Request, person: Person): Promise<void> {
  await new Promise<void>((resolve, reject) => req.session.regenerate((e) => (e ? reject(e) : resolve())));
  Object.assign(req.session, { personId: person.id, epoch: person.sessionEpoch, begunUs: nowUs() });
}

const Nothing = z.object({});

/** What these routes work with. */
interface Needs {
  readonly models: Models;
  readonly config: Config;
}

export const sessionRoutes = ({ models, config }: Needs) => {
  const view = (person: Person): z.infer<typeof Session> => ({
    name: person.name,
    display: person.display,
    role: person.role,
    mustChange: person.mustChange,
    zone: config.HALVIK_ZONE,
  });
  return [
    route({
      method: "post",
      path: "/session",
      summary: "Signs in: sets a session cookie",
      access: "open",
      body: SignIn,
      answer: Session,
      handle: async ({ body, req }) => {
        if (config.HALVIK_SECURE_COOKIES && !req.secure)
          throw new AppError(
            "BAD_REQUEST",
            "signing in needs HTTPS here: use the https address; a proxy must be one of HALVIK_TRUSTED_PROXIES and send X-Forwarded-Proto",
          );
        const person = await checkSignIn(body.name, body.password);
        if (!person) {
          await audit(body.name, "sign-in refused", { address: req.ip ?? "" });
          throw new AppError("SIGN_IN_REFUSED", "name or password is wrong");
        }
        await begin(req, person);
        await audit(person.name, "signed in", { address: req.ip ?? "" });
        return view(person);
      },
    }),
    route({
      method: "get",
      path: "/session",
      summary: "Who is signed in",
      access: "open",
      answer: Session,
      handle: async ({ req }) => {
        const person = await personOf(req.session);
        if (!person) throw new AppError("SIGN_IN_NEEDED", "nobody is signed in");
        return view(person);
      },
    }),
    route({
      method: "post",
      path: "/session/password",
      summary: "Sets an own password",
      access: "open",
      body: NewPassword,
      answer: Session,
      handle: async ({ body, req }) => {
        const person = await personOf(req.session);
        if (!person) throw new AppError("SIGN_IN_NEEDED", "sign in first");
        if (!(await passwordMatches(person.passwordHash, body.current))) {
          await audit(person.name, "password change refused", { address: req.ip ?? "" });
          throw new AppError("BAD_REQUEST", "current: this is not the password that holds now", { field: "current" });
        }
        if (body.password === body.current)
          throw new AppError("BAD_REQUEST", "password: expected a new one, got the one that holds now", {
            field: "password",
          });
        const trouble = await passwordTrouble(body.password, [person.name, person.display]);
        if (trouble !== null) throw new AppError("BAD_REQUEST", `password: ${trouble}`, { field: "password" });
        await inAct(models, person.name, async (act) => {
          await setPassword(person, body.password, act.options);
          await act.audit("password changed");
        });
        await begin(req, person);
        return view(person);
      },
    }),
    route({
      method: "delete",
      path: "/session",
      summary: "Signs out",
      access: "open",
      answer: Nothing,
      handle: async ({ req }) => {
        await new Promise<void>((resolve) => req.session.destroy(() => resolve()));
        return {};
      },
    }),
  ];
};
