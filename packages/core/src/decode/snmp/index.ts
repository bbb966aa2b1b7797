export { expectTlv, readOid, readTlv } from "./ber.js";
export { integer, octets, oid, sequence } from "./ber-writer.js";
export { AUTH_PROTOCOLS, type AuthProtocol, PRIV_PROTOCOLS, type PrivProtocol, type SnmpCrypto } from "./crypto.js";
export { localizeKey, passwordToKey, privacyKey } from "./keys.js";
export { readMessage, type SnmpMessage, type V3Envelope, writeCommunityMessage } from "./message.js";
export { PDU, type SnmpPdu, withoutMappedZero, writePdu, writeTrapV1 } from "./pdu.js";
export {
  looksLikeSnmp,
  type OwnEngine,
  type Received,
  readNotification,
  type SnmpNotification,
  SnmpReceiver,
} from "./receiver.js";
export { hexOf, openV3, UsmClock, type UsmPasswords, type UsmUser, UsmUsers, usmUser, writeV3 } from "./usm.js";
export { readValue, type SnmpValue, type VarBind, writeValue } from "./value.js";
