import type * as z from "zod";
import { US_PER_DAY, US_PER_HOUR, US_PER_MINUTE } from "../base/time/index.js";
import {
  aboutOf,
  type Episode,
  LATENESS_US,
  Rule,
  RuleEngine,
  shippedRules,
  subjectsOf,
  suspectsOf,
} from "../detect/index.js";
import { decision, letIn, notified, refused, says, windows } from "../detect/rules/samples.js";
import { recordsOf } from "../detect/sample-records.js";
import { SampleRecord } from "../detect/schema/samples.js";
import { entityCode, OwnNames, readEntity } from "../model/entity/index.js";
import type { HalvikRecord } from "../model/record/index.js";
import { newSender, type Sender, SenderDirectory } from "../model/senders/index.js";
import {
  type Heard,
  type JoinableIncident,
  type JoinContext,
  placeFinding,
  Things,
  troubleOf,
} from "../respond/incidents/index.js";
import { randomFrom } from "./random.js";

/**
 * Labelled histories: a week of ordinary records, then stories that go on at the same time and share users, hosts and attackers by chance.
 * Everything is invented and drawn from a seed; nothing is known of how findings are joined.
 */

const T0 = 20_600 * US_PER_DAY;
const WEEK_S = 7 * 86_400;
const STORIES_WITHIN_S = 3_600;

type SampleInput = z.input<typeof SampleRecord>;

interface World {
  readonly random: () => number;
  readonly pick: <T>(of: readonly T[]) => T;
  readonly between: (low: number, high: number) => number;
  readonly users: readonly string[];
  readonly servers: readonly string[];
  readonly switches: readonly string[];
  readonly routers: readonly string[];
  readonly firewalls: readonly string[];
  readonly gateways: readonly string[];
  readonly dcs: readonly string[];
  /** Addresses that have knocked everywhere all week. */
  readonly scanners: readonly string[];
  /** An address to attack from: one of the scanners now and then. */
  readonly attacker: () => string;
  /** A name for an account that was not there before. */
  readonly account: () => string;
}

const names = (prefix: string, n: number): string[] => Array.from({ length: n }, (_, i) => `${prefix}-${i + 1}`);

function worldOf(seed: number): World {
  const random = randomFrom(seed);
  const pick = <T>(of: readonly T[]): T => of[Math.floor(random() * of.length)]!;
  const between = (low: number, high: number) => low + Math.floor(random() * (high - low + 1));
  const scanners = ["198.51.100.66", "198.51.100.200"];
  let fresh = 0;
  let accounts = 0;
  return {
    random,
    pick,
    between,
    users: [
      "k.lind",
      "r.moe",
      "a.solli",
      "p.berg",
      "s.dahl",
      "t.vik",
      "jo.nes",
      "m.holm",
      "e.strand",
      "l.haug",
      "i.bakke",
      "o.lien",
    ],
    servers: names("files", 4).concat(names("app", 6)),
    switches: names("sw", 14),
    routers: names("rt", 4),
    firewalls: names("fw", 2),
    gateways: names("vpn", 2),
    dcs: names("dc", 2),
    scanners,
    account: () => `svc-${10 + accounts++}`,
    attacker: () => (random() < 0.15 ? pick(scanners) : `203.0.113.${1 + (fresh++ % 250)}`),
  };
}

type Tale = (w: World) => SampleInput[];

