import { createHash } from "node:crypto";
import { IncidentDetail } from "@halvik/contract/incidents";
import type { Portrait } from "@halvik/contract/portrait";
import { type EpochUs, formatUs } from "@halvik/core/base/time";
import { type Entity, entitiesOf } from "@halvik/core/model/entity";
import type { SenderDirectory } from "@halvik/core/model/senders";
import { MOST_DIFFERENCES, type Pinnable, type Pinned } from "@halvik/core/papers";
import { storyOf } from "@halvik/core/respond/story";
import { shapeText } from "@halvik/core/shapes";
import imageType from "image-type";
import type { Actor } from "../../kernel/actor.js";
import { AppError } from "../../kernel/http/errors.js";
import { readFileName } from "../../kernel/http/file-name.js";
import { shapeFacts } from "../../store/shapes.js";
import { contrastOf } from "../contrast/contrast.js";
import { incidentDetail } from "../incidents/detail.js";
import { withBytes } from "../incidents/evidence-repository.js";
import type { Presenter } from "../names/presenter.js";
import { portraitOf } from "../portrait/portrait.js";
import { subjectOf } from "../portrait/subject.js";
import { windowJson } from "../records/searched-window.js";
import { countSearch, type SearchNeeds, sayLacking } from "./count-search.js";
import type { PinToKeep } from "./pins-repository.js";

/** What looking up takes. */
export interface PinNeeds extends SearchNeeds {
  readonly presenter: Presenter;
}

type Of<Is extends Pinnable["is"]> = Extract<Pinnable, { is: Is }>;

/** What is to be kept of something that is pinned, as it is now. @throws {AppError} where it is not there, or cannot be read */
export async function lookUpPin(deps: PinNeeds, actor: Actor, pin: Pinnable, nowUs: EpochUs): Promise<PinToKeep> {
  switch (pin.is) {
    case "record":
      return recordPin(deps, pin);
    case "search":
      return searchPin(deps, actor, pin, nowUs);
    case "shape":
      return shapePin(deps, actor, pin, nowUs);
    case "contrast":
      return contrastPin(deps, actor, pin, nowUs);
    case "portrait":
      return portraitPin(deps, pin, nowUs);
    case "incident":
      return incidentPin(deps, pin);
    case "chart":
      return { pinned: pin, things: [], same: sameOf([pin.is, pin.chart]) };
  }
}

/** What makes one pin the same as another. */
const sameOf = (identity: readonly unknown[]): Uint8Array =>
  createHash("sha256").update(JSON.stringify(identity)).digest();

async function recordPin({ db, directory }: PinNeeds, { id }: Of<"record">): Promise<PinToKeep> {
  const found = (await withBytes(db, [id])).get(id);
  if (found === undefined) throw new AppError("NOT_FOUND", `record ${id} is not stored (any more)`);
  const senders = await directory.get();
  const { record, raw } = found;
  const sender = senders.name(record.sender);
  return {
    pinned: { is: "record", id: record.id },
    things: thingsOf(entitiesOf(record, sender, senders.ours)),
    same: sameOf(["record", record.id]),
    record: { record, raw, sender },
  };
}

/** Kinds of things by which papers are found to be alike: an interface's number or a program are everywhere. */
const ALIKE: readonly Entity["kind"][] = ["address", "user", "host"];
const thingsOf = (entities: readonly Pick<Entity, "kind" | "value">[]): string[] => [
  ...new Set(
    entities
      // an index holds no text of any length, and a name of that length is none
      .filter((e) => ALIKE.includes(e.kind) && e.value.length <= LONGEST_THING)
      .slice(0, MOST_THINGS)
      .map((e) => `${e.kind} ${e.value}`),
  ),
];
const LONGEST_THING = 200;
const MOST_THINGS = 100;

async function searchPin(deps: PinNeeds, actor: Actor, pin: Of<"search">, nowUs: EpochUs): Promise<PinToKeep> {
  const { count, isExact, reading, zone, window } = await countSearch(deps, actor, pin, nowUs);
  const lacking = await sayLacking(deps, window, zone, nowUs);
  const { filter } = pin;
  return {
    pinned: { is: "search", filter, reading, zone, ...windowJson(window), count, isExact, lacking },
    things: [],
    same: sameOf(["search", filter, window]),
  };
}

async function shapePin(deps: PinNeeds, actor: Actor, pin: Of<"shape">, nowUs: EpochUs): Promise<PinToKeep> {
  const senders = await deps.directory.get();
  const id = senders.standingShape(pin.id);
  const facts = (await shapeFacts(deps.db, [id])).get(id);
  if (facts === undefined) throw new AppError("NOT_FOUND", `there is no shape ${pin.id}`);
  const { count, isExact, zone, window } = await countSearch(
    deps,
    actor,
    { ...pin, filter: ofShape(id, pin.filter) },
    nowUs,
  );
  return {
    pinned: {
      is: "shape",
      id,
      text: shapeText(facts) ?? "",
      name: facts.name,
      filter: pin.filter,
      zone,
      ...windowJson(window),
      count,
      isExact,
      first: formatUs(facts.firstUs),
    },
    things: [],
    same: sameOf(["shape", id, pin.filter, window]),
  };
}

export const ofShape = (id: number, filter: string): string =>
  filter === "" ? `shape is ${id}` : `shape is ${id} and (${filter})`;

