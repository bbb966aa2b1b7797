import type { ApiError } from "@halvik/contract/errors";
import type { SavedFilterList } from "@halvik/contract/filters";
import type {
  EvidencePage,
  IncidentDetail,
  IncidentList,
  NearIncidents,
  UnusualThen,
} from "@halvik/contract/incidents";
import type { ListEntries, Lists } from "@halvik/contract/lists";
import type { LoadAnswer, Suggestions } from "@halvik/contract/load";
import type { Deliveries, Notices, NotifyRoutes, NotifyWays, SinkMail } from "@halvik/contract/notify";
import type { Portrait, PortraitKind, PortraitNews, PortraitTraffic } from "@halvik/contract/portrait";
import type {
  Coverage,
  ExportStateJson,
  HistogramAnswer,
  MatrixAnswer,
  RecordDetail,
  RecordPage,
  ValuesAnswer,
  WhyNothing,
} from "@halvik/contract/records";
import type { BlindMap, RehearsalStep, RuleDetail, RuleList } from "@halvik/contract/rules";
import type { QuarantineList, Session, Summary } from "@halvik/contract/status";
import type {
  AnswersAnswer,
  MarkingsAnswer,
  PoliciesAnswer,
  PolicyAnswer,
  TrafficAnswer,
  TrafficLists,
  TrafficNow,
  TrafficPlaces,
  UnnamedTraffic,
} from "@halvik/contract/traffic";
import type { Amount, Measure } from "@halvik/core/query/measure";
import { infiniteQueryOptions, keepPreviousData, QueryClient, queryOptions } from "@tanstack/react-query";

/** An answer that says what is wrong. */
export class RequestError extends Error {
  constructor(
    readonly status: number,
    readonly code: string,
    message: string,
  ) {
    super(message);
  }
}

export const queryClient = new QueryClient({
  defaultOptions: {
    queries: {
      retry: (count, e) => count < 2 && !(e instanceof RequestError && e.status < 500),
      staleTime: 2_000,
      refetchOnWindowFocus: false,
    },
  },
});

/** Asks the API; errors become RequestError with the words of the answer. */
/** Proxies take addresses up to 8 KiB (common practice, no source): a longer question goes by POST, as JSON. */
const MAX_ADDRESS = 4_000;

export async function request<T>(method: string, path: string, body?: unknown, signal?: AbortSignal): Promise<T> {
  if (method === "GET" && path.length > MAX_ADDRESS) {
    const [plain, asked] = path.split("?");
    return request("POST", plain!, Object.fromEntries(new URLSearchParams(asked)), signal);
  }
  let response: Response;
  try {
    response = await fetch(`/api/v1${path}`, {
      method,
      signal: signal ?? null,
      ...(body === undefined ? {} : { body: JSON.stringify(body), headers: { "content-type": "application/json" } }),
    });
  } catch (e) {
    if (signal?.aborted) throw e;
    throw new RequestError(503, "UNREACHABLE", "Halvik does not answer. Is it running? It is asked again.");
  }
  if (response.ok) return (await response.json()) as T;
  throw await requestError(response);
}

/** Asks the API by a token, whoever may be signed in. */
export async function requestWith<T>(token: string, path: string, signal: AbortSignal): Promise<T> {
  let response: Response;
  try {
    response = await fetch(`/api/v1${path}`, {
      signal,
      credentials: "omit",
      headers: { authorization: `Bearer ${token}` },
    });
  } catch (e) {
    if (signal.aborted) throw e;
    throw new RequestError(503, "UNREACHABLE", "Halvik does not answer. It is asked again.");
  }
  if (response.ok) return (await response.json()) as T;
  throw await requestError(response);
}

async function requestError(response: Response): Promise<RequestError> {
  const { error } = ((await response.json().catch(() => null)) as ApiError | null) ?? {
    error: { code: "UNREADABLE", message: `an answer with status ${response.status} that cannot be read` },
  };
  if (error.code === "SIGN_IN_NEEDED" || error.code === "PASSWORD_MUST_CHANGE")
    void queryClient.invalidateQueries({ queryKey: ["session"] });
  return new RequestError(response.status, error.code, error.message);
}

