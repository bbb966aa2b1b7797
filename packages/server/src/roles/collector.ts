import { existsSync, mkdirSync, readFileSync } from "node:fs";
import { join } from "node:path";
import { formatDuration, formatUs, US_PER_SECOND } from "@halvik/core/base/time";
import { UsmUsers } from "@halvik/core/decode/snmp";
import { Meanings } from "@halvik/core/meaning";
import type { OwnObservation } from "@halvik/core/normalise";
import pino from "pino";
import { type Broken, Decisions, type KeptDecisions, NOTHING_DECIDED } from "../domains/arrival/decisions.js";
import { loadArrivalRules } from "../domains/arrival/repository.js";
import { loadFormats } from "../domains/formats/repository.js";
import { ForwardTrouble } from "../domains/forwarding/forward-trouble.js";
import { Forwarders } from "../domains/forwarding/forwarders.js";
import { forwardSecrets, loadForwards, writeForwardStates } from "../domains/forwarding/repository.js";
import { writeEndpoints, writeHeartbeat } from "../domains/health/repository.js";
import {
  type EndpointConfig,
  loadEndpoints,
  loadSnmpUsers,
  mappingsOf,
  type SnmpUser,
} from "../domains/intake/endpoints/repository.js";
import { Uploads } from "../domains/intake/imports/uploads.js";
import { gapBefore, writeListening } from "../domains/intake/listening-repository.js";
import { BatchNumbers } from "../domains/intake/pipeline/batch-numbers.js";
import { Decoders } from "../domains/intake/pipeline/decoders.js";
import { Pipeline } from "../domains/intake/pipeline/pipeline.js";
import { type Damage, Spool } from "../domains/intake/pipeline/spool.js";
import { loadFlowDomains } from "../domains/intake/pipeline/state-repository.js";
import { Quarantine } from "../domains/intake/quarantine/quarantine.js";
import { DirectoryCache } from "../domains/intake/senders/directory-cache.js";
import { SenderRegistry } from "../domains/intake/senders/registry.js";
import { loadMibNames, namedBy } from "../domains/names/mibs.js";
import { kindsVersion, loadMeanings } from "../domains/names/repository.js";
import { mayBringRecords } from "../domains/people/tokens-repository.js";
import { Endpoints } from "../edges/collecting/endpoints.js";
import { clock, nowUs } from "../kernel/clock.js";
import type { Config } from "../kernel/config/config.js";
import { collectorDir } from "../kernel/config/data-dir.js";
import { type Client, type Connection, connect, connectionOf, createPool } from "../kernel/db/pool.js";
import { writeDurably } from "../kernel/files/durable.js";
import { processName } from "../kernel/node.js";
import type { RoleContext } from "../kernel/role-input.js";
import { nodeSnmpCrypto } from "../kernel/snmp-crypto.js";

const STATUS_MS = 1_000;
const UPLOADS_MS = 2_000;
/** Exporters whose sequence gaps are shown. */
const MAX_GAPS = 50;

/** What people set about kinds of record, as the collector works with it. */
interface KindSettings {
  readonly version: number;
  readonly endpoints: readonly EndpointConfig[];
  readonly users: readonly SnmpUser[];
  readonly meanings: Meanings;
  readonly isNamed: (oid: string) => boolean;
  readonly decisions: KeptDecisions;
}

