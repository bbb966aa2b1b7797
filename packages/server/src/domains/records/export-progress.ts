import { LRUCache } from "lru-cache";
import type { ExportManifest } from "./export.js";

/** How far an export has come; `manifest` when it has come to its end. */
export interface ExportState {
  readonly records: number;
  readonly bytes: number;
  readonly state: "running" | "done" | "broken";
  readonly manifest: ExportManifest | null;
}

const MOST = 500;
const KEPT_MS = 3_600_000;

/** Exports under way, and for an hour those that ended: whoever asked for one may see how far it is and fetch what proves it. */
export class ExportProgress {
  private readonly states = new LRUCache<string, ExportState>({ max: MOST, ttl: KEPT_MS });

  put(who: string, id: string, state: ExportState): void {
    this.states.set(`${id} ${who}`, state);
  }

  get(who: string, id: string): ExportState | undefined {
    return this.states.get(`${id} ${who}`);
  }
}