export const query = (parts: Readonly<Record<string, string | number | undefined>>): string => {
  const params = new URLSearchParams();
  for (const [name, value] of Object.entries(parts))
    if (value !== undefined && value !== "") params.set(name, String(value));
  return params.size > 0 ? `?${params}` : "";
};

export const sessionQuery = queryOptions({
  queryKey: ["session"],
  queryFn: ({ signal }) => request<Session>("GET", "/session", undefined, signal),
  staleTime: 60_000,
});
export const quarantineQuery = queryOptions({
  queryKey: ["quarantine"],
  queryFn: ({ signal }) => request<QuarantineList>("GET", "/quarantine", undefined, signal),
  refetchInterval: 5_000,
});
export const summaryQuery = queryOptions({
  queryKey: ["summary"],
  queryFn: ({ signal }) => request<Summary>("GET", "/summary", undefined, signal),
  refetchInterval: 3_000,
});
export const notifyRoutesQuery = queryOptions({
  queryKey: ["notify", "routes"],
  queryFn: ({ signal }) => request<NotifyRoutes>("GET", "/notify/routes", undefined, signal),
});
export const listsQuery = queryOptions({
  queryKey: ["lists"],
  queryFn: ({ signal }) => request<Lists>("GET", "/lists", undefined, signal),
});
export const listEntriesQuery = (list: number, text: string) =>
  queryOptions({
    queryKey: ["lists", list, text],
    queryFn: ({ signal }) => request<ListEntries>("GET", `/lists/${list}/entries${query({ text })}`, undefined, signal),
    placeholderData: keepPreviousData,
  });
export const blindMapQuery = queryOptions({
  queryKey: ["rules", "map"],
  queryFn: ({ signal }) => request<BlindMap>("GET", "/techniques", undefined, signal),
});
/** The load of alarms in a window. @param person whose messages; empty: everybody's incidents */
export const loadQuery = (window: WindowParts, person: string, liveOnly: boolean) =>
  queryOptions({
    queryKey: ["load", window.from, window.to, person, liveOnly],
    queryFn: ({ signal }) =>
      request<LoadAnswer>(
        "GET",
        `/load${query({ from: window.from, to: window.to, person: person || undefined, live: String(liveOnly) })}`,
        undefined,
        signal,
      ),
    placeholderData: keepPreviousData,
  });
/** What of traffic is asked: whose, counted how, by what, of which measure. */
export interface TrafficAsked {
  readonly site?: string | undefined;
  readonly exporter?: number | undefined;
  readonly interface?: number | undefined;
  readonly count: "once" | "exported";
  readonly measure: "bytes" | "packets" | "flows";
  /** What narrows it; empty: nothing. */
  readonly filter: string;
  readonly zone: string;
}
/** @param patience seconds that going through the flows may take, where a filter narrows them */
export const trafficQuery = (window: WindowParts, asked: TrafficAsked, by: string, patience: number) =>
  queryOptions({
    queryKey: ["traffic", "course", window.from, window.to, asked, by, patience],
    queryFn: ({ signal }) =>
      request<TrafficAnswer>(
        "GET",
        `/traffic${query({ from: window.from, to: window.to, ...inText(asked), by, patience })}`,
        undefined,
        signal,
      ),
    placeholderData: keepPreviousData,
    refetchInterval: ({ state }) => (isComing(state.data?.asked, state.data?.total[0]?.bytes) ? COMING_MS : false),
  });
export const trafficListsQuery = (
  window: WindowParts,
  asked: TrafficAsked,
  dimensions: readonly string[],
  most: number,
  patience: number,
) =>
  queryOptions({
    queryKey: ["traffic", "lists", window.from, window.to, asked, dimensions, most, patience],
    queryFn: ({ signal }) =>
      request<TrafficLists>(
        "GET",
        `/traffic/lists${query({ from: window.from, to: window.to, ...inText(asked), dimensions: dimensions.join(","), most, patience })}`,
        undefined,
        signal,
      ),
    placeholderData: keepPreviousData,
    refetchInterval: ({ state }) =>
      isComing(state.data?.asked, state.data?.lists[0]?.rows.length) ? COMING_MS : false,
  });
