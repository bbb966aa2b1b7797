import type { ZxcvbnFactory } from "@zxcvbn-ts/core";

export const MIN_PASSWORD = 12;
/** What is looked at of a long one: estimating costs more than it is worth beyond. */
const LOOKED_AT = 64;
/** 0 and 1 of 0 to 4: found among the first 10^6 guesses. */
const GUESSED = 1;

let guesser: ZxcvbnFactory | null = null;

/** Its dictionaries are read when the first password is chosen, not at every start. */
async function makeGuesser(): Promise<ZxcvbnFactory> {
  const { ZxcvbnFactory, adjacencyGraphs, dictionary } = await import("./guessing.js");
  return new ZxcvbnFactory({ dictionary, graphs: adjacencyGraphs });
}

/**
 * Why a password will not do, or null. Length and common ones, as ASVS 5 section 6.2 asks; no rules about kinds of characters.
 * @param own what is easily guessed of the person: names
 */
export async function passwordTrouble(password: string, own: readonly string[]): Promise<string | null> {
  if (password.length < MIN_PASSWORD) return `expected at least ${MIN_PASSWORD} characters`;
  guesser ??= await makeGuesser();
  const { score } = guesser.check(password.slice(0, LOOKED_AT), [...own, "halvik"]);
  return score <= GUESSED ? "it is among the first that would be tried: choose several words that are no phrase" : null;
}
