import { isRead, readLine, readTemplate, type Value } from "../../decode/lines/index.js";
import type { DaemonLine } from "./daemon-line.js";
import { LOGONS } from "./logons.js";
import { MACHINES } from "./machines.js";
import { SERVICES } from "./services.js";

/** A line that was recognised, with its values. */
export interface FoundLine {
  readonly line: DaemonLine;
  readonly values: readonly Value[];
}

interface Ready {
  readonly line: DaemonLine;
  readonly parts: ReturnType<typeof readTemplate>;
  /** What every such line begins with: most are told by it, without reading on. */
  readonly start: string;
}

/** By program, in the order they are tried. */
const BY_APP: ReadonlyMap<string, readonly Ready[]> = (() => {
  const byApp = new Map<string, Ready[]>();
  for (const line of [...LOGONS, ...SERVICES, ...MACHINES]) {
    const parts = readTemplate(line.template);
    const [first] = parts;
    // blanks at the end of a line are not looked at
    const ready = { line, parts, start: first !== undefined && "literal" in first ? first.literal.trimEnd() : "" };
    for (const app of line.apps) byApp.set(app, [...(byApp.get(app) ?? []), ready]);
  }
  return byApp;
})();

/** The line of a well-known program that a message is; null: none that is known. */
export function findDaemonLine(app: string | null, text: string): FoundLine | null {
  const lines = app === null ? undefined : BY_APP.get(app);
  if (lines === undefined) return null;
  // times of the kernel's own before what it says; some set what they say in columns
  const said = app === "kernel" ? text.replace(/^\[ *\d+\.\d+\] /, "") : text.trimStart();
  for (const { line, parts, start } of lines) {
    if (!said.startsWith(start)) continue;
    const reading = readLine(parts, said);
    if (isRead(reading)) return { line, values: reading.values };
  }
  return null;
}