/** Flows are summed a few seconds after they were stored: what is not there yet is asked for again soon. */
const COMING_MS = 5_000;
const isComing = (asked: TrafficAnswer["asked"] | undefined, found: number | undefined): boolean =>
  asked !== undefined && (asked.behind > 0 || (!found && asked.reached === null));
const inText = ({ exporter, interface: index, ...rest }: TrafficAsked) => ({
  ...rest,
  exporter: exporter === undefined ? undefined : String(exporter),
  interface: index === undefined ? undefined : String(index),
});
export const unnamedQuery = (window: WindowParts, asked: TrafficAsked) =>
  queryOptions({
    queryKey: ["traffic", "unnamed", window.from, window.to, asked],
    queryFn: ({ signal }) =>
      request<UnnamedTraffic>(
        "GET",
        `/traffic/unnamed${query({ from: window.from, to: window.to, ...inText(asked) })}`,
        undefined,
        signal,
      ),
    placeholderData: keepPreviousData,
  });
export const markingsQuery = (window: WindowParts, patience: number) =>
  queryOptions({
    queryKey: ["traffic", "markings", window.from, window.to, patience],
    queryFn: ({ signal }) =>
      request<MarkingsAnswer>(
        "GET",
        `/traffic/markings${query({ from: window.from, to: window.to, patience })}`,
        undefined,
        signal,
      ),
    placeholderData: keepPreviousData,
  });
export const answersQuery = (window: WindowParts, patience: number) =>
  queryOptions({
    queryKey: ["traffic", "answers", window.from, window.to, patience],
    queryFn: ({ signal }) =>
      request<AnswersAnswer>(
        "GET",
        `/traffic/answers${query({ from: window.from, to: window.to, patience })}`,
        undefined,
        signal,
      ),
    placeholderData: keepPreviousData,
  });
export const trafficNowQuery = queryOptions({
  queryKey: ["traffic", "now"],
  queryFn: ({ signal }) => request<TrafficNow>("GET", "/traffic/now", undefined, signal),
  refetchInterval: 5_000,
});
export const trafficPlacesQuery = queryOptions({
  queryKey: ["traffic", "places"],
  queryFn: ({ signal }) => request<TrafficPlaces>("GET", "/traffic/places", undefined, signal),
  // the first exporter is waited for, further ones come now and then
  refetchInterval: ({ state }) => (state.data?.exporters.length ? 60_000 : 3_000),
});
/** Ends of a connection, as they were typed; empty: any. */
export interface EndsAsked {
  readonly src: string;
  readonly dst: string;
  readonly port: string;
}
export const policiesQuery = (window: WindowParts) =>
  queryOptions({
    queryKey: ["traffic", "policies", window.from, window.to],
    queryFn: ({ signal }) =>
      request<PoliciesAnswer>(
        "GET",
        `/traffic/policies${query({ from: window.from, to: window.to })}`,
        undefined,
        signal,
      ),
    placeholderData: keepPreviousData,
  });
export const policyQuery = (window: WindowParts, ends: EndsAsked) =>
  queryOptions({
    queryKey: ["traffic", "policy", window.from, window.to, ends],
    queryFn: ({ signal }) =>
      request<PolicyAnswer>(
        "GET",
        `/traffic/policy${query({ from: window.from, to: window.to, src: ends.src || undefined, dst: ends.dst || undefined, port: ends.port || undefined })}`,
        undefined,
        signal,
      ),
    placeholderData: keepPreviousData,
  });
