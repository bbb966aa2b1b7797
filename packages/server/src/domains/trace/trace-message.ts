import type { Trace, TraceMessage, TraceStep } from "@halvik/contract/trace";
import { canonicalAddress, networkContains, parseNetwork } from "@halvik/core/base/net";
import { type Rule, type RuleConcerns, RuleEngine } from "@halvik/core/detect";
import { readEntity } from "@halvik/core/model/entity";
import { type HalvikRecord, SEVERITIES, type Severity } from "@halvik/core/model/record";
import { newSender, type Sender, type SenderDirectory } from "@halvik/core/model/senders";
import { techniquesIn } from "@halvik/core/respond/incidents";
import { concerns as isFor } from "@halvik/core/respond/notify";
import type { Queryable } from "../../kernel/db/pool.js";
import { AppError } from "../../kernel/http/errors.js";
import { formatRecordId, IdSource } from "../../store/record-id.js";
import { KeptShapes } from "../../store/shapes.js";
import type { Arrival } from "../intake/arrivals/arrival.js";
import { type DecodedBatch, decodeBatch } from "../intake/pipeline/decode-batch.js";
import { Decoders, type DecodeSettings } from "../intake/pipeline/decoders.js";
import { SenderRegistry } from "../intake/senders/registry.js";
import { admittedNetworks } from "../intake/senders/repository.js";
import type { Presenter } from "../names/presenter.js";
import { listRoutes } from "../notifications/repository.js";
import { sayDecoded, sayRules, type Traced } from "./trace-record.js";

interface Needs {
  readonly db: Queryable;
  readonly directory: SenderDirectory;
  readonly presenter: Presenter;
  readonly settings: DecodeSettings;
  readonly rules: RuleConcerns;
  readonly zone: string;
}

/** The number of one that is nobody's. */
const UNKNOWN = -1;
/** Evidence is looked at for so long where nothing else comes. */
const QUIET_US = 2 * 86_400e6;

/**
 * What would become of a message, by the same steps that one takes which arrives: sender, decoders, formats and rules of arrival as they are set. Nothing is stored,
 * nobody is told, nothing is learnt.
 * @throws {AppError} BAD_REQUEST for bytes that are none, or a sender that is neither a name nor an address
 */
