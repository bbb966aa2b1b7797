import { type ByteReader, DecodeError, type DecodeProblem } from "../../base/bytes/index.js";
import { US_PER_MS } from "../../base/time/index.js";
import { type ExportClock, FlowReader, hex, text } from "./data-record.js";
import { ELEMENT } from "./elements.js";
import type { ExporterDomain } from "./exporter.js";
import type { FlowRecord } from "./flow-record.js";
import { makeTemplate, readFields, type Template, VARIABLE } from "./template.js";

/** Set ids (RFC 3954 section 5: 0 and 1; RFC 7011 section 3.3.2: 2 and 3). Data sets begin at 256. */
const SET_IDS = { 9: { template: 0, options: 1 }, 10: { template: 2, options: 3 } } as const;
const FIRST_DATA_SET = 256;

export interface SetsResult {
  readonly records: FlowRecord[];
  /** Data records read, options included: what IPFIX counts. */
  dataRecords: number;
  /** Data sets whose template is not known (yet), to be held. */
  readonly unknown: { readonly id: number; readonly body: Uint8Array }[];
  /** Templates that came or changed. */
  readonly learnt: number[];
  /** Records read by each template. */
  readonly read: Map<number, number>;
  readonly problems: DecodeProblem[];
}

export const noResult = (): SetsResult => ({
  records: [],
  dataRecords: 0,
  unknown: [],
  learnt: [],
  read: new Map(),
  problems: [],
});

/**
 * Walks the sets of a v9 or IPFIX message by their lengths; the header's count is not to be relied on. Options hold for the whole message
 * wherever they stand in it (when the exporter booted, how it samples): they are read before its flows, which are read with the template
 * that stood when their set came.
 * @param clock what times are relative to, asked for once the message's options are known
 */
export function readSets(r: ByteReader, version: 9 | 10, domain: ExporterDomain, clock: () => ExportClock): SetsResult {
  const out = noResult();
  const flows: { readonly bytes: Uint8Array; readonly template: Template }[] = [];
  const ids = SET_IDS[version];
  while (r.left >= 4) {
    const at = r.offset;
    const id = r.u16("set id");
    const length = r.u16("set length");
    if (length < 4) {
      // padding at the end of a message is seen in practice
      if (id === 0 && length === 0) break;
      throw new DecodeError("BAD_LENGTH", at, `set length: expected at least 4, got ${length} at byte ${at}`);
    }
    const body = r.sub(length - 4, `set ${id}`);
    attempt(out, () => {
      if (id === ids.template) readTemplates(body, version, domain, out);
      else if (id === ids.options) readOptionsTemplates(body, version, domain, out);
      else if (id >= FIRST_DATA_SET) {
        const template = domain.templates.get(id);
        const bytes = body.slice(body.left, "data set");
        if (!template) out.unknown.push({ id, body: bytes });
        else if (template.scopes === 0) flows.push({ bytes, template });
        else readDataSet(bytes, template, domain, NO_CLOCK, out);
      } else
        throw new DecodeError(
          "BAD_VALUE",
          at,
          `set id: expected ${ids.template}, ${ids.options} or 256 and more, got ${id}`,
        );
    });
  }
  const told = clock();
  for (const { bytes, template } of flows) attempt(out, () => readDataSet(bytes, template, domain, told, out));
  return out;
}

/** Options have no times of flows. */
const NO_CLOCK: ExportClock = { exportUs: 0, uptimeMs: null, systemInitUs: null };

/** One bad set does not take the others with it. */
function attempt(out: SetsResult, work: () => void): void {
  try {
    work();
  } catch (e) {
    if (!(e instanceof DecodeError)) throw e;
    out.problems.push({ code: e.code, offset: e.offset, message: e.message });
  }
}

function readTemplates(r: ByteReader, version: 9 | 10, domain: ExporterDomain, out: SetsResult): void {
  while (r.left >= 4) {
    const at = r.offset;
    const id = r.u16("template id");
    const count = r.u16("field count");
    if (id === 0 && count === 0) return;
    if (withdrawn(id, count, version, 2, domain)) continue;
    checkId(id, at);
    const template = makeTemplate(id, readFields(r, count, version === 10), 0, at);
    domain.learn(template);
    out.learnt.push(id);
  }
}

function readOptionsTemplates(r: ByteReader, version: 9 | 10, domain: ExporterDomain, out: SetsResult): void {
  while (r.left >= (version === 9 ? 6 : 4)) {
    const at = r.offset;
    const id = r.u16("template id");
    const second = r.u16(version === 9 ? "scope length" : "field count");
    if (version === 10 && withdrawn(id, second, version, 3, domain)) continue;
    const third = r.u16(version === 9 ? "options length" : "scope field count");
    if (id === 0 && second === 0) return;
    checkId(id, at);
    // RFC 3954 section 6.1 gives octets, four a field; RFC 7011 section 3.4.2.2 gives counts
    const scopes = version === 9 ? Math.floor(second / 4) : third;
    const count = version === 9 ? scopes + Math.floor(third / 4) : second;
    if (scopes > count)
      throw new DecodeError(
        "BAD_VALUE",
        at,
        `options template ${id}: expected at most ${count} scope fields, got ${scopes}`,
      );
    const fields = readFields(r, count, version === 10);
    // v9 scopes have numbers of their own (RFC 3954 section 6.1): 2 is an interface
    const read =
      version === 9
        ? fields.map((f, i) => (i < scopes ? { ...f, element: f.element === 2 ? ELEMENT.ingress : -f.element } : f))
        : fields;
    domain.learn(makeTemplate(id, read, Math.max(1, scopes), at));
    out.learnt.push(id);
  }
}