/** What a portrait is of. */
export interface PortraitAsked {
  readonly kind: PortraitKind;
  readonly value: string;
  readonly at?: string | undefined;
}
const ofPortrait = <T>(path: string, window: WindowParts, of: PortraitAsked, patience?: number) =>
  queryOptions({
    queryKey: [path, window.from, window.to, of, patience],
    queryFn: ({ signal }) =>
      request<T>("GET", `${path}${query({ from: window.from, to: window.to, ...of, patience })}`, undefined, signal),
    // what is known of one is nobody else's, not even for a moment
    placeholderData: (before, query) =>
      JSON.stringify(query?.queryKey[3]) === JSON.stringify(of) ? before : undefined,
  });
export const portraitQuery = (window: WindowParts, of: PortraitAsked) => ofPortrait<Portrait>("/portrait", window, of);
export const portraitNewsQuery = (window: WindowParts, of: PortraitAsked) =>
  ofPortrait<PortraitNews>("/portrait/news", window, of);
/** @param patience seconds that going through its flows may take */
export const portraitTrafficQuery = (window: WindowParts, of: PortraitAsked, patience: number) =>
  ofPortrait<PortraitTraffic>("/portrait/traffic", window, of, patience);
export const suggestionsQuery = queryOptions({
  queryKey: ["load", "suggestions"],
  queryFn: ({ signal }) => request<Suggestions>("GET", "/load/suggestions", undefined, signal),
});
export const notifyWaysQuery = queryOptions({
  queryKey: ["notify", "ways"],
  queryFn: ({ signal }) => request<NotifyWays>("GET", "/notify/ways", undefined, signal),
});
/** What was sent of one incident, what waits, and what was withheld and why. */
export const incidentDeliveriesQuery = (incident: number) =>
  queryOptions({
    queryKey: ["notify", "deliveries", incident],
    queryFn: ({ signal }) => request<Deliveries>("GET", `/notify/deliveries?incident=${incident}`, undefined, signal),
    refetchInterval: 4_000,
  });
export const deliveriesQuery = queryOptions({
  queryKey: ["notify", "deliveries"],
  queryFn: ({ signal }) => request<Deliveries>("GET", "/notify/deliveries", undefined, signal),
  refetchInterval: 2_000,
});
export const sinkQuery = queryOptions({
  queryKey: ["notify", "sink"],
  queryFn: ({ signal }) => request<SinkMail>("GET", "/notify/sink", undefined, signal),
  refetchInterval: 3_000,
});
export const noticesQuery = queryOptions({
  queryKey: ["notices"],
  queryFn: ({ signal }) => request<Notices>("GET", "/notices", undefined, signal),
  refetchInterval: 3_000,
});
/** Sends a file as it is. */
export async function upload<T>(path: string, file: Blob): Promise<T> {
  const response = await fetch(`/api/v1${path}`, {
    method: "POST",
    body: file,
    headers: { "content-type": "application/octet-stream" },
  });
  if (response.ok) return (await response.json()) as T;
  throw await requestError(response);
}
export const rulesQuery = queryOptions({
  queryKey: ["rules"],
  queryFn: ({ signal }) => request<RuleList>("GET", "/rules", undefined, signal),
  refetchInterval: 10_000,
});

export const ruleQuery = (id: string) =>
  queryOptions({
    queryKey: ["rule", id],
    queryFn: ({ signal }) => request<RuleDetail>("GET", `/rules/${id}`, undefined, signal),
  });

/** A rehearsal tells how far it has come, a line at a time. */
export async function rehearsal(
  body: { readonly text: string; readonly against?: string } & WindowParts,
  signal: AbortSignal,
  onStep: (step: RehearsalStep) => void,
): Promise<void> {
  const response = await fetch("/api/v1/rules/rehearse", {
    method: "POST",
    signal,
    body: JSON.stringify(body),
    headers: { "content-type": "application/json" },
  });
  if (!response.ok || response.body === null) throw await requestError(response);
  let rest = "";
  const reader = response.body.pipeThrough(new TextDecoderStream()).getReader();
  for (let part = await reader.read(); !part.done; part = await reader.read()) {
    const lines = (rest + part.value).split("\n");
    rest = lines.pop() ?? "";
    for (const line of lines) onStep(JSON.parse(line) as RehearsalStep);
  }
}