/** Samples in their own seconds; the story is moved to where it begins. */
const STORIES: Readonly<Record<string, Tale>> = {
  "guessed, let in, and on": (w) => {
    const [from, user, vpn, dc, server] = [
      w.attacker(),
      w.pick(w.users),
      w.pick(w.gateways),
      w.pick(w.dcs),
      w.pick(w.servers),
    ];
    const inside = `10.20.9.${w.between(2, 250)}`;
    const onward = w.between(60, 900);
    const made = w.account();
    return [
      refused({ at: 0, times: w.between(10, 40), every: 5 }, from, user, vpn),
      letIn(260, from, user, vpn),
      windows(260 + onward, 4624, { TargetUserName: user, LogonType: "3", IpAddress: inside }, dc),
      windows(290 + onward, 4720, { SubjectUserName: user, TargetUserName: made }, dc),
      windows(
        300 + onward,
        4732,
        {
          SubjectUserName: user,
          TargetUserName: "Administrators",
          MemberName: `CN=${made},CN=Users,DC=orvane,DC=example`,
        },
        dc,
      ),
      windows(330 + onward, 4624, { TargetUserName: made, LogonType: "3", IpAddress: inside }, server),
      windows(
        340 + onward,
        4697,
        { SubjectUserName: made, ServiceName: "upd", ServiceFileName: "C:\\Users\\Public\\u.exe" },
        server,
      ),
    ];
  },
  "guessed, let in, and an account made on Linux": (w) => {
    const [from, user, server, next] = [w.attacker(), w.pick(w.users), w.pick(w.servers), w.pick(w.servers)];
    const onward = w.between(20, 900);
    const made = w.account();
    // of Linux the records do not say who made it
    return [
      refused({ at: 0, times: w.between(10, 40), every: 5 }, from, user, server),
      letIn(260, from, user, server),
      says(260 + onward, `<86>useradd[81]: new user: name=${made}, UID=1007, GID=1007, home=/home/${made}`, server),
      says(265 + onward, `<86>usermod[82]: add '${made}' to group 'sudo'`, server),
      letIn(330 + onward, `10.20.9.${w.between(2, 250)}`, made, next),
    ];
  },
  "a new colleague gets an account": (w) => {
    const [server, made] = [w.pick(w.servers), w.account()];
    return [
      says(0, `<86>useradd[91]: new user: name=${made}, UID=1008, GID=1008, home=/home/${made}`, server),
      says(w.between(5, 60), `<86>usermod[92]: add '${made}' to group 'sudo'`, server),
      letIn(w.between(90, 1_200), "10.20.3.77", made, server),
    ];
  },
  "many accounts tried": (w) => {
    const [from, vpn] = [w.attacker(), w.pick(w.gateways)];
    return Array.from({ length: 12 }, (_, i) => refused(i * 20, from, i % 3 === 0 ? w.pick(w.users) : `test${i}`, vpn));
  },
  "one account from many addresses": (w) => {
    const [user, vpn] = [w.pick(w.users), w.pick(w.gateways)];
    return Array.from({ length: 7 }, (_, i) => refused(i * 40, `192.0.2.${w.between(1, 250)}`, user, vpn));
  },
  "special rights refused": (w) => {
    const [user, server] = [w.pick(w.users), w.pick(w.servers)];
    return [
      says({ at: 0, times: w.between(3, 6), every: 30 }, `<34>su: 'su root' failed for ${user} on /dev/pts/1`, server),
    ];
  },
  "ports scanned": (w) => {
    const [from, fw] = [w.attacker(), w.pick(w.firewalls)];
    return Array.from({ length: 60 }, (_, i) => decision(i, "deny", from, "192.0.2.10", 20 + i, fw));
  },
  "a log cleared and the policy changed": (w) => {
    const [user, dc] = [w.pick(w.users), w.pick(w.dcs)];
    return [
      windows(0, 4719, { SubjectUserName: user }, dc),
      windows(w.between(20, 400), 1102, { SubjectUserName: user }, dc),
    ];
  },
  "an uplink down, neighbours lost": (w) => {
    const router = w.pick(w.routers);
    const port = `te1/${w.between(1, 30)}`;
    const peer = `10.0.0.${w.between(2, 9)}`;
    return [
      says(0, `<187>Interface ${port}, changed state to down`, router),
      says(3, `<188>ospf: adjacency with ${peer} went from full to down`, router),
      says(1_500, `<189>ospf: adjacency with ${peer} went from loading to full`, router),
      says(1_500, `<189>Interface ${port}, changed state to up`, router),
    ];
  },
  "a port that flaps": (w) => {
    const sw = w.pick(w.switches);
    const port = `ge0/${w.between(1, 24)}`;
    return [
      says({ at: 0, times: 8, every: 20 }, `<187>Interface ${port}, changed state to down`, sw),
      says({ at: 8, times: 8, every: 20 }, `<189>Interface ${port}, changed state to up`, sw),
    ];
  },
  "a disk that fails, and what runs on it": (w) => {
    const server = w.pick(w.servers);
    return [
      says({ at: 0, times: 5, every: 40 }, "<2>kernel: blk_update_request: I/O error, dev sda, sector 2048", server),
      says(240, "<11>systemd[1]: Failed to write: No space left on device", server),
    ];
  },
  battery: (w) => [
    notified(0, "1.3.6.1.2.1.33.2.1", { category: "system health", outcome: "failure" }, w.pick(w.switches)),
  ],
  "asked with a wrong community": (w) => [
    {
      at: 0,
      times: w.between(5, 9),
      every: 60,
      sender: w.pick(w.switches),
      fields: { kind: "snmp", event: "1.3.6.1.6.3.1.1.5.5" },
    },
  ],
  "accounts locked": (w) => {
    const dc = w.pick(w.dcs);
    return Array.from({ length: 6 }, (_, i) =>
      windows(i * 30, 4740, { TargetUserName: w.pick(w.users), SubjectUserName: `${dc}$` }, dc),
    );
  },
};

