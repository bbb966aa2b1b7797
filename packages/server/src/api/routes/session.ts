import { NewPassword, Session, SignIn } from "@halvik/core/contract";
import { z } from "zod";
import { hashPassword, passwordMatches } from "../../access/passwords.js";
import { audit, checkSignIn } from "../../access/people.js";
import { Person } from "../../store/models.js";
import type { Deps } from "../deps.js";
import { AppError } from "../errors.js";
import { route } from "../route.js";

declare module "express-session" {
  interface SessionData {
    personId: number;
  }
}

const Nothing = z.object({});

export const sessionRoutes = ({ config }: Deps) => {
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
        const person = await checkSignIn(body.name, body.password);
        if (!person) {
          await audit(body.name, "sign-in refused", { address: req.ip ?? "" });
          throw new AppError("SIGN_IN_REFUSED", "name or password is wrong");
        }
        // a fresh session id, so that one planted before the sign-in is worth nothing
        await new Promise<void>((resolve, reject) => req.session.regenerate((e) => (e ? reject(e) : resolve())));
        req.session.personId = person.id;
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
        const person = req.session.personId === undefined ? null : await Person.findByPk(req.session.personId);
        if (!person || person.disabled) throw new AppError("SIGN_IN_NEEDED", "nobody is signed in");
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
        const person = req.session.personId === undefined ? null : await Person.findByPk(req.session.personId);
        if (!person || person.disabled) throw new AppError("SIGN_IN_NEEDED", "sign in first");
        if (await passwordMatches(person.passwordHash, body.password))
          throw new AppError("BAD_REQUEST", "password: expected a new one, got the one-time password", {
            field: "password",
          });
        await person.update({ passwordHash: await hashPassword(body.password), mustChange: false });
        await audit(person.name, "password changed");
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