export interface WindowParts {
  readonly from: string;
  readonly to: string;
}
/** The window as a question has it: a window on screen knows more. */
const bounds = ({ from, to }: Partial<WindowParts>) => ({ from, to });

export const histogramQuery = (
  window: WindowParts,
  buckets: number,
  filter: string,
  zone: string,
  whole: "window" | "buckets",
  refetchMs: number | false,
) =>
  queryOptions({
    queryKey: ["histogram", window.from, window.to, buckets, filter, whole],
    queryFn: ({ signal }) =>
      request<HistogramAnswer>(
        "GET",
        `/records/histogram${query({ ...bounds(window), buckets, filter, zone, whole })}`,
        undefined,
        signal,
      ),
    refetchInterval: refetchMs,
    placeholderData: keepPreviousData,
  });
export const valuesQuery = (
  window: WindowParts,
  filter: string,
  zone: string,
  field: string,
  top: number,
  measure: Measure = { by: "records" },
  /** Of `data`: which. */
  name?: string,
) =>
  queryOptions({
    queryKey: ["values", window.from, window.to, filter, field, top, measure, name ?? null],
    queryFn: ({ signal }) =>
      request<ValuesAnswer>(
        "GET",
        `/records/values${query({
          ...bounds(window),
          filter,
          zone,
          field,
          name,
          top,
          by: measure.by,
          distinct: measure.by === "distinct" ? measure.of : undefined,
        })}`,
        undefined,
        signal,
      ),
    placeholderData: keepPreviousData,
  });
/** How two fields go together. */
export const matrixQuery = (
  window: WindowParts,
  filter: string,
  zone: string,
  fields: { readonly rows: string; readonly columns: string },
  by: Amount,
) =>
  queryOptions({
    queryKey: ["matrix", window.from, window.to, filter, fields, by],
    queryFn: ({ signal }) =>
      request<MatrixAnswer>(
        "GET",
        `/records/matrix${query({ ...bounds(window), filter, zone, ...fields, by })}`,
        undefined,
        signal,
      ),
    placeholderData: keepPreviousData,
  });
export const coverageQuery = (window: WindowParts) =>
  queryOptions({
    queryKey: ["coverage", window.from, window.to],
    queryFn: ({ signal }) => request<Coverage>("GET", `/records/coverage${query(bounds(window))}`, undefined, signal),
    placeholderData: keepPreviousData,
  });
export const whyNothingQuery = (window: WindowParts, filter: string, zone: string) =>
  queryOptions({
    queryKey: ["why-nothing", window.from, window.to, filter],
    queryFn: ({ signal }) =>
      request<WhyNothing>(
        "GET",
        `/records/why-nothing${query({ ...bounds(window), filter, zone })}`,
        undefined,
        signal,
      ),
  });
export const savedFiltersQuery = queryOptions({
  queryKey: ["filters"],
  queryFn: ({ signal }) => request<SavedFilterList>("GET", "/filters", undefined, signal),
  staleTime: 10_000,
});
/** Where a browser fetches an export from. @param id by which its progress is asked for */
export const exportUrl = (
  window: WindowParts,
  filter: string,
  zone: string,
  { format, as, id }: { readonly format: string; readonly as: "file" | "archive"; readonly id: string },
): string => `/api/v1/records/export${query({ ...bounds(window), filter, zone, format, as, id })}`;
export const exportStateQuery = (id: string) =>
  queryOptions({
    queryKey: ["export", id],
    queryFn: ({ signal }) => request<ExportStateJson>("GET", `/records/exports/${id}`, undefined, signal),
    // it may not have begun yet
    retry: 5,
    refetchInterval: ({ state }) => (state.data === undefined || state.data.state === "running" ? 500 : false),
  });
export const recordsPage = (
  window: WindowParts,
  filter: string,
  zone: string,
  cursor: string | undefined,
  limit: number,
  signal?: AbortSignal,
) =>
  request<RecordPage>("GET", `/records${query({ ...bounds(window), filter, zone, cursor, limit })}`, undefined, signal);
