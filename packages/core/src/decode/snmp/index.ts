export { expectTlv, readOid, readTlv } from "./ber.js";
export { integer, oid, sequence } from "./ber-writer.js";
export { AUTH_PROTOCOLS, PRIV_PROTOCOLS, type SnmpCrypto } from "./crypto.js";
export { localizeKey, passwordToKey, privacyKey } from "./keys.js";
export { readMessage, writeCommunityMessage } from "./message.js";
export { PDU, withoutMappedZero, writePdu, writeTrapV1 } from "./pdu.js";
export {
  looksLikeSnmp,
  type OwnEngine,
  readNotification,
  type SnmpNotification,
  SnmpReceiver,
} from "./receiver.js";
export { hexOf, type UsmPasswords, type UsmUser, UsmUsers, usmUser, writeV3 } from "./usm.js";
export { readValue, type SnmpValue, type VarBind, writeValue } from "./value.js";
