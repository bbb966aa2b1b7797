import { existsSync, readFileSync } from "node:fs";
import { hostname } from "node:os";
import { US_PER_SECOND } from "@halvik/core/base/time";
import type { CapturedMessage } from "@halvik/core/decode/capture";
import { MeteredCapture } from "@halvik/core/decode/meter";
import { Command } from "commander";
import { Courier, type CourierTarget } from "../edges/sniffing/courier.js";
import { TCPDUMP_USER, Tcpdump } from "../edges/sniffing/tcpdump.js";
import { nowUs } from "../kernel/clock.js";
import { loadConfig } from "../kernel/config/config.js";
import { knownUser } from "../kernel/files/owners.js";
import { certificateFile } from "../kernel/tls/tls-identity.js";

interface SniffCommandOptions {
  readonly interface: string;
  readonly filter?: string;
  readonly snap: string;
  readonly mirror?: boolean;
  readonly keepQueries?: boolean;
  readonly to: string;
  readonly tokenFile: string;
  readonly certificate?: string;
}

const TICK_MS = 1_000;
const CLOCK_BACK_US = 60 * US_PER_SECOND;
const GOODBYE_MS = 10_000;
/** Flows are told of in datagrams that fit a packet of Ethernet. */
const MOST_DATAGRAM = 1_400;
const LEAST_SNAP = 64;
const MOST_SNAP = 262_144;

export const sniffCommand = (): Command =>
  new Command("sniff")
    .requiredOption("--interface <name>", "the interface whose packets are read")
    .option("--filter <expression>", "which packets, as pcap-filter(7) says it")
    .option("--snap <octets>", "octets of each packet that are read", "2048")
    .option("--mirror", "packets to others too: the interface is at a port of a switch that mirrors")
    .option("--keep-queries", "keep what stands behind the ? of requests, which people may have typed")
    .option("--to <address>", "the Halvik to send to, at the ports of the configuration", "127.0.0.1")
    .requiredOption("--token-file <file>", "file with a token made by “token create NAME --intake”")
    .option("--certificate <file>", "the certificate of its endpoint (PEM); default: that of the Halvik here")
    .action(sniff);

async function sniff(o: SniffCommandOptions): Promise<void> {
  const target = targetOf(o);
  const isRoot = process.getuid?.() === 0;
  const user = isRoot ? knownUser(TCPDUMP_USER) : null;
  if (isRoot && user === null)
    throw new Error(`there is no user “${TCPDUMP_USER}”, whom tcpdump runs as: apt-get install tcpdump`);
  const tcpdump = new Tcpdump(
    {
      interface: o.interface,
      snap: snapOf(o.snap),
      mirror: o.mirror === true,
      filter: withoutOurOwn(o.filter, target),
    },
    user !== null,
    () => console.log(`Reading the packets of ${o.interface}; Ctrl-C ends it.`),
  );
  if (user !== null) {
    // it has been begun with the rights it needs; here none of them is needed. The same user, so that it can be told to end
    process.setgroups?.([]);
    process.setgid?.(user.gid);
    process.setuid?.(user.uid);
  }
  let isRefused = false;
  const courier = new Courier(target, () => {
    isRefused = true;
    tcpdump.stop();
  });
  // the exporter's address is that of whoever sends: here it only names the capture
  const capture = new MeteredCapture(o.to, Math.floor(Math.random() * 2 ** 31), {
    keepsQueries: o.keepQueries === true,
    mostBytes: MOST_DATAGRAM,
  });
  let unreadable = 0;
  const bring = (told: Iterable<CapturedMessage>) => {
    for (const m of told)
      if (m.type === "problem") unreadable++;
      else if (m.protocol === "flow") courier.flows(m.bytes);
      else courier.record("/packets", Buffer.from(m.bytes).toString("utf8"));
  };
  let told = 0;
  let lastUs = nowUs();
  const tick = setInterval(() => {
    const now = nowUs();
    // by a clock that was set back nothing would be over for as long
    if (now < lastUs - CLOCK_BACK_US) bring(capture.renew());
    lastUs = now;
    bring(capture.pass(now));
    if (tcpdump.dropped > told) courier.record("/json", droppedRecord(tcpdump.dropped - told, o.interface));
    told = Math.max(told, tcpdump.dropped);
  }, TICK_MS);
  for (const signal of ["SIGINT", "SIGTERM"] as const) process.once(signal, () => tcpdump.stop());
  try {
    for await (const chunk of tcpdump.packets()) bring(capture.push(chunk));
  } finally {
    clearInterval(tick);
    bring(capture.end());
    await courier.end(isRefused ? 0 : GOODBYE_MS);
  }
  if (isRefused) throw new Error("Halvik does not take the token: make one with “token create NAME --intake”");
  const n = (count: number) => count.toLocaleString("en");
  console.log(
    `${n(courier.brought)} records and ${n(courier.flowDatagrams)} datagrams of flows sent; ${n(tcpdump.dropped)} packets dropped by the kernel, ${n(unreadable)} not readable, ${n(courier.lost)} records lost`,
  );
}

function targetOf(o: SniffCommandOptions): CourierTarget {
  const config = loadConfig(process.env);
  const file = o.certificate ?? certificateFile(config);
  if (!existsSync(file))
    throw new Error(`there is no certificate ${file}: name that of Halvik's HTTPS endpoint with --certificate`);
  return {
    host: o.to,
    intakePort: config.HALVIK_INTAKE_PORT,
    flowPort: config.HALVIK_IPFIX_PORT,
    token: readFileSync(o.tokenFile, "utf8").trim(),
    certificate: readFileSync(file, "utf8"),
  };
}

function snapOf(text: string): number {
  const snap = /^\d{1,7}$/.test(text) ? Number(text) : 0;
  if (snap < LEAST_SNAP || snap > MOST_SNAP)
    throw new Error(`--snap: expected ${LEAST_SNAP} to ${MOST_SNAP} octets, got "${text}"`);
  return snap;
}

/** What this tells would else be told of in its turn, without end. */
function withoutOurOwn(filter: string | undefined, { host, intakePort, flowPort }: CourierTarget): string {
  const own = `not (host ${host} and (tcp port ${intakePort} or udp port ${flowPort}))`;
  return filter === undefined || filter.trim() === "" ? own : `(${filter}) and ${own}`;
}

const droppedRecord = (packets: number, of: string): string =>
  JSON.stringify({
    time: new Date().toISOString(),
    severity: "warning",
    host: hostname(),
    app: "halvik sniff",
    event: "packets-dropped",
    message: `${packets} packets of ${of} were dropped by the kernel before they were read`,
  });
