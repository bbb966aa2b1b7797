import { MAX_SAMPLING_RATE, type Sampling } from "./data-record.js";
import type { Template, TemplateField } from "./template.js";
import { makeTemplate } from "./template.js";
import { TemplateUses } from "./template-use.js";

/** Templates kept for one exporter and domain; a further one pushes out the one unused longest. */
const MAX_TEMPLATES = 1_024;
const MAX_APPLICATIONS = 20_000;
const MAX_INTERFACES = 20_000;
const MAX_SAMPLERS = 1_024;
/** Characters of a name that an exporter gives. */
const MAX_NAME = 255;

/**
 * What one observation domain of one exporter has said about its own data: templates and options. Templates belong to
 * exporter address, protocol version and domain (RFC 7011 section 8, RFC 3954 section 9).
 */
export class ExporterDomain {
  readonly templates = new Map<number, Template>();
  readonly sampling: Sampling = { rate: 1, bySampler: new Map() };
  readonly applications = new Map<string, string>();
  readonly interfaces = new Map<number, string>();
  systemInitUs: number | null = null;
  /** Sequence number expected next; null before the first datagram and where it cannot be known. */
  expected: number | null = null;
  /** Datagrams or records the exporter counted that never came. */
  missed = 0;
  outOfOrder = 0;
  /** Templates or options changed since the last snapshot. */
  changed = false;
  readonly uses = new TemplateUses();

  learn(template: Template): void {
    const known = this.templates.get(template.id);
    if (known && sameFields(known, template)) return;
    this.templates.delete(template.id);
    this.uses.forget(template.id);
    if (this.templates.size >= MAX_TEMPLATES) this.withdraw(this.templates.keys().next().value!);
    this.templates.set(template.id, template);
    this.changed = true;
  }

  withdraw(id: number): void {
    this.uses.forget(id);
    if (this.templates.delete(id)) this.changed = true;
  }

  learnApplication(id: string, told: string): void {
    const name = told.slice(0, MAX_NAME);
    if (this.applications.get(id) === name || this.applications.size >= MAX_APPLICATIONS) return;
    this.applications.set(id, name);
    this.changed = true;
  }

  learnInterface(index: number, told: string): void {
    const name = told.slice(0, MAX_NAME);
    if (name === "" || this.interfaces.get(index) === name || this.interfaces.size >= MAX_INTERFACES) return;
    this.interfaces.set(index, name);
    this.changed = true;
  }

  /** A later boot replaces an earlier one (RFC 7011 section 3.5: uptimes count from it). */
  learnBoot(us: number): void {
    if (this.systemInitUs === us) return;
    this.systemInitUs = us;
    this.changed = true;
  }

  learnSampling(sampler: number | null, rate: number): void {
    if (rate < 1 || rate > MAX_SAMPLING_RATE) return;
    if (sampler === null) {
      if (this.sampling.rate === rate) return;
      this.sampling.rate = rate;
    } else {
      if (this.sampling.bySampler.get(sampler) === rate || this.sampling.bySampler.size >= MAX_SAMPLERS) return;
      this.sampling.bySampler.set(sampler, rate);
    }
    this.changed = true;
  }

  /**
   * Compares a sequence number with the one expected; numbers wrap at 2^32.
   * @param advance how far this datagram moves it, or null when that is not known
   * @returns how many were missed just before this one
   */
  count(sequence: number, advance: number | null): number {
    const gap = this.expected === null ? 0 : (sequence - this.expected) >>> 0;
    this.expected = advance === null ? null : (sequence + advance) >>> 0;
    if (gap === 0) return 0;
    if (gap < 0x8000_0000) {
      this.missed += gap;
      return gap;
    }
    // behind: out of order on the way, or the exporter began anew
    this.outOfOrder++;
    return 0;
  }
}

const sameFields = (a: Template, b: Template): boolean =>
  a.scopes === b.scopes &&
  a.fields.length === b.fields.length &&
  a.fields.every((f, i) => {
    const other = b.fields[i]!;
    return f.element === other.element && f.enterprise === other.enterprise && f.length === other.length;
  });

/** A domain's knowledge as plain data, so that templates outlive a restart. */
export interface SavedDomain {
  readonly templates: readonly {
    readonly id: number;
    readonly scopes: number;
    readonly fields: readonly TemplateField[];
  }[];
  readonly sampling: { readonly rate: number; readonly bySampler: readonly (readonly [number, number])[] };
  readonly applications: readonly (readonly [string, string])[];
  readonly interfaces: readonly (readonly [number, string])[];
  readonly systemInitUs: number | null;
}

export const saveDomain = (d: ExporterDomain): SavedDomain => ({
  templates: [...d.templates.values()].map(({ id, scopes, fields }) => ({ id, scopes, fields })),
  sampling: { rate: d.sampling.rate, bySampler: [...d.sampling.bySampler] },
  applications: [...d.applications],
  interfaces: [...d.interfaces],
  systemInitUs: d.systemInitUs,
});

export function restoreDomain(saved: SavedDomain): ExporterDomain {
  const d = new ExporterDomain();
  for (const t of saved.templates) d.templates.set(t.id, makeTemplate(t.id, t.fields, t.scopes, 0));
  // what an earlier version learnt had no bound, and a sampler's rate went for all
  const isSamplers = saved.sampling.bySampler.some(([, rate]) => rate === saved.sampling.rate);
  if (saved.sampling.rate <= MAX_SAMPLING_RATE && !isSamplers) d.sampling.rate = saved.sampling.rate;
  for (const [sampler, rate] of saved.sampling.bySampler)
    if (rate <= MAX_SAMPLING_RATE) d.sampling.bySampler.set(sampler, rate);
  for (const [id, name] of saved.applications) d.applications.set(id, name);
  for (const [index, name] of saved.interfaces) d.interfaces.set(index, name);
  d.systemInitUs = saved.systemInitUs;
  return d;
}
