import { join } from "node:path";
import { PacketSettings } from "@halvik/contract/kinds";
import { US_PER_SECOND } from "@halvik/core/base/time";
import { type OwnEngine, UsmUsers } from "@halvik/core/decode/snmp";
import * as z from "zod";
import type { Endpoint, EndpointSink, EndpointStatus } from "../../domains/intake/arrivals/endpoint.js";
import { communitiesOf } from "../../domains/intake/endpoints/communities.js";
import type { EndpointConfig, SnmpUser } from "../../domains/intake/endpoints/repository.js";
import { nowUs } from "../../kernel/clock.js";
import type { Config } from "../../kernel/config/config.js";
import { collectorDir } from "../../kernel/config/data-dir.js";
import { readJsonFile, writeDurably } from "../../kernel/files/durable.js";
import { nodeSnmpCrypto } from "../../kernel/snmp-crypto.js";
import { WorkPool } from "../../kernel/threads/work-pool.js";
import type { TlsIdentity } from "../../kernel/tls/tls-identity.js";
import { HttpsEndpoint } from "./https-endpoint.js";
import { PacketsEndpoint } from "./packets-endpoint.js";
import { SnmpEndpoint } from "./snmp-endpoint.js";
import { TcpEndpoint } from "./tcp-endpoint.js";
import { UdpEndpoint } from "./udp-endpoint.js";

interface Running {
  readonly config: EndpointConfig;
  /** Everything it was made from, as text: a change makes it anew. */
  readonly made: string;
  readonly endpoint: Endpoint;
  readonly failure: string | null;
}

/** Holds the sockets: what people set on Intake or the command line is started, changed and stopped while the role runs. */
export class Endpoints {
  private readonly running = new Map<number, Running>();
  private readonly engine: OwnEngine;
  private readonly bodies = new WorkPool({ bundle: "body-worker", threads: 1, heapMb: 512, queue: 200 });

  constructor(
    private readonly config: Config,
    private readonly tls: TlsIdentity,
    private readonly sink: EndpointSink,
    private readonly mayBring: (token: string) => Promise<boolean>,
    private readonly log: (message: string) => void,
  ) {
    this.engine = ownEngine(collectorDir(config.HALVIK_DATA_DIR));
  }

  /** Brings what runs in line with what is set. A failing endpoint is shown as failed and does not stop the others. */
  async apply(configs: readonly EndpointConfig[], users: readonly SnmpUser[]): Promise<void> {
    const wanted = new Map(configs.filter((c) => c.enabled).map((c) => [c.id, c]));
    for (const [id, r] of [...this.running]) {
      const config = wanted.get(id);
      if (config && this.madeFrom(config, users) === r.made && r.failure === null) continue;
      await r.endpoint.stop();
      this.running.delete(id);
    }
    for (const config of wanted.values()) {
      if (this.running.has(config.id)) continue;
      const endpoint = this.make(config, users);
      let failure: string | null = null;
      try {
        await endpoint.start();
      } catch (e) {
        failure = (e as Error).message;
        this.log(`${config.name}: ${failure}`);
      }
      this.running.set(config.id, { config, made: this.madeFrom(config, users), endpoint, failure });
    }
  }

  /** The first failure of an endpoint of this kind, for a start that should not go on without it. */
  failureOf(kinds: readonly EndpointConfig["kind"][]): string | null {
    for (const r of this.running.values()) if (kinds.includes(r.config.kind) && r.failure !== null) return r.failure;
    return null;
  }

  statuses(): EndpointStatus[] {
    return [...this.running.values()].map((r) => ({ ...r.endpoint.status(), name: r.config.name }));
  }

  async checkKernelDrops(): Promise<void> {
    for (const { endpoint } of this.running.values()) await endpoint.checkKernelDrops?.();
  }

  /** Takes nothing more; those that answer what they took stay open for that until `stop`. */
  async hush(): Promise<void> {
    for (const { endpoint } of this.running.values()) {
      if (endpoint.hush) endpoint.hush();
      else await endpoint.stop();
    }
  }