/** A week in which people log on where they work, scanners knock, and nothing is wrong. */
function ordinary(w: World): SampleInput[] {
  const out: SampleInput[] = [];
  for (const user of w.users) {
    // some people work at two places, some everywhere
    const places = [...w.servers, ...w.dcs].filter(() => w.random() < (w.random() < 0.5 ? 0.15 : 0.6)).slice(0, 8);
    const from = `10.20.3.${w.between(2, 250)}`;
    for (let day = 0; day < 7; day++)
      for (const place of places)
        out.push(
          w.dcs.includes(place)
            ? windows(
                day * 86_400 + 28_800 + w.between(0, 30_000),
                4624,
                { TargetUserName: user, LogonType: "3", IpAddress: from },
                place,
              )
            : letIn(day * 86_400 + 28_800 + w.between(0, 30_000), from, user, place),
        );
    if (w.random() < 0.6) out.push(letIn(w.between(0, 600_000), "10.20.8.4", user, w.pick(w.gateways)));
  }
  for (const scanner of w.scanners)
    for (const at of [...w.firewalls, ...w.gateways, ...w.routers.slice(0, 2)])
      out.push({ ...decision(w.between(0, 600_000), "deny", scanner, "192.0.2.9", 23, at) });
  // what anybody may reach is named wherever traffic passes
  for (const at of [...w.firewalls, ...w.routers.slice(0, 2)])
    out.push(
      decision(
        { at: w.between(0, 3_600), times: 20, every: 21_600 },
        "accept",
        `192.0.2.${w.between(100, 200)}`,
        "192.0.2.10",
        443,
        at,
      ),
    );
  for (const sender of [...w.switches, ...w.routers, ...w.servers])
    out.push(says({ at: w.between(0, 3_600), times: 7, every: 86_400 }, "<190>mark: still here", sender));
  return out;
}

export interface LabelledFinding {
  readonly rule: string;
  /** Of which story; null: of none. */
  readonly story: number | null;
  /** The incident it was put into, or the one that explains that. */
  readonly group: number;
  /** Why it was put there; empty: it began it. */
  readonly reason: string;
  readonly key: string;
  readonly episode: Episode;
}

