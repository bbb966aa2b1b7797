import type { ObjectName } from "../../model/notifications/index.js";
import { withoutMappedZero } from "../snmp/index.js";
import type { MibProblem } from "./mib-error.js";
import type { Assignment, MibModule, Place, Syntax } from "./module.js";

/** What an object identifier stands for. */
export interface MibNode {
  readonly oid: string;
  readonly name: string;
  readonly module: string;
  readonly kind: "oid" | "object" | "notification";
  readonly description: string | null;
  readonly units: string | null;
  readonly type: ResolvedType | null;
  readonly objects: readonly string[];
}

/** A type down to what SNMP carries. */
export interface ResolvedType {
  readonly base: string;
  readonly names: ReadonlyMap<number, string> | null;
  readonly hint: string | null;
  /** The textual convention it came by, such as TruthValue. */
  readonly convention: string | null;
}

/** Roots that every module builds on (RFC 2578 section 2; X.660). */
const ROOTS: Readonly<Record<string, string>> = {
  ccitt: "0",
  iso: "1",
  "joint-iso-ccitt": "2",
  org: "1.3",
  dod: "1.3.6",
  internet: "1.3.6.1",
};
const SNMP_GROUP = "1.3.6.1.2.1.11";
const STANDARD_TRAPS = "1.3.6.1.6.3.1.1.5";
const MAX_DEPTH = 64;
/** RFC 2578 section 3.5: sub-identifiers of an identifier. */
const MAX_ARCS = 128;
/** Definitions of one module, and of all; the largest published modules have some thousand. */
const MAX_MODULE_NODES = 20_000;
const MAX_NODES = 500_000;
const MAX_PROBLEMS = 2_000;
/** Types that SNMP carries with tags of their own (RFC 2578 section 7.1): resolving ends here. */
const CARRIED = new Set([
  "IpAddress",
  "Counter",
  "Counter32",
  "Gauge",
  "Gauge32",
  "Unsigned32",
  "TimeTicks",
  "Opaque",
  "Counter64",
]);

/** The names of a set of modules. Immutable: another set makes another one. */
export class MibNames {
  private readonly nodes = new Map<string, MibNode>();
  private readonly byName = new Map<string, string>();
  readonly problems: MibProblem[] = [];

  constructor(readonly modules: readonly MibModule[]) {
    const known = new Map(modules.map((m) => [m.name, m]));
    const resolver = new Resolver(known, this.problems);
    for (const module of modules) {
      for (const { from, line, column } of module.imports)
        if (!known.has(from))
          this.problems.push({
            code: "MISSING_IMPORT",
            module: module.name,
            line,
            column,
            message: `imports from ${from}, which is not here: upload it too`,
          });
      let left = Math.min(MAX_MODULE_NODES, MAX_NODES - this.nodes.size);
      for (const a of module.assignments) {
        if (a.kind === "type") continue;
        if (left-- <= 0) {
          resolver.problem("TOO_LARGE", module, a, `more than ${MAX_MODULE_NODES} definitions: the rest is left out`);
          break;
        }
        this.add(module, a, resolver);
      }
    }
  }

  private add(module: MibModule, a: Exclude<Assignment, { kind: "type" }>, resolver: Resolver): void {
    const oid = a.kind === "trap" ? trapOid(a, module, resolver) : resolver.oidOf(module, a);
    if (oid === null) return;
    this.byName.set(a.name, oid);
    const known = this.nodes.get(oid);
    // an object or notification says more than a bare identifier at the same place
    if (known && known.kind !== "oid") return;
    this.nodes.set(oid, {
      oid,
      name: a.name,
      module: module.name,
      kind: a.kind === "trap" ? "notification" : a.kind,
      description: a.description,
      units: a.kind === "object" ? a.units : null,
      type: a.kind === "object" ? resolver.typeOf(module, a.syntax) : null,
      objects: a.kind === "notification" || a.kind === "trap" ? a.objects : [],
    });
  }

  node(oid: string): MibNode | undefined {
    return this.nodes.get(oid);
  }

  /** The node a notification is named by, as it was sent by any version. */
  notification(oid: string): MibNode | undefined {
    const found = this.nodes.get(oid);
    if (found?.kind === "notification") return found;
    const before = withoutMappedZero(oid);
    const mapped = before === null ? undefined : this.nodes.get(before);
    return mapped?.kind === "notification" ? mapped : found;
  }

  /** Every notification, with the identifiers it arrives under: SNMPv1 sends one without a zero before its number with one. */
  notifications(): { name: string; oids: string[] }[] {
    const found: { name: string; oids: string[] }[] = [];
    for (const { kind, name, oid } of this.nodes.values()) {
      if (kind !== "notification") continue;
      const last = oid.lastIndexOf(".");
      const mapped = `${oid.slice(0, last)}.0${oid.slice(last)}`;
      const isMapped = withoutMappedZero(mapped) === oid && !oid.startsWith(`${STANDARD_TRAPS}.`);
      found.push({ name, oids: isMapped ? [oid, mapped] : [oid] });
    }
    return found;
  }

