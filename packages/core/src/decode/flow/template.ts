import { type ByteReader, DecodeError } from "../../base/bytes/index.js";

export interface TemplateField {
  readonly element: number;
  /** 0: the IANA registry. */
  readonly enterprise: number;
  /** Octets; 65535: the length comes with each value (RFC 7011 section 7). */
  readonly length: number;
}

export interface Template {
  readonly id: number;
  readonly fields: readonly TemplateField[];
  /** How many of the first fields say what the rest is about; 0 for flows, more for options. */
  readonly scopes: number;
  /** Octets of the shortest record. */
  readonly least: number;
  /** No field has a length of its own. */
  readonly fixed: boolean;
}

export const VARIABLE = 65_535;
const MAX_FIELDS = 512;

/** Fields of a template. @param ipfix the top bit of an element says that an enterprise number follows */
export function readFields(r: ByteReader, count: number, ipfix: boolean): TemplateField[] {
  if (count > MAX_FIELDS)
    throw new DecodeError("TOO_LONG", r.offset, `template: expected at most ${MAX_FIELDS} fields, got ${count}`);
  const fields: TemplateField[] = [];
  for (let i = 0; i < count; i++) {
    const element = r.u16("element");
    const length = r.u16("field length");
    const enterprise = ipfix && (element & 0x8000) !== 0 ? r.u32("enterprise number") : 0;
    fields.push({ element: ipfix ? element & 0x7fff : element, enterprise, length });
  }
  return fields;
}

export function makeTemplate(id: number, fields: readonly TemplateField[], scopes: number, at: number): Template {
  let least = 0;
  let fixed = true;
  for (const f of fields) {
    if (f.length === VARIABLE) {
      fixed = false;
      least += 1;
    } else least += f.length;
  }
  // a record of no octets would never end
  if (least === 0) throw new DecodeError("BAD_LENGTH", at, `template ${id}: expected records of at least 1 byte`);
  return { id, fields, scopes, least, fixed };
}
