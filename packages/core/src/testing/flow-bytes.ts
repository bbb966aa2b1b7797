import { bytes } from "./bytes.js";

/** A set of v9 or IPFIX with its header; @param pad octets of padding at its end */
export function flowSet(id: number, body: Uint8Array, pad = 0): Uint8Array {
  return bytes()
    .u16(id, 4 + body.length + pad)
    .raw(body)
    .raw(new Uint8Array(pad))
    .done();
}

export function ipfixMessage(
  head: { readonly exportSeconds: number; readonly sequence: number; readonly domain: number },
  ...sets: readonly Uint8Array[]
): Uint8Array {
  const length = sets.reduce((n, s) => n + s.length, 16);
  const out = bytes().u16(10, length).u32(head.exportSeconds, head.sequence, head.domain);
  for (const s of sets) out.raw(s);
  return out.done();
}

export function v9Message(
  head: {
    readonly uptimeMs: number;
    readonly exportSeconds: number;
    readonly sequence: number;
    readonly domain: number;
  },
  ...sets: readonly Uint8Array[]
): Uint8Array {
  const out = bytes().u16(9, 1).u32(head.uptimeMs, head.exportSeconds, head.sequence, head.domain);
  for (const s of sets) out.raw(s);
  return out.done();
}

/** A template set's body; a field is [element, length] or [element, length, enterprise]. */
export function templateBody(id: number, fields: readonly (readonly number[])[]): Uint8Array {
  const out = bytes().u16(id, fields.length);
  for (const [element, length, enterprise] of fields) {
    out.u16(enterprise === undefined ? element! : element! | 0x8000, length!);
    if (enterprise !== undefined) out.u32(enterprise);
  }
  return out.done();
}