  /** Every object that may carry a value, with what its numbers are called. */
  objects(): ObjectName[] {
    const found: ObjectName[] = [];
    for (const { kind, name, oid, type } of this.nodes.values())
      if (kind === "object") found.push({ name, oid, labels: type?.names ?? null });
    return found;
  }

  /** The object an instance belongs to, and what is left of the identifier: `ifIndex` and `7`. */
  find(oid: string): { readonly node: MibNode; readonly instance: string } | null {
    for (let end = oid.length; end > 0; end = oid.lastIndexOf(".", end - 1)) {
      const node = this.nodes.get(oid.slice(0, end));
      if (node) return { node, instance: oid.slice(end + 1) };
    }
    return null;
  }

  oid(name: string): string | undefined {
    return this.byName.get(name);
  }

  get size(): number {
    return this.nodes.size;
  }
}

/** RFC 3584 section 3.1, as for the traps themselves. */
function trapOid(a: Extract<Assignment, { kind: "trap" }>, module: MibModule, resolver: Resolver): string | null {
  const enterprise = resolver.named(module, a.enterprise, a, 0);
  if (enterprise === null) return null;
  return enterprise === SNMP_GROUP ? `${STANDARD_TRAPS}.${a.number + 1}` : `${enterprise}.0.${a.number}`;
}

function arcCount(oid: string): number {
  let count = 1;
  for (let i = 0; i < oid.length; i++) if (oid.charCodeAt(i) === 46) count++;
  return count;
}

/** Follows names through imports. */
class Resolver {
  private readonly oids = new Map<string, string | null>();
  private readonly index = new Map<string, ReadonlyMap<string, Assignment>>();

  constructor(
    private readonly modules: ReadonlyMap<string, MibModule>,
    private readonly problems: MibProblem[],
  ) {
    for (const [name, m] of modules) this.index.set(name, new Map(m.assignments.map((a) => [a.name, a])));
  }

  oidOf(module: MibModule, a: Exclude<Assignment, { kind: "type" | "trap" }>, depth = 0): string | null {
    const key = `${module.name} ${a.name}`;
    const known = this.oids.get(key);
    if (known !== undefined) return known;
    // a definition that leads back to itself finds this and ends
    this.oids.set(key, null);
    const arcs: string[] = [];
    for (const [i, part] of a.value.entries()) {
      if (i === 0 && part.name !== null) {
        const start =
          part.number !== null && ROOTS[part.name] === undefined
            ? String(part.number)
            : this.named(module, part.name, a, depth + 1);
        if (start === null) return null;
        arcs.push(start);
      } else if (part.number !== null) arcs.push(String(part.number));
      else {
        this.unknown(module, a, part.name ?? "");
        return null;
      }
    }
    const oid = arcs.join(".");
    if (arcCount(oid) > MAX_ARCS) {
      this.problem("TOO_LARGE", module, a, `“${a.name}” has more than ${MAX_ARCS} numbers (RFC 2578 section 3.5)`);
      return null;
    }
    this.oids.set(key, oid);
    return oid;
  }

  /** The identifier a name stands for in a module, its imports, or, since many modules forget an import, anywhere. */
  named(module: MibModule, name: string, place: Place, depth: number): string | null {
    if (depth > MAX_DEPTH) return null;
    const found = this.find(module, name);
    if (found && found.a.kind !== "type" && found.a.kind !== "trap") return this.oidOf(found.module, found.a, depth);
    const root = ROOTS[name];
    if (root !== undefined) return root;
    this.unknown(module, place, name);
    return null;
  }

  typeOf(module: MibModule, syntax: Syntax): ResolvedType {
    let { base, names } = syntax;
    let hint: string | null = null;
    let convention: string | null = null;
    let at = module;
    for (let depth = 0; depth < MAX_DEPTH && !CARRIED.has(base); depth++) {
      const found = this.find(at, base);
      if (found?.a.kind !== "type" || found.a.syntax.base === base) break;
      convention ??= base;
      hint ??= found.a.hint;
      names ??= found.a.syntax.names;
      base = found.a.syntax.base;
      at = found.module;
    }
    return { base, names, hint, convention };
  }

  private find(module: MibModule, name: string): { module: MibModule; a: Assignment } | null {
    const own = this.index.get(module.name)?.get(name);
    if (own) return { module, a: own };
    const from = module.imports.find((i) => i.names.includes(name))?.from;
    if (from !== undefined) {
      const a = this.index.get(from)?.get(name);
      if (a) return { module: this.modules.get(from)!, a };
    }
    for (const [other, assignments] of this.index) {
      const a = assignments.get(name);
      if (a && a.kind !== "type") return { module: this.modules.get(other)!, a };
    }
    return null;
  }

  private unknown(module: MibModule, place: Place, name: string): void {
    const from = module.imports.find((i) => i.names.includes(name))?.from;
    const message =
      from === undefined
        ? `“${name}” is not defined or imported`
        : `“${name}” should come from ${from}, which is not here`;
    this.problem("UNKNOWN_NAME", module, place, message);
  }

  problem(code: MibProblem["code"], module: MibModule, { line, column }: Place, message: string): void {
    if (this.problems.length < MAX_PROBLEMS) this.problems.push({ code, module: module.name, line, column, message });
  }
}
