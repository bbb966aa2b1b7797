import { US_PER_SECOND } from "@halvik/core/time";
import { type Device, deviceNamed } from "./devices.js";
import { acceptedLogon, linkChange, onBattery, refusedLogon, type Said, suRefused } from "./messages.js";
import type { Random } from "./random.js";

/** A message of a story: who says it, how long after the story's beginning. */
export interface Beat {
  readonly device: Device;
  readonly afterUs: number;
  readonly said: Said;
}

const GUESSED = ["admin", "root", "test", "oracle", "backup", "k.lind", "r.moe", "p.berg", "a.solli"] as const;
const ATTACKERS = ["203.0.113.9", "203.0.113.66", "198.51.100.200", "192.0.2.151"] as const;

/** Someone outside guesses passwords at the VPN; now and then one fits. */
const guessing = (r: Random): Beat[] => {
  const from = r.pick(ATTACKERS);
  const vpn = deviceNamed("vpn-1");
  const tries = r.int(14, 46);
  const beats: Beat[] = [];
  let at = 0;
  for (let i = 0; i < tries; i++) {
    at += r.int(400, 4_000) * 1_000;
    beats.push({ device: vpn, afterUs: at, said: refusedLogon(r, from, r.pick(GUESSED)) });
  }
  if (r.chance(0.15))
    beats.push({ device: vpn, afterUs: at + 33 * US_PER_SECOND, said: acceptedLogon(r, from, "k.lind") });
  return beats;
};
/** A port goes down and up again and again. */
const flapping = (r: Random): Beat[] => {
  const device = deviceNamed(r.pick(["sw-hestnes-2", "sw-lysgrund-1", "sw-brisling"]));
  const port = `ge0/${r.pick([7, 12, 24])}`;
  const beats: Beat[] = [];
  let at = 0;
  for (let i = r.int(4, 9); i > 0; i--) {
    at += r.int(4, 22) * US_PER_SECOND;
    beats.push({ device, afterUs: at, said: linkChange(port, false) });
    at += r.int(2, 9) * US_PER_SECOND;
    beats.push({ device, afterUs: at, said: linkChange(port, true) });
  }
  return beats;
};
/** Power fails at Torvika. */
const power = (r: Random): Beat[] => {
  const beats: Beat[] = [];
  for (let i = 0, left = r.int(36, 44); i < 6; i++, left -= 2)
    beats.push({ device: deviceNamed("ups-torvika"), afterUs: i * 30 * US_PER_SECOND, said: onBattery(left) });
  return beats;
};
/** Somebody tries to become root. */
const su = (r: Random): Beat[] =>
  Array.from({ length: r.int(1, 3) }, (_, i) => ({
    device: deviceNamed(r.pick(["files-1", "gate-hestnes", "gate-torvika"])),
    afterUs: i * 7 * US_PER_SECOND,
    said: suRefused(r, r.pick(["t.vik", "s.dahl"])),
  }));

/** What the rules should find, in the order in which it happens over and over. */
export const STORIES: readonly ((r: Random) => Beat[])[] = [guessing, flapping, power, guessing, su, flapping];