/** Runs the collector: sockets, pipeline, status. @returns how to stop it */
export async function startCollector({ config, secrets, tls, input }: RoleContext): Promise<() => Promise<void>> {
  const log = pino({ name: "collector", level: config.HALVIK_LOG_LEVEL }, pino.destination(2));
  const connection = connectionOf(config, secrets, "collector");
  const pool = createPool(connection, 2, 5_000);
  const registry = new SenderRegistry(config.HALVIK_ZONE);
  const dir = collectorDir(config.HALVIK_DATA_DIR);
  const spoolDir = join(dir, "spool");
  for (const path of [spoolDir, join(dir, "quarantine")]) mkdirSync(path, { recursive: true, mode: 0o700 });
  const quarantine = new Quarantine(join(dir, "quarantine"), config.HALVIK_SPOOL_MAX_BYTES);
  const spool = new Spool(spoolDir, config.HALVIK_SPOOL_MAX_BYTES, (damage) =>
    reportDamage(name, damage, quarantine, pipeline),
  );
  const numbers = new BatchNumbers(spoolDir, spool.lastNumber(), Math.floor(nowUs() / 1_000));
  const decoders = new Decoders();
  const name = processName("collector", config.HALVIK_NODE);
  let version = -1;
  const apply = async (settings: KindSettings) => {
    version = settings.version;
    decisions.kept = settings.decisions;
    decoders.settings = {
      users: new UsmUsers(settings.users, nodeSnmpCrypto),
      meanings: settings.meanings,
      isNamed: settings.isNamed,
      // those before hold until the new ones are ready
      arrivalRules: decoders.settings.arrivalRules,
      formats: decoders.settings.formats ?? [],
      mappings: mappingsOf(settings.endpoints),
    };
    await endpoints.apply(settings.endpoints, settings.users);
  };
  const forwarders = new Forwarders(dir, config.HALVIK_FORWARD_MAX_BYTES, {
    nameOf: (id) => registry.get(id)?.facts.name ?? `sender ${id}`,
    nameOfAddress: (address) => registry.peer(address)?.facts.name ?? address,
    admitted: (address) => {
      const facts = registry.peer(address)?.facts;
      return facts?.state === "admitted" ? facts.id : null;
    },
  });
  const decisions = new Decisions(new DirectoryCache(pool, config.HALVIK_ZONE));
  const readyDecisions = async () => {
    const made = await decisions.refresh();
    if (made === null) return;
    decoders.settings = { ...decoders.settings, ...made.ready };
    const { kept } = decisions;
    // while the database is away nobody knows which there are: no queue goes
    await forwarders.apply(made.forwards, kept === NOTHING_DECIDED ? null : kept.forwards.map((f) => f.id));
    for (const broken of made.broken) pipeline.observe(sayBroken(broken));
  };
  const pipeline = new Pipeline(
    {
      connection,
      collectorName: name,
      ratePerSender: config.HALVIK_SENDER_RATE_CAP,
      keepByKind: config.HALVIK_KEEP_KINDS,
      onDecoded: (number, decoded, arrivals) => forwarders.take(number, decoded, arrivals),
      onHousekeeping: async (client) => {
        if ((await kindsVersion(client)) !== version) await apply(await readSettings(client, config));
        await readyDecisions();
      },
    },
    registry,
    decoders,
    spool,
    quarantine,
    numbers,
    log,
  );
  const endpoints = new Endpoints(
    config,
    tls!,
    pipeline,
    (token) => mayBringRecords(pool, token, nowUs()),
    (message) => log.error(message),
  );
  await apply(await firstSettings(connection, config, decoders));
  // without the database they are read when it is back
  await readyDecisions().catch(() => undefined);
  const failure = endpoints.failureOf(["syslog-udp", "syslog-tcp"]);
  if (failure !== null) {
    await endpoints.stop();
    await pool.end();
    throw new Error(failure);
  }
  pipeline.start();

  const startedUs = nowUs();
  let busy = false;
  let isGapReported = false;
  const reportGap = async () => {
    const gap = await gapBefore(pool, startedUs);
    isGapReported = true;
    if (gap === null) return;
    const seconds = Math.round((gap.toUs - gap.fromUs) / US_PER_SECOND);
    pipeline.observe({
      event: "not-listening",
      severity: 4,
      outcome: "failure",
      subject: name,
      text: `Halvik was not listening for ${formatDuration(gap.toUs - gap.fromUs)}: nothing sent from ${formatUs(gap.fromUs)} to ${formatUs(gap.toUs)} was received.`,
      data: [
        ["from", formatUs(gap.fromUs)],
        ["to", formatUs(gap.toUs)],
        ["seconds", String(seconds)],
      ],
    });
  };
  const forwardTrouble = new ForwardTrouble();
  const reportForwards = () => {
    for (const said of forwardTrouble.tell(forwarders, nowUs())) pipeline.observe(said);
  };
  const report = async () => {
    if (busy) return;
    busy = true;
    try {
      if (!isGapReported) await reportGap();
      await writeListening(pool, startedUs, nowUs());
      await endpoints.checkKernelDrops();
      await writeEndpoints(pool, config.HALVIK_NODE, endpoints.statuses(), nowUs());
      reportForwards();
      await writeForwardStates(pool, config.HALVIK_NODE, forwarders.states(), nowUs());
      await writeHeartbeat(pool, "collector", config.HALVIK_NODE, startedUs, nowUs(), {
        ...pipeline.counters,
        ...decoders.counters,
        gaps: decoders.flows.gaps().slice(0, MAX_GAPS),
        waiting: decoders.flows.waiting().slice(0, MAX_GAPS),
        "held sets given up": decoders.flows.givenUp,
        spoolBytes: pipeline.spoolBytes,
        quarantineBytes: quarantine.bytes,
        spooling: pipeline.isSpooling,
        memoryBytes: process.memoryUsage.rss(),
      });
    } catch (e) {
      log.warn({ err: e }, "status could not be written");
    } finally {
      busy = false;
    }
  };
  const forgetClock = clock.onJump((jumpMs) =>
    pipeline.observe({
      event: "clock-jumped",
      severity: 4,
      outcome: "failure",
      subject: name,
      text: `The clock of this machine was set ${jumpMs > 0 ? "forward" : "back"} by ${formatDuration(Math.abs(jumpMs) * 1_000)}: times before and after are not of one clock.`,
      data: [["ms", String(Math.round(jumpMs))]],
    }),
  );
  const uploads = new Uploads(pool, config.HALVIK_DATA_DIR, input);
  const uploading = setInterval(() => {
    uploads.look().catch((e: unknown) => log.warn({ err: e }, "uploads could not be looked for"));
  }, UPLOADS_MS);
  let reporting = Promise.resolve();
  const timer = setInterval(() => {
    reporting = Promise.all([reporting, report()]).then(() => undefined);
  }, STATUS_MS);
  return async () => {
    await endpoints.hush();
    const stoppedUs = nowUs();
    await pipeline.stop();
    await forwarders.stop();
    await endpoints.stop();
    clearInterval(timer);
    clearInterval(uploading);
    uploads.stop();
    forgetClock();
    // a status on its way must not come after the last one
    await reporting;
    await writeListening(pool, startedUs, stoppedUs).catch(() => undefined);
    await writeHeartbeat(pool, "collector", config.HALVIK_NODE, startedUs, nowUs(), {
      ...pipeline.counters,
      stopped: true,
    }).catch(() => undefined);
    await writeEndpoints(pool, config.HALVIK_NODE, endpoints.statuses(), nowUs()).catch(() => undefined);
    await pool.end().catch(() => undefined);
  };
}