export async function traceMessage(needs: Needs, message: TraceMessage, nowUs: number): Promise<Traced> {
  const { db, directory, presenter, settings, zone } = needs;
  const bytes = bytesOf(message);
  const { peer, facts } = senderOf(message.from, directory);
  const steps: TraceStep[] = [];
  let sinceMs = performance.now();
  const add = (step: TraceStep["step"], state: TraceStep["state"], says: string) => {
    const now = performance.now();
    steps.push({ step, state, says, at: null, tookMs: Math.round((now - sinceMs) * 1_000) / 1_000 });
    sinceMs = now;
  };
  const done = (record: HalvikRecord | null, records: number, rules: Trace["rules"]) =>
    presenter
      .present(directory)
      .then((present) => ({ steps, record: record && present(record), records, rules, incidents: [] }));

  add(
    "received",
    "would",
    `${bytes.length.toLocaleString("en")} octets from ${peer}${message.endpoint === "" ? "" : ` by ${message.endpoint}`}`,
  );
  const arrival: Arrival = {
    protocol: message.protocol,
    endpoint: message.endpoint,
    peer,
    receivedUs: nowUs,
    bytes,
    held: false,
  };
  // what it learns of the message is kept nowhere
  const shapes = await KeptShapes.load(db, nowUs);
  const outcome = decided(arrival, peer, facts, directory, settings, zone, shapes);
  const first = outcome.records[0];
  const { decoders } = outcome;
  if (first === undefined) {
    const [wrong] = decoders.undecodable;
    add(
      "decoded",
      "ends",
      wrong === undefined ? "no record is in it: templates or counters" : `it cannot be read: ${wrong.problem.message}`,
    );
    return done(null, 0, []);
  }
  const plain = recordOf(first);
  add(
    "decoded",
    "would",
    `${outcome.records.length === 1 ? "" : `${outcome.records.length} records; the first: `}${sayDecoded(plain)}`,
  );
  const state = facts?.state ?? ((await isAdmitted(db, peer)) ? "admitted" : "unknown");
  add("sender", state === "admitted" ? "would" : "ends", saySender(state, first.sender, directory, peer));
  add("format", "would", sayFormat(outcome, settings));
  const dropped = [...outcome.arriving.uses].find(([, use]) => use.dropped > 0)?.[0];
  const kept = outcome.kept[0];
  const met = [...outcome.arriving.uses.keys()].map((id) => `“${ruleName(settings, id)}”`);
  if (dropped !== undefined && kept === undefined) {
    add("arrival rules", "ends", `dropped by “${ruleName(settings, dropped)}”, and counted`);
    return done(plain, outcome.records.length, []);
  }
  add(
    "arrival rules",
    "would",
    met.length === 0 ? "kept as it came: no rule of arrival meets it" : `kept; met ${met.join(", ")}`,
  );
  const record = recordOf(kept ?? first);
  if (state === "refused") {
    add("stored", "ends", "its sender is refused: it would be counted and forgotten");
    return done(record, outcome.records.length, []);
  }
  add(
    "stored",
    state === "admitted" ? "would" : "ends",
    state === "admitted"
      ? `kept ${kept?.keepDays == null ? "as long as others of its kind" : `for ${kept.keepDays} days`}`
      : "it would be held until its sender is admitted",
  );
  const { rules } = needs.rules;
  const concerns = needs.rules.of(record, nowUs);
  const raising = raisedAlone(
    rules.filter((r) => concerns.some((c) => c.rule === r.id && c.verdict === "met")),
    directory,
    record,
    zone,
  );
  add("rules", "would", sayRules(concerns));
  const names = concerns.filter((c) => raising.has(c.rule)).map((c) => `“${c.name}”`);
  add(
    "incident",
    names.length === 0 ? "ends" : "would",
    names.length === 0 ? "by itself it raises none" : `by itself it raises ${names.join(", ")}`,
  );
  if (names.length > 0) {
    const raised = rules.flatMap((rule) => {
      const entities = raising.get(rule.id);
      return entities === undefined ? [] : [{ rule, entities }];
    });
    const told = await routesFor(db, raised, record, directory, nowUs);
    add(
      "told",
      told.length === 0 ? "ends" : "would",
      told.length === 0 ? "no notification is for it: nobody would be notified" : `notified by ${told.join(", ")}`,
    );
  }
  return done(
    record,
    outcome.records.length,
    concerns.map((c) => ({ ...c, raises: raising.has(c.rule) })),
  );
}

/** Bytes as somebody pasted them. */
function bytesOf({ as, body }: TraceMessage): Buffer {
  if (as === "text") return Buffer.from(body, "utf8");
  const digits = body.replace(/0x|[\s:,]/gi, "");
  if (digits.length % 2 !== 0 || !/^[0-9a-f]*$/i.test(digits))
    throw new AppError(
      "BAD_REQUEST",
      "body: expected pairs of hexadecimal digits, with blanks, colons or commas between or not",
      { field: "body" },
    );
  return Buffer.from(digits, "hex");
}

/** Whom it comes from: an address, or a sender by its name. */
function senderOf(from: string, directory: SenderDirectory): { readonly peer: string; readonly facts: Sender | null } {
  const address = canonicalAddress(from);
  const [id] = directory.idsOf(address ?? from);
  const facts = id === undefined ? null : (directory.get(id) ?? null);
  const peer = address ?? facts?.addresses[0] ?? null;
  if (peer === null)
    throw new AppError(
      "BAD_REQUEST",
      facts === null
        ? `from: expected an address or the name of a sender, got “${from}”`
        : `from: “${from}” is heard through a relay: name the relay’s address`,
      { field: "from" },
    );
  return { peer, facts };
}

interface Outcome extends Pick<DecodedBatch, "records" | "arriving" | "formatted"> {
  readonly decoders: Decoders;
  /** What is left when rules of arrival have decided. */
  readonly kept: DecodedBatch["records"];
}

/** What a batch of this one arrival would be, with and without the rules of arrival. */
function decided(
  arrival: Arrival,
  peer: string,
  facts: Sender | null,
  directory: SenderDirectory,
  settings: DecodeSettings,
  zone: string,
  shapes: KeptShapes,
): Outcome {
  // one that waits or is not known is read as if it were admitted: what would be is what is asked
  const self = {
    ...(facts ?? newSender(UNKNOWN, peer, { zone })),
    state: "admitted" as const,
    addresses: [...(facts?.addresses ?? []), peer],
  };
  const others = directory.senders.filter((s) => s.id !== self.id);
  const run = (rules: DecodeSettings["arrivalRules"]) => {
    const decoders = new Decoders();
    decoders.settings = settings;
    decoders.begin();
    const batch = decodeBatch([arrival], SenderRegistry.of([...others, self], zone), {
      decoders,
      ids: new IdSource(0, 0),
      nowUs: arrival.receivedUs,
      imported: false,
      shapes,
      arrivalRules: rules,
    });
    return { batch, decoders };
  };
  const whole = run(undefined);
  const ruled = run(settings.arrivalRules);
  return {
    records: whole.batch.records,
    formatted: whole.batch.formatted,
    decoders: whole.decoders,
    arriving: ruled.batch.arriving,
    kept: ruled.batch.records,
  };
}