  async stop(): Promise<void> {
    await Promise.all([...this.running.values()].map(({ endpoint }) => endpoint.stop()));
    await this.bodies.close();
  }

  private madeFrom(c: EndpointConfig, users: readonly SnmpUser[]): string {
    const who = c.kind === "snmp" ? users : [];
    return JSON.stringify([c.name, c.kind, c.host, c.port, c.settings, who]);
  }

  private make(c: EndpointConfig, users: readonly SnmpUser[]): Endpoint {
    const { config, sink } = this;
    const { host, port } = c;
    const receiveBufferBytes = config.HALVIK_UDP_RECEIVE_BUFFER_BYTES;
    const tcp = {
      host,
      port,
      maxMessageBytes: config.HALVIK_MAX_MESSAGE_BYTES,
      maxConnections: config.HALVIK_TCP_MAX_CONNECTIONS,
      idleSeconds: config.HALVIK_TCP_IDLE_SECONDS,
    };
    switch (c.kind) {
      case "syslog-udp":
        return new UdpEndpoint(c.name, "syslog", { host, port, receiveBufferBytes }, sink);
      case "flow":
        return new UdpEndpoint(c.name, "flow", { host, port, receiveBufferBytes }, sink);
      case "syslog-tcp":
        return new TcpEndpoint(c.name, tcp, sink);
      case "syslog-tls": {
        const clients = c.settings.clients ?? {};
        return new TcpEndpoint(
          c.name,
          { ...tcp, tls: { ...this.tls, clients, clientsOnly: c.settings.clientsOnly ?? false } },
          sink,
        );
      }
      case "snmp":
        return new SnmpEndpoint(
          c.name,
          {
            host,
            port,
            receiveBufferBytes,
            isAdmitted: communitiesOf(c.settings),
            users: new UsmUsers(users, nodeSnmpCrypto),
            onlyFrom: new Map(users.flatMap((u) => (u.onlyFrom === null ? [] : [[u.name, u.onlyFrom]]))),
            engine: this.engine,
          },
          sink,
        );
      case "packets": {
        const { interface: name, filter, snap, mirror, keepQueries, as } = PacketSettings.parse(c.settings.packets);
        return new PacketsEndpoint(
          c.name,
          { interface: name, filter, snap, mirror, keepsQueries: keepQueries, as },
          sink,
        );
      }
      case "https":
        return new HttpsEndpoint(
          c.name,
          { host, port, tls: this.tls, mayBring: this.mayBring, bodies: this.bodies },
          sink,
        );
    }
  }
}

const EngineFile = z.object({ id: z.string().regex(/^[0-9a-f]{10,64}$/), boots: z.int().min(0) });
/** Our private enterprise number is the documentation one (RFC 5612). */
const ENTERPRISE = 32_473;

/** This collector's SNMP engine: an id made once, and how often it has started (RFC 3411 section 5, RFC 3414 section 2.2). */
function ownEngine(dir: string): OwnEngine {
  const file = join(dir, "snmp-engine.json");
  const known = readJsonFile(file, EngineFile);
  const id = known?.id ?? newEngineId();
  const boots = (known?.boots ?? 0) + 1;
  writeDurably(file, JSON.stringify({ id, boots }));
  const startedUs = nowUs();
  return {
    id: Buffer.from(id, "hex"),
    boots,
    timeAt: (us) => Math.max(0, Math.floor((us - startedUs) / US_PER_SECOND)),
  };
}

/** RFC 3411 SnmpEngineID: enterprise with the top bit set, format 5 (octets), eight of chance. */
function newEngineId(): string {
  const id = Buffer.alloc(13);
  id.writeUInt32BE((ENTERPRISE | 0x8000_0000) >>> 0, 0);
  id[4] = 5;
  crypto.getRandomValues(id.subarray(5));
  return id.toString("hex");
}