/** Octets of the spool that are no batch any more: kept aside, and told. */
function reportDamage(name: string, { file, at, octets }: Damage, quarantine: Quarantine, pipeline: Pipeline): void {
  const where = `${octets.length} octets of ${file} from octet ${at} on`;
  const kept = quarantine.keepDamaged(octets, `${where} are no batch: damaged on disk, or cut by a crash`, nowUs());
  pipeline.counters["damaged in spool"]++;
  pipeline.observe({
    event: "spool-damaged",
    severity: 3,
    outcome: "failure",
    subject: name,
    text: `${where} in the spool could not be read back; ${kept ? "they are kept in quarantine" : "there was no room to keep them"}. What came before and after them is stored.`,
    data: [["octets", String(octets.length)]],
  });
}

const sayBroken = ({ what, name, why }: Broken): OwnObservation => ({
  event: "rule-failing",
  severity: 3,
  outcome: "failure",
  subject: name,
  text: BROKEN_TEXT[what](name, why),
});

const BROKEN_TEXT: Readonly<Record<Broken["what"], (name: string, why: string) => string>> = {
  format: (name, why) => `The format “${name}” is not tried: ${why}. What it would have read is stored as it comes.`,
  "rule of arrival": (name, why) =>
    `The rule of arrival “${name}” does not run: ${why}. What it would have decided about is stored as it comes.`,
  forward: (name, why) =>
    `The forward “${name}” chooses nothing: ${why}. What it would have passed on is stored as ever.`,
};

async function readSettings(db: Client, config: Config): Promise<KindSettings> {
  const mib = await loadMibNames(db);
  const settings = {
    version: await kindsVersion(db),
    endpoints: await loadEndpoints(db, config),
    users: await loadSnmpUsers(db),
    meanings: await loadMeanings(db),
    isNamed: namedBy(mib),
    decisions: {
      rules: await loadArrivalRules(db),
      formats: await loadFormats(db),
      forwards: await loadForwards(db),
      secrets: await forwardSecrets(db),
    },
  };
  keepForNextStart(config, settings);
  return settings;
}

/** What the database says; while it is away, what it said last: sockets must be bound all the same. */
async function firstSettings(connection: Connection, config: Config, decoders: Decoders): Promise<KindSettings> {
  let client: Client | null = null;
  try {
    client = await connect(connection);
    await loadFlowDomains(client, decoders.flows);
    return await readSettings(client, config);
  } catch {
    return lastSettings(config);
  } finally {
    await client?.end().catch(() => undefined);
  }
}

const settingsFile = (config: Config): string => join(collectorDir(config.HALVIK_DATA_DIR), "endpoints.json");

function keepForNextStart(config: Config, { endpoints, users }: KindSettings): void {
  const asHex = users.map((u) => ({
    name: u.name,
    onlyFrom: u.onlyFrom,
    auth: u.auth && { ...u.auth, key: Buffer.from(u.auth.key).toString("hex") },
    priv: u.priv && { ...u.priv, key: Buffer.from(u.priv.key).toString("hex") },
  }));
  writeDurably(settingsFile(config), JSON.stringify({ endpoints, users: asHex }));
}

function lastSettings(config: Config): KindSettings {
  const file = settingsFile(config);
  if (!existsSync(file))
    return {
      version: -1,
      endpoints: [],
      users: [],
      meanings: new Meanings(),
      isNamed: () => true,
      decisions: NOTHING_DECIDED,
    };
  // our own file, written above
  const kept = JSON.parse(readFileSync(file, "utf8")) as {
    endpoints: EndpointConfig[];
    users: {
      name: string;
      onlyFrom: readonly string[] | null;
      auth: { protocol: never; key: string } | null;
      priv: { protocol: never; key: string } | null;
    }[];
  };
  const keyed = <T extends { key: string }>(k: T | null) => k && { ...k, key: Buffer.from(k.key, "hex") };
  return {
    version: -1,
    endpoints: kept.endpoints,
    users: kept.users.map((u) => ({ name: u.name, onlyFrom: u.onlyFrom, auth: keyed(u.auth), priv: keyed(u.priv) })),
    meanings: new Meanings(),
    isNamed: () => true,
    decisions: NOTHING_DECIDED,
  };
}