/** RFC 7011 section 8.1: a template without fields is withdrawn; with the set's own id, all of them. */
function withdrawn(id: number, count: number, version: 9 | 10, all: number, domain: ExporterDomain): boolean {
  if (version !== 10 || count !== 0) return false;
  if (id === all)
    for (const [known, t] of [...domain.templates]) if (t.scopes > 0 === (all === 3)) domain.withdraw(known);
  if (id >= FIRST_DATA_SET) domain.withdraw(id);
  return true;
}

function checkId(id: number, at: number): void {
  if (id < FIRST_DATA_SET)
    throw new DecodeError("BAD_VALUE", at, `template id: expected ${FIRST_DATA_SET} or more, got ${id}`);
}

/** Records of a data set; what is left at its end and shorter than a record is padding. */
export function readDataSet(
  bytes: Uint8Array,
  template: Template,
  domain: ExporterDomain,
  clock: ExportClock,
  out: SetsResult,
): void {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  const reader = new FlowReader(bytes, view, clock, domain.sampling, domain.applications);
  let at = 0;
  const before = out.dataRecords;
  while (bytes.length - at >= template.least) {
    if (template.scopes > 0) {
      const end = readOptions(bytes, view, template, at, domain);
      if (end < 0) break;
      at = end;
    } else {
      const record = reader.read(template, at, bytes.length);
      if (record === null) break;
      at = reader.next;
      out.records.push(record);
    }
    out.dataRecords++;
  }
  out.read.set(template.id, (out.read.get(template.id) ?? 0) + out.dataRecords - before);
  // without fields of their own length, what is left is padding of up to 3 octets or of one field
  if (!template.fixed && bytes.length - at > 3)
    out.problems.push({
      code: "TRUNCATED",
      offset: at,
      message: `data set ${template.id}: expected a whole record, ${bytes.length - at} bytes left`,
    });
}

/** One options record: sampling, names of interfaces and applications, when the exporter booted. */
function readOptions(bytes: Uint8Array, view: DataView, t: Template, start: number, domain: ExporterDomain): number {
  let at = start;
  let sampler: number | null = null;
  let rate = 0;
  let interval = 0;
  let space = -1;
  let size = 0;
  let population = 0;
  let index: number | null = null;
  let name = "";
  let description = "";
  let application = "";
  let applicationName = "";
  for (const field of t.fields) {
    let { length } = field;
    if (length === VARIABLE) {
      if (at >= bytes.length) return -1;
      length = bytes[at++]!;
      if (length === 255) {
        if (at + 2 > bytes.length) return -1;
        length = view.getUint16(at);
        at += 2;
      }
    }
    if (at + length > bytes.length) return -1;
    const part = bytes.subarray(at, at + length);
    at += length;
    if (field.enterprise !== 0) continue;
    switch (field.element) {
      case ELEMENT.samplingInterval:
      case ELEMENT.samplerInterval:
        rate = numberOf(part);
        break;
      case ELEMENT.samplerId:
      case ELEMENT.selectorId:
        sampler = numberOf(part);
        break;
      case ELEMENT.samplingPacketInterval:
        interval = numberOf(part);
        break;
      case ELEMENT.samplingPacketSpace:
        space = numberOf(part);
        break;
      case ELEMENT.samplingSize:
        size = numberOf(part);
        break;
      case ELEMENT.samplingPopulation:
        population = numberOf(part);
        break;
      case ELEMENT.ingress:
      case ELEMENT.egress:
        index = numberOf(part);
        break;
      case ELEMENT.interfaceName:
        name = text(part);
        break;
      case ELEMENT.interfaceDescription:
        description = text(part);
        break;
      case ELEMENT.application:
        application = hex(part, 0, part.length);
        break;
      case ELEMENT.applicationName:
        applicationName = text(part);
        break;
      case ELEMENT.systemInitMs:
        domain.learnBoot(numberOf(part) * US_PER_MS);
        break;
    }
  }
  // RFC 5477: `interval` packets taken, `space` skipped; or `size` out of `population`
  if (interval > 0 && space >= 0) rate = Math.round((interval + space) / interval);
  if (size > 0 && population > 0) rate = Math.round(population / size);
  if (rate > 0) domain.learnSampling(sampler, rate);
  if (index !== null) domain.learnInterface(index, name || description);
  if (application !== "" && applicationName !== "") domain.learnApplication(application, applicationName);
  return at;
}

function numberOf(bytes: Uint8Array): number {
  let value = 0;
  for (const b of bytes) value = value * 256 + b;
  return Math.min(value, Number.MAX_SAFE_INTEGER);
}