async function contrastPin(deps: PinNeeds, actor: Actor, pin: Of<"contrast">, nowUs: EpochUs): Promise<PinToKeep> {
  const { filter, zone = deps.config.HALVIK_ZONE, from, to, other, against, per } = pin;
  const asked = {
    filter,
    zone,
    from,
    to,
    per,
    limit: MOST_DIFFERENCES,
    ...(other === undefined ? { against: (against ?? []).map((w) => `${w.from}/${w.to}`).join(",") } : { other }),
  };
  const answer = await contrastOf(deps, actor, asked, nowUs);
  return {
    pinned: {
      is: "contrast",
      filter,
      zone,
      ...answer.window,
      against: answer.against,
      other: other ?? null,
      per,
      lines: answer.differences.map(({ by, label, part, a, b, change, surprise }) => ({
        by,
        label,
        part,
        a,
        b,
        change,
        surprise,
      })),
      others: answer.others,
      isCounted: answer.isCounted,
    },
    things: [],
    same: sameOf(["contrast", asked]),
  };
}

async function portraitPin(deps: PinNeeds, pin: Of<"portrait">, nowUs: EpochUs): Promise<PinToKeep> {
  const directory = await deps.directory.get();
  const subject = subjectOf(pin, directory);
  const zone = pin.zone ?? deps.config.HALVIK_ZONE;
  const { count, isExact, window } = await countSearch(
    deps,
    { name: "", may: "read" },
    { filter: subject.filter, zone, from: pin.from, to: pin.to },
    nowUs,
  );
  const { db, ask } = deps;
  const portrait = await portraitOf({ db, ask, directory, nowUs }, subject, window);
  return {
    pinned: {
      is: "portrait",
      kind: pin.kind,
      value: subject.value,
      zone,
      ...windowJson(window),
      count,
      isExact,
      facts: factsOf(portrait),
    },
    things: [`${pin.kind} ${canonical(pin.kind, subject.value, directory)}`],
    same: sameOf(["portrait", pin.kind, subject.value, window]),
  };
}

const canonical = (kind: "address" | "host" | "user", value: string, { ours }: SenderDirectory): string =>
  kind === "address" ? value : ours.canonical(kind, value);

/** What a portrait says, a name and a text each. */
function factsOf(p: Portrait): [string, string][] {
  const facts: [string, string][] = [];
  const add = (name: string, texts: readonly string[]) => {
    if (texts.length > 0) facts.push([name, texts.join("; ")]);
  };
  add("what it is", p.about === "" ? [] : [p.about]);
  add("its addresses", p.addresses);
  add("first seen", p.firstSeen === null ? [] : [p.firstSeen.time]);
  add("last seen", p.lastSeen === null ? [] : [p.lastSeen.time]);
  for (const b of p.bindings.slice(0, MOST_BINDINGS))
    add(`bound to ${b.is}`, [
      `${b.value}, by ${b.by}${b.first === null || b.last === null ? "" : `, ${b.first.time} to ${b.last.time}`}`,
    ]);
  add(
    "records",
    p.records.kinds.map((k) => `${k.count} ${k.label}`),
  );
  add(
    "of severity",
    p.records.severities.map((s) => `${s.count} ${s.label}`),
  );
  add(
    "logons",
    p.logons.map((l) => `${l.note} ${l.label}: ${l.success} let in, ${l.failure} refused`.trim()),
  );
  add(
    "decisions",
    p.decisions.map((d) => `${d.label}: ${d.count} ${d.action}`),
  );
  add(
    "incidents",
    p.incidents.map((i) => `${i.id} ${i.title} (${i.state})`),
  );
  if (p.partial) facts.push(["counted", "of the newest records only: there was no time for all"]);
  return facts;
}
const MOST_BINDINGS = 12;

/** What a field that incidents have entities of names. */
const KIND_OF_FIELD: ReadonlyMap<string, "address" | "host" | "user"> = new Map([
  ["src", "address"],
  ["dst", "address"],
  ["address", "address"],
  ["user", "user"],
  ["host", "host"],
  ["sender", "host"],
]);

async function incidentPin({ db, directory, presenter }: PinNeeds, { id }: Of<"incident">): Promise<PinToKeep> {
  const senders = await directory.get();
  const detail = await incidentDetail(db, id, senders, await presenter.present(senders));
  if (detail === null) throw new AppError("NOT_FOUND", `there is no incident ${id}`);
  const told = IncidentDetail.parse(detail);
  const { incident } = told;
  const pinned: Pinned = {
    is: "incident",
    id: incident.id,
    title: incident.title,
    severity: incident.severity,
    state: incident.state,
    first: incident.first,
    last: incident.last,
    count: incident.count,
    story: storyOf(told, formatUs).map((p) => `${formatUs(p.us)} ${p.text}`),
    entities: incident.entities.map(({ field, value }) => ({ field, value })),
    techniques: incident.techniques,
  };
  return {
    pinned,
    things: thingsOf(
      incident.entities.flatMap(({ field, value }) => {
        const kind = KIND_OF_FIELD.get(field);
        return kind === undefined ? [] : [{ kind, value: canonical(kind, value, senders) }];
      }),
    ),
    same: sameOf(["incident", incident.id]),
  };
}

const PICTURES = ["image/png", "image/jpeg", "image/gif", "image/webp"] as const;

/** A file that was brought by hand. @param written what it is called where it comes from */
export async function filePin(written: string, bytes: Uint8Array): Promise<PinToKeep> {
  const name = readFileName(written);
  const sha256 = createHash("sha256").update(bytes).digest("hex");
  const type = (await imageType(bytes))?.mime;
  const picture = PICTURES.find((p) => p === type) ?? null;
  return {
    pinned: { is: "file", name, bytes: bytes.length, sha256, picture },
    things: [],
    same: sameOf(["file", name, sha256]),
    file: bytes,
  };
}
