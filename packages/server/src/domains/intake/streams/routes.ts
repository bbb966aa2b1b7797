import { FlowStreams } from "@halvik/contract/status";
import { formatUs } from "@halvik/core/base/time";
import {
  elementName,
  type FlowWaiting,
  readStream,
  type SavedDomain,
  type SavedUses,
  VARIABLE,
} from "@halvik/core/decode/flow";
import type * as z from "zod";
import type { Pool } from "../../../kernel/db/pool.js";
import { route } from "../../../kernel/http/route.js";
import type { DirectoryCache } from "../senders/directory-cache.js";
import { flowsWaiting, knownStreams } from "./repository.js";

const MOST_STREAMS = 200;
const MOST_TEMPLATES = 50;

/** What these routes work with. */
interface Needs {
  readonly db: Pool;
  readonly directory: DirectoryCache;
}

/** Templates by exporter and observation domain: what they say, how old they are, what waits for them. */
export const streamRoutes = ({ db, directory }: Needs) => [
  route({
    method: "get",
    path: "/flow-streams",
    summary: "Streams of flows with their templates, how they are used, and the data that waits for one",
    access: "read",
    answer: FlowStreams,
    handle: async () => {
      const senders = (await directory.get()).senders;
      const nameOf = (exporter: string) => senders.find((s) => s.addresses.includes(exporter))?.name ?? "";
      const waiting = await flowsWaiting(db);
      const known = await knownStreams(db, MOST_STREAMS);
      const heard = new Set(known.map((k) => k.key));
      // of one that was never understood only what waits is known
      const unheard = [...new Set(waiting.map((w) => w.stream))].filter((key) => !heard.has(key));
      return {
        streams: [...unheard.map((key) => ({ key, saved: null, uses: [] })), ...known].map(({ key, saved, uses }) => {
          const stream = readStream(key);
          return {
            ...stream,
            sender: nameOf(stream.exporter),
            sampling: saved?.sampling.rate ?? 1,
            interfaces: saved?.interfaces.length ?? 0,
            applications: saved?.applications.length ?? 0,
            templates: saved === null ? [] : templatesOf(saved, uses),
            waiting: waiting.filter((w) => w.stream === key).map(waitingJson),
          };
        }),
      };
    },
  }),
];

type Stream = z.infer<typeof FlowStreams>["streams"][number];

function templatesOf(saved: SavedDomain, used: SavedUses): Stream["templates"] {
  const uses = new Map(used);
  const at = (us: number | null | undefined) => (us == null ? null : formatUs(us));
  return saved.templates.slice(-MOST_TEMPLATES).map(({ id, scopes, fields }) => {
    const use = uses.get(id);
    return {
      id,
      options: scopes > 0,
      fields: fields.map((f) => ({
        name: elementName(f.element, f.enterprise),
        octets: f.length === VARIABLE ? null : f.length,
      })),
      learnt: at(use?.learntUs),
      told: at(use?.toldUs),
      used: at(use?.usedUs),
      records: use?.records ?? 0,
    };
  });
}

const waitingJson = ({ template, sets, octets, sinceUs }: FlowWaiting): Stream["waiting"][number] => ({
  template,
  sets,
  octets,
  since: formatUs(sinceUs),
});
