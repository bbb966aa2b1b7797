import { US_PER_DAY, US_PER_SECOND } from "@halvik/core/base/time";
import {
  PDU,
  type SnmpCrypto,
  type UsmPasswords,
  UsmUsers,
  usmUser,
  type VarBind,
  writeCommunityMessage,
  writePdu,
  writeTrapV1,
  writeV3,
} from "@halvik/core/decode/snmp";
import type { Device } from "./devices.js";

export const COMMUNITY = "orvane-traps";
/** The user of the demo's SNMPv3 devices; its passwords are as secret as the demo. */
export const USM: UsmPasswords = {
  name: "orvane-noc",
  authProtocol: "sha256",
  authPassword: "harbour-lights",
  privProtocol: "aes128",
  privPassword: "low-tide-at-six",
};

const STANDARD = "1.3.6.1.6.3.1.1.5";
const IF_ENTRY = "1.3.6.1.2.1.2.2.1";
const UPS = "1.3.6.1.2.1.33";
export const CRANE = "1.3.6.1.4.1.32473.40";

/** A notification before it is a message. */
export interface Notification {
  readonly trapOid: string;
  readonly varbinds: readonly VarBind[];
}

const integer = (oid: string, value: number): VarBind => ({ oid, value: { type: "integer", value: BigInt(value) } });
const gauge = (oid: string, value: number): VarBind => ({ oid, value: { type: "gauge32", value: BigInt(value) } });
const text = (oid: string, value: string): VarBind => ({
  oid,
  value: { type: "octet string", value: new TextEncoder().encode(value) },
});

export const notify = {
  link: (index: number, name: string, up: boolean): Notification => ({
    trapOid: `${STANDARD}.${up ? 4 : 3}`,
    varbinds: [
      integer(`${IF_ENTRY}.1.${index}`, index),
      integer(`${IF_ENTRY}.7.${index}`, 1),
      integer(`${IF_ENTRY}.8.${index}`, up ? 1 : 2),
      text(`${IF_ENTRY}.2.${index}`, name),
    ],
  }),
  authenticationFailure: (): Notification => ({ trapOid: `${STANDARD}.5`, varbinds: [] }),
  onBattery: (minutes: number, seconds: number): Notification => ({
    trapOid: `${UPS}.2.1`,
    varbinds: [integer(`${UPS}.1.2.3.0`, minutes), integer(`${UPS}.1.2.2.0`, seconds), integer(`${UPS}.1.9.7.0`, 10)],
  }),
  alarm: (n: number, raised: boolean): Notification => ({
    trapOid: `${UPS}.2.${raised ? 3 : 4}`,
    varbinds: [
      integer(`${UPS}.1.6.2.1.1.${n}`, n),
      { oid: `${UPS}.1.6.2.1.2.${n}`, value: { type: "object identifier", value: `${UPS}.1.6.3.3` } },
    ],
  }),
  bgpLost: (peer: string): Notification => ({
    trapOid: "1.3.6.1.2.1.15.0.2",
    varbinds: [
      { oid: `1.3.6.1.2.1.15.3.1.7.${peer}`, value: { type: "ip address", value: peer } },
      integer(`1.3.6.1.2.1.15.3.1.2.${peer}`, 1),
    ],
  }),
  bgpBack: (peer: string): Notification => ({
    trapOid: "1.3.6.1.2.1.15.0.1",
    varbinds: [
      { oid: `1.3.6.1.2.1.15.3.1.7.${peer}`, value: { type: "ip address", value: peer } },
      integer(`1.3.6.1.2.1.15.3.1.2.${peer}`, 6),
    ],
  }),
  crane: (load: number): Notification => ({
    trapOid: `${CRANE}.0.1`,
    varbinds: [gauge(`${CRANE}.1.1.0`, load), integer(`${CRANE}.1.2.0`, load > 22 ? 3 : 2)],
  }),
  /** Something no module names: it stays on the list of what is to be named. */
  unnamed: (n: number): Notification => ({
    trapOid: "1.3.6.1.4.1.32473.77.0.3",
    varbinds: [gauge("1.3.6.1.4.1.32473.77.2.1.0", n)],
  }),
};

/** Writes notifications as each device would: v1, v2c, v2c inform, v3. */
export class NotificationWriter {
  private readonly users: UsmUsers;
  private number = 1;

  constructor(crypto: SnmpCrypto) {
    this.users = new UsmUsers([usmUser(crypto, USM)], crypto);
  }

  write(device: Device, n: Notification, atUs: number): Uint8Array {
    const requestId = this.number++ & 0x7fff_ffff;
    const uptimeTicks = Math.floor((atUs % (200 * US_PER_DAY)) / 10_000) % 4_294_967_296;
    if (device.snmp === "v1") {
      const generic = n.trapOid.startsWith(`${STANDARD}.`) ? Number(n.trapOid.slice(STANDARD.length + 1)) - 1 : 6;
      const arcs = n.trapOid.split(".");
      return writeCommunityMessage(
        "v1",
        COMMUNITY,
        writeTrapV1({
          // RFC 3584 section 3.2: enterprise and specific of a notification that has none
          enterprise: arcs.slice(0, arcs[arcs.length - 2] === "0" ? -2 : -1).join("."),
          agentAddress: device.address,
          generic,
          specific: generic === 6 ? Number(arcs[arcs.length - 1]) : 0,
          uptimeTicks,
          varbinds: n.varbinds,
        }),
      );
    }
    const varbinds: VarBind[] = [
      { oid: "1.3.6.1.2.1.1.3.0", value: { type: "timeticks", value: BigInt(uptimeTicks) } },
      { oid: "1.3.6.1.6.3.1.1.4.1.0", value: { type: "object identifier", value: n.trapOid } },
      ...n.varbinds,
    ];
    const pdu = writePdu(device.snmp === "v2c inform" ? PDU.inform : PDU.trap, requestId, varbinds);
    if (device.snmp !== "v3") return writeCommunityMessage("v2c", COMMUNITY, pdu);
    const engineId = Uint8Array.of(0x80, 0x00, 0x7e, 0xd9, 1, ...device.address.split(".").map(Number));
    const salt = new Uint8Array(8);
    new DataView(salt.buffer).setFloat64(0, atUs + requestId);
    return writeV3(
      {
        msgId: requestId,
        reportable: false,
        engineId,
        engineBoots: 1 + Math.floor(atUs / (100 * US_PER_DAY)),
        engineTime: Math.floor((atUs % (100 * US_PER_DAY)) / US_PER_SECOND),
        contextEngineId: engineId,
        contextName: "",
        pdu,
        salt,
        level: "priv",
      },
      USM.name,
      this.users,
    );
  }
}