/** Findings of simultaneous stories, with the incident each was put into. */
export function joinStories(
  seed: number,
  stories = 14,
): { findings: LabelledFinding[]; kinds: string[]; records: readonly HalvikRecord[]; directory: SenderDirectory } {
  const w = worldOf(seed);
  const senders: Sender[] = [];
  const idOf = (name: string): number => {
    const known = senders.find((s) => s.name === name);
    if (known) return known.id;
    senders.push(newSender(senders.length + 1, name));
    return senders.length;
  };
  for (const n of [...w.servers, ...w.switches, ...w.routers, ...w.firewalls, ...w.gateways, ...w.dcs]) idOf(n);
  const parsed = (samples: SampleInput[]) => samples.map((s) => SampleRecord.parse(s));
  const kinds: string[] = [];
  const labelled: { record: HalvikRecord; story: number | null }[] = recordsOf(parsed(ordinary(w)), T0, idOf).map(
    (record) => ({ record, story: null }),
  );
  for (let story = 0; story < stories; story++) {
    // every kind once, then any again
    const left = Object.keys(STORIES).filter((k) => !kinds.includes(k));
    const kind = w.pick(left.length > 0 ? left : Object.keys(STORIES));
    kinds.push(kind);
    const beginUs = T0 + (WEEK_S + w.between(0, STORIES_WITHIN_S)) * 1e6;
    for (const record of recordsOf(parsed(STORIES[kind]!(w)), beginUs, idOf)) labelled.push({ record, story });
  }
  labelled.sort((a, b) => a.record.timeUs - b.record.timeUs);
  const storyOf = new Map<string, number | null>();
  const records = labelled.map(({ record, story }, i) => {
    const id = String(i + 1);
    storyOf.set(id, story);
    return { ...record, id };
  });
  const directory = new SenderDirectory(senders);
  return { findings: place(records, storyOf, directory), kinds, records, directory };
}

interface Kept extends JoinableIncident {
  /** Records listed as evidence, by finding. */
  readonly findings: ReadonlyMap<string, readonly string[]>;
}

const coveredPart = (ids: readonly string[], findings: Kept["findings"]): number => {
  const all = [...new Set([...findings.values()].flat())];
  return all.length === 0 ? 0 : all.filter((id) => ids.includes(id)).length / all.length;
};
const sharedPart = (ids: readonly string[], findings: Kept["findings"]): number =>
  Math.max(
    0,
    ...[...findings.values()].map(
      (other) => ids.filter((id) => other.includes(id)).length / Math.min(ids.length, other.length),
    ),
  );

