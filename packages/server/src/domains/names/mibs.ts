import { readdirSync, readFileSync } from "node:fs";
import { createRequire } from "node:module";
import { dirname, join } from "node:path";
import { type MibModule, MibNames, type MibProblem, parseMib } from "@halvik/core/decode/mib";
import type { Queryable } from "../../kernel/db/pool.js";
import { shippedDir } from "../../kernel/files/shipped.js";
import { moduleSources, saveModule, uploadedModules } from "./mibs-repository.js";

const require = createRequire(import.meta.url);

let shipped: MibModule[] | null = null;

/** The standard modules: those of the package net-snmp, and those written out in `mibs/`. Parsed once. */
function standardModules(): readonly MibModule[] {
  if (shipped) return shipped;
  const packaged = join(dirname(require.resolve("net-snmp/package.json")), "lib/mibs");
  const modules: MibModule[] = [];
  for (const dir of [packaged, shippedDir("mibs")])
    for (const file of readdirSync(dir).sort())
      if (file.endsWith(".mib")) modules.push(...parseMib(readFileSync(join(dir, file), "utf8")));
  shipped = modules;
  return modules;
}

/** The module of what Halvik sends itself. */
export const notifyModule = (): string => readFileSync(join(shippedDir("mibs"), "HALVIK-NOTIFY-MIB.mib"), "utf8");

/** Names of the standard modules and of those given; one of the same name takes a standard one's place. */
export function namesWith(uploaded: readonly MibModule[]): MibNames {
  const own = new Set(uploaded.map((m) => m.name));
  return new MibNames([...standardModules().filter((m) => !own.has(m.name)), ...uploaded]);
}

/** Every name in force. */
export async function loadMibNames(db: Queryable): Promise<MibNames> {
  // they were parsed when they came; one that no longer can be is left out rather than all
  return namesWith((await moduleSources(db)).flatMap(tryParse));
}

/** A module that cannot be read any more, for whatever reason, is set aside: it must not keep anyone from starting. */
function tryParse(source: string): MibModule[] {
  try {
    return parseMib(source);
  } catch {
    return [];
  }
}

export interface ModuleSummary {
  readonly name: string;
  readonly shipped: boolean;
  readonly addedBy: string | null;
  readonly problems: readonly Omit<MibProblem, "module">[];
}

/** Every module with what is wrong with it: missing imports above all. */
export async function listModules(db: Queryable): Promise<ModuleSummary[]> {
  const names = await loadMibNames(db);
  const uploaded = new Map((await uploadedModules(db)).map((m) => [m.name, m]));
  return names.modules
    .map(({ name }) => ({
      name,
      shipped: !uploaded.has(name),
      addedBy: uploaded.get(name)?.addedBy ?? null,
      problems: names.problems.flatMap(({ module, ...problem }) => (module === name ? [problem] : [])),
    }))
    .sort((a, b) => (a.shipped === b.shipped ? (a.name < b.name ? -1 : 1) : a.shipped ? 1 : -1));
}

/** Keeps the modules of a text. @throws {MibError} with line and column when it cannot be read */
export async function addModules(db: Queryable, source: string, who: string, nowUs: number): Promise<string[]> {
  const modules = parseMib(source);
  for (const { name } of modules)
    await saveModule(db, name, modules.length === 1 ? source : sourceOf(source, name), who, nowUs);
  return modules.map((m) => m.name);
}

/** The part of a file with several modules that is one of them. */
function sourceOf(source: string, name: string): string {
  const start = source.search(new RegExp(`^\\s*${name.replace(/[^A-Za-z0-9-]/g, "")}\\b[^]*?DEFINITIONS`, "m"));
  const end = /^\s*END\s*$/m.exec(source.slice(start));
  return source.slice(start, end ? start + end.index + end[0].length : undefined);
}

/** Whether something names an identifier: a notification has a node of its own, a binding is an instance of an object. */
export const namedBy =
  (mib: MibNames) =>
  (oid: string): boolean =>
    mib.notification(oid) !== undefined || mib.find(oid)?.node.kind === "object";