const recordOf = ({ content, id, sender, endpoint, copyOf, shape }: DecodedBatch["records"][number]): HalvikRecord => ({
  ...content,
  id: formatRecordId(id),
  sender,
  endpoint,
  copyOf,
  shape: shape?.id || null,
});

const isAdmitted = async (db: Queryable, peer: string): Promise<boolean> =>
  (await admittedNetworks(db)).some(({ network }) => {
    const block = parseNetwork(network);
    return block !== null && networkContains(block, peer);
  });

function saySender(state: Sender["state"] | "unknown", id: number, directory: SenderDirectory, peer: string): string {
  switch (state) {
    case "admitted":
      return `${directory.get(id) === undefined ? peer : directory.name(id)}, admitted`;
    case "waiting":
      return `${directory.name(id)} waits: what it sends is held until it is admitted`;
    case "refused":
      return `${directory.name(id)} is refused: what it sends is counted and not kept`;
    case "unknown":
      return `${peer} is nobody Halvik knows: it would wait to be admitted`;
  }
}

function sayFormat({ formatted }: Outcome, { formats = [] }: DecodeSettings): string {
  const name = (id: number) => `“${formats.find((f) => f.id === id)?.format.name ?? id}”`;
  for (const [id, { met }] of formatted.uses) if (met > 0) return `${name(id)} reads it`;
  const [near] = formatted.lines;
  if (near !== undefined) return `${name(near.format)} nearly reads it: at ${near.place} expected ${near.expected}`;
  return formats.length === 0 ? "there are no formats of your own" : "no format of your own reads it";
}

const ruleName = ({ arrivalRules }: DecodeSettings, id: number): string =>
  arrivalRules?.rules.find((r) => r.id === id)?.rule.name ?? String(id);

/** Rules that one record raises where nothing else has come and nothing else comes, with what they name. */
function raisedAlone(
  rules: readonly Rule[],
  directory: SenderDirectory,
  record: HalvikRecord,
  zone: string,
): ReadonlyMap<string, readonly string[]> {
  const engine = new RuleEngine(rules, directory, { zone });
  const steps = [engine.step("trace", [record], record.timeUs), engine.step("trace", [], record.timeUs + QUIET_US)];
  const raised = [...steps.flatMap((s) => s.episodes), ...engine.standing("trace")];
  return new Map(raised.map(({ ruleId, episode }) => [ruleId, episode.entities]));
}

/** Routes that are for an incident of one of these rules, raised by this record now. */
async function routesFor(
  db: Queryable,
  raised: readonly { readonly rule: Rule; readonly entities: readonly string[] }[],
  record: HalvikRecord,
  directory: SenderDirectory,
  nowUs: number,
): Promise<string[]> {
  const sender = directory.get(record.sender);
  const routes = await listRoutes(db);
  return routes.flatMap(({ route }) =>
    raised.some(({ rule, entities }) =>
      isFor(
        route,
        {
          title: rule.name,
          severity: SEVERITIES.indexOf(rule.severity) as Severity,
          state: "open",
          count: 1,
          rules: [{ id: rule.id, name: rule.name }],
          tags: rule.tags,
          techniques: techniquesIn(rule.references),
          entities: entities.map((code) => {
            const { field, value } = readEntity(code);
            return { field, value: field === "sender" ? directory.name(Number(value)) : value };
          }),
          senderIds: [record.sender],
          sites: sender?.site == null ? [] : [sender.site],
          groups: sender?.groups ?? [],
          lastUs: record.timeUs,
          endedUs: null,
          stopped: false,
          acknowledged: false,
          newSinceSeen: true,
          ofHistory: false,
          folded: false,
          shelvedUntilUs: null,
        },
        directory,
        nowUs,
      ),
    )
      ? [`“${route.name}”`]
      : [],
  );
}
