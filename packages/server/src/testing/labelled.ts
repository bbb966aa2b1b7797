import { US_PER_MINUTE } from "@halvik/core/base/time";
import { type Episode, findingTitle, LATENESS_US, RuleEngine, shippedRules } from "@halvik/core/detect";
import { plantedStories } from "@halvik/simulator";
import { DemoRecords } from "./demo-records.js";

/** Rules any of which finds a story of the demo; stories that are no trouble have none. */
const FINDS: Readonly<Record<string, readonly string[]>> = {
  guessing: ["refused-logons"],
  flapping: ["interface-flapping"],
  intrusion: ["guessed-then-in"],
  power: ["on-battery"],
  chatty: ["message-storm"],
  outage: ["uplink-down"],
  su: ["privilege-refused"],
};
const STORY_US = 40 * US_PER_MINUTE;

export interface Labelled {
  readonly records: number;
  readonly planted: number;
  /** Stories that no rule of theirs found. */
  readonly missed: readonly string[];
  /** Findings that belong to no story. */
  readonly outside: readonly string[];
  readonly findings: number;
}

/** Runs the shipped rules over days of the demo with planted stories, and holds what they found against what was planted. */
export function labelledHistory(seed: number, days: number, storyEveryMinutes: number): Labelled {
  const first = 29_300_000;
  const last = first + days * 1_440;
  const demo = new DemoRecords({ seed, storyEveryMinutes, rate: 1 });
  const engine = new RuleEngine(shippedRules(), demo.directory, { zone: "UTC" });
  const names = new Map(shippedRules().map((r) => [r.id, r]));
  const found: { rule: string; key: string; episode: Episode }[] = [];
  let records = 0;
  const step = (minute: number, batch: ReturnType<DemoRecords["minute"]>) => {
    const { episodes } = engine.step("live", batch, minute * US_PER_MINUTE - LATENESS_US);
    for (const e of episodes) if (e.final) found.push({ rule: e.ruleId, key: e.key, episode: e.episode });
  };
  for (let minute = first; minute < last; minute++) {
    const batch = demo.minute(minute);
    records += batch.length;
    step(minute + 1, batch);
  }
  step(last + 1_440, []);
  for (const { ruleId, key, episode } of engine.standing("live")) found.push({ rule: ruleId, key, episode });
  const stories = plantedStories(last * US_PER_MINUTE, days, storyEveryMinutes);
  const within = (episode: Episode, atUs: number) =>
    episode.lastUs >= atUs - US_PER_MINUTE && episode.firstUs <= atUs + STORY_US;
  const shown = found.filter((f) => !names.get(f.rule)!.listenOnly);
  return {
    records,
    planted: stories.filter((s) => FINDS[s.name]).length,
    missed: stories
      .filter((s) => FINDS[s.name] && !shown.some((f) => FINDS[s.name]!.includes(f.rule) && within(f.episode, s.atUs)))
      .map((s) => `${s.name} at ${new Date(s.atUs / 1_000).toISOString()}`),
    outside: shown
      .filter((f) => !stories.some((s) => within(f.episode, s.atUs)))
      .map(
        ({ rule, key, episode }) => `${rule}: ${findingTitle(names.get(rule)!, { ...episode, key }, demo.directory)}`,
      ),
    findings: shown.length,
  };
}
