import { MibError, type MibModule, parseMib } from "@halvik/core/decode/mib";
import { namesWith } from "./mibs.js";

export type CheckedModule =
  | { readonly ok: true; readonly modules: readonly string[] }
  | { readonly ok: false; readonly message: string; readonly line: number; readonly column: number };

/** Reads the modules of a text and resolves their names, as everyone who uses them will have to. */
export function checkModule(source: string): CheckedModule {
  let modules: MibModule[];
  try {
    modules = parseMib(source);
  } catch (e) {
    if (!(e instanceof MibError)) throw e;
    return { ok: false, message: e.message, line: e.line, column: e.column };
  }
  const names = namesWith(modules);
  const own = new Set(modules.map((m) => m.name));
  const bound = names.problems.find((p) => p.code === "TOO_LARGE" && own.has(p.module));
  return bound === undefined
    ? { ok: true, modules: modules.map((m) => m.name) }
    : { ok: false, message: bound.message, line: bound.line, column: bound.column };
}