const SEEN_FROM = "1970-01-01T00:00:00Z";
/** A search that needs longer than this many answers gives up. */
const SEEN_STEPS = 20;

/** The record at one end of all that matches, and whether the search ended before it was sure. */
async function endOf(filter: string, zone: string, direction: "older" | "newer", signal: AbortSignal) {
  let cursor: string | undefined;
  for (let i = 0; i < SEEN_STEPS; i++) {
    const page: RecordPage = await request(
      "GET",
      `/records${query({ from: SEEN_FROM, filter, zone, direction, cursor, limit: 1 })}`,
      undefined,
      signal,
    );
    if (page.records[0] || !page.partial) return { record: page.records[0] ?? null, partial: false };
    cursor = page.nextCursor;
  }
  return { record: null, partial: true };
}

/** When something was first and last seen in all that is kept. */
export const seenQuery = (filter: string, zone: string) =>
  queryOptions({
    queryKey: ["seen", filter],
    queryFn: async ({ signal }) => {
      const last = await endOf(filter, zone, "older", signal);
      const first = await endOf(filter, zone, "newer", signal);
      return { first: first.record, firstPartial: first.partial, last: last.record, lastPartial: last.partial };
    },
    staleTime: 60_000,
  });
export const recordQuery = (id: string) =>
  queryOptions({
    queryKey: ["record", id],
    queryFn: ({ signal }) => request<RecordDetail>("GET", `/records/${id}`, undefined, signal),
    // its incidents come and go, and a format may have read it anew
    staleTime: 5_000,
  });
export const incidentsQuery = (state: string, window: Partial<WindowParts>) =>
  queryOptions({
    queryKey: ["incidents", state, window.from, window.to],
    queryFn: ({ signal }) =>
      request<IncidentList>("GET", `/incidents${query({ state, ...bounds(window) })}`, undefined, signal),
    refetchInterval: 4_000,
    placeholderData: keepPreviousData,
  });
export const nearQuery = (id: string) =>
  queryOptions({
    queryKey: ["incident", id, "near"],
    queryFn: ({ signal }) => request<NearIncidents>("GET", `/incidents/${id}/near`, undefined, signal),
    staleTime: 60_000,
  });
/** Costly to answer: asked once for the hours an incident touches, whatever else is asked of it. @param last when its latest evidence came */
export const unusualQuery = (id: number, last: string) =>
  queryOptions({
    queryKey: ["unusual", id, last.slice(0, "2026-11-28T02".length)],
    queryFn: ({ signal }) => request<UnusualThen>("GET", `/incidents/${id}/unusual`, undefined, signal),
    staleTime: Number.POSITIVE_INFINITY,
    placeholderData: keepPreviousData,
  });
/** What is kept as evidence of an incident, the newest first; of one rule and step of it. */
export const evidenceQuery = (id: number, of: { rule: string | null; step: number | null }) =>
  infiniteQueryOptions({
    queryKey: ["evidence", id, of.rule, of.step],
    queryFn: ({ signal, pageParam }) => {
      const asked = new URLSearchParams({ limit: "200" });
      if (of.rule !== null) asked.set("rule", of.rule);
      if (of.step !== null) asked.set("step", String(of.step));
      if (pageParam !== null) asked.set("after", pageParam);
      return request<EvidencePage>("GET", `/incidents/${id}/evidence?${asked}`, undefined, signal);
    },
    initialPageParam: null as string | null,
    getNextPageParam: (page) => page.next,
    placeholderData: keepPreviousData,
    // who reads further back is not asked for all of it again and again
    refetchInterval: (query) => ((query.state.data?.pages.length ?? 1) > 1 ? false : 4_000),
  });
export const incidentQuery = (id: string) =>
  queryOptions({
    queryKey: ["incident", id],
    queryFn: ({ signal }) => request<IncidentDetail>("GET", `/incidents/${id}`, undefined, signal),
    refetchInterval: 4_000,
  });