function place(
  records: readonly HalvikRecord[],
  storyOf: ReadonlyMap<string, number | null>,
  directory: SenderDirectory,
): LabelledFinding[] {
  const rules = new Map(
    shippedRules()
      .map((r) => Rule.parse(r))
      .map((r) => [r.id, r]),
  );
  const engine = new RuleEngine([...rules.values()], directory, { zone: "UTC" });
  const nameOf = (id: number) => directory.name(id);
  const ours = new OwnNames();
  const weekUs = T0 + WEEK_S * 1e6;
  const named = new Map<string, Set<number>>();
  const heardSenders = new Set<number>();
  for (const r of records) {
    if (r.timeUs >= weekUs) break;
    heardSenders.add(r.sender);
    const things = [
      ...r.users.map((u) => entityCode("user", ours.canonical("user", u))),
      ...[r.src, r.dst, ...r.otherAddresses].flatMap((a) => (a === null ? [] : [entityCode("address", a)])),
      entityCode("host", ours.canonical("host", nameOf(r.sender))),
    ];
    for (const thing of things) named.set(thing, (named.get(thing) ?? new Set()).add(r.sender));
  }
  const context: JoinContext = {
    things: new Things(ours, nameOf),
    heard: (thing): Heard =>
      ["user", "host", "address"].includes(readEntity(thing).field)
        ? { by: named.get(thing)?.size ?? 0, of: heardSenders.size }
        : { by: 1, of: 1 },
    subjectsOf: subjectsOf(rules.values()),
    explainedBy: (id) => rules.get(id)?.explainedBy ?? [],
    relation: () => null,
  };
  const incidents: Kept[] = [];
  const merged = new Map<number, number>();
  const standing = (id: number): number => (merged.has(id) ? standing(merged.get(id)!) : id);
  const found = new Map<string, { finding: LabelledFinding; incident: number }>();
  const take = (ruleId: string, key: string, episode: Episode) => {
    const at = `${ruleId} ${key} ${episode.firstUs}`;
    const ids = [...episode.first, ...episode.latest].map((e) => e.id);
    const there = found.get(at);
    if (there) {
      const i = incidents.findIndex((one) => one.id === standing(there.incident));
      incidents[i] = grown(incidents[i]!, rules.get(ruleId)!, key, episode, ids, []);
      there.finding = { ...there.finding, episode };
      return;
    }
    const rule = rules.get(ruleId)!;
    const suspects = suspectsOf(rule, { ...episode, key });
    const finding = {
      ...episode,
      rule: ruleId,
      key,
      aboutSender: rule.key.includes("sender"),
      suspects,
      about: aboutOf(rule, key),
    };
    const near = incidents
      .filter(
        (i) =>
          !merged.has(i.id) && i.lastUs >= episode.firstUs - US_PER_HOUR && i.firstUs <= episode.lastUs + US_PER_HOUR,
      )
      .map((i) => ({ ...i, sharedRecords: sharedPart(ids, i.findings), covered: coveredPart(ids, i.findings) }));
    const placed = placeFinding(finding, null, near, context);
    let incident: number;
    if (placed.to === "new") {
      incident = incidents.length + 1;
      incidents.push({
        id: incident,
        firstUs: episode.firstUs,
        lastUs: episode.lastUs,
        entities: [],
        suspects: [],
        endedUs: null,
        rules: [],
        lasting: [],
        troubles: [],
        stopped: [],
        parent: placed.cause?.incident ?? null,
        sharedRecords: 0,
        shelved: false,
        covered: 0,
        about: [],
        findings: new Map(),
      });
    } else incident = placed.incident;
    for (const covered of placed.covers) merged.set(covered, incident);
    for (const c of placed.consequences) {
      const i = incidents.findIndex((one) => one.id === c.incident);
      incidents[i] = { ...incidents[i]!, parent: incident };
    }
    const i = incidents.findIndex((one) => one.id === incident);
    incidents[i] = grown(incidents[i]!, rules.get(ruleId)!, key, episode, ids, suspects);
    const votes = ids.map((id) => storyOf.get(id) ?? null);
    const story =
      [...new Set(votes)].sort(
        (a, b) => votes.filter((v) => v === b).length - votes.filter((v) => v === a).length,
      )[0] ?? null;
    found.set(at, {
      finding: {
        rule: ruleId,
        story,
        group: incident,
        reason: placed.to === "joined" ? placed.reason : "",
        key,
        episode,
      },
      incident,
    });
  };
  for (const r of records) {
    const { episodes } = engine.step("live", [r], r.timeUs - LATENESS_US);
    for (const e of episodes) take(e.ruleId, e.key, e.episode);
  }
  for (const e of engine.step("live", [], records[records.length - 1]!.timeUs + 60 * US_PER_MINUTE).episodes)
    take(e.ruleId, e.key, e.episode);
  return [...found.values()].map(({ finding, incident }) => ({
    ...finding,
    group: standing(incidents[standing(incident) - 1]!.parent ?? incident),
  }));
}

function grown(
  i: Kept,
  rule: Rule,
  key: string,
  e: Episode,
  ids: readonly string[],
  suspects: readonly string[],
): Kept {
  return {
    ...i,
    findings: new Map([...i.findings, [troubleOf(rule.id, key), ids]]),
    firstUs: Math.min(i.firstUs, e.firstUs),
    lastUs: Math.max(i.lastUs, e.lastUs),
    entities: [...new Set([...i.entities, ...e.entities])],
    suspects: [...new Set([...i.suspects, ...suspects])],
    about: [...new Set([...i.about, ...aboutOf(rule, key)])],
    rules: [...new Set([...i.rules, rule.id])],
    troubles: [...new Set([...i.troubles, troubleOf(rule.id, key)])],
  };
}

/** Pairs of findings of different stories that lie together, and of one story that lie apart. */
export function pairsOf(findings: readonly LabelledFinding[]) {
  const known = findings.filter((f) => f.story !== null);
  const pairs = { different: 0, merged: 0, same: 0, split: 0 };
  for (const [i, a] of known.entries())
    for (const b of known.slice(i + 1))
      if (a.story === b.story) {
        pairs.same++;
        if (a.group !== b.group) pairs.split++;
      } else {
        pairs.different++;
        if (a.group === b.group) pairs.merged++;
      }
  return pairs;
}
