import { createHash, randomBytes } from "node:crypto";
import { hash, verify } from "@node-rs/argon2";

// OWASP password storage cheat sheet: argon2id, 19 MiB, 2 passes (from memory)
const ARGON = { memoryCost: 19_456, timeCost: 2, parallelism: 1 } as const;

export const hashPassword = (password: string): Promise<string> => hash(password, ARGON);

export async function passwordMatches(stored: string, password: string): Promise<boolean> {
  return verify(stored, password).catch(() => false);
}

/** A password to be used once, easy to copy by eye: four groups of five letters and digits without look-alikes. */
export function oneTimePassword(): string {
  const letters = "abcdefghjkmnpqrstuvwxyz23456789";
  const chars = [...randomBytes(20)].map((b) => letters[b % letters.length]!);
  return [0, 5, 10, 15].map((i) => chars.slice(i, i + 5).join("")).join("-");
}

/** A new token and what is kept of it. @param kind what it begins with: `hv` of the API, `hw` of a screen on the wall */
export function makeToken(kind: "hv" | "hw" = "hv"): { token: string; hash: string } {
  const token = `${kind}_${randomBytes(32).toString("base64url")}`;
  return { token, hash: hashToken(token) };
}

// a token is 256 random bits: a plain hash cannot be guessed back
export const hashToken = (token: string): string => createHash("sha256").update(token).digest("hex");
