import type { RecordJson } from "@halvik/contract/records";
import { FIELDS, type Field, type FieldName } from "@halvik/core/model/record";

/** Where a field's values stand in the API's record, when not under its own name. */
const ELSEWHERE: Partial<Record<FieldName, (r: RecordJson) => readonly unknown[]>> = {
  sender: (r) => [r.sender.name],
  user: (r) => r.users ?? [],
  address: (r) => [r.src, r.dst, ...(r.otherAddresses ?? [])],
  "src port": (r) => [r.srcPort],
  "dst port": (r) => [r.dstPort],
  level: (r) => [r.originalSeverity],
  ingress: (r) => [r.ingressName ?? r.flow?.ingress],
  egress: (r) => [r.egressName ?? r.flow?.egress],
  dscp: (r) => [r.flow?.dscp],
  "tcp flags": (r) => [r.flow?.tcpFlags],
  "src as": (r) => [r.flow?.srcAs],
  "dst as": (r) => [r.flow?.dstAs],
  problem: (r) => [r.problem?.code],
  mark: (r) => r.marks ?? [],
};

/** The values of a field of the table in a record, as text. */
export function fieldTexts(record: RecordJson, name: FieldName): string[] {
  const elsewhere = ELSEWHERE[name];
  const { dataName } = FIELDS.find((f) => f.name === name) as Field;
  const values =
    elsewhere !== undefined
      ? elsewhere(record)
      : dataName !== undefined
        ? (record.data ?? []).filter(([n]) => n === dataName || n.endsWith(` ${dataName}`)).map(([, v]) => v)
        : [record[name as keyof RecordJson]];
  return values.filter((v) => v !== undefined && v !== null && v !== "").map(String);
}
