import { US_PER_DAY } from "@halvik/core/base/time";
import { type FlowWaiting, readStream } from "@halvik/core/decode/flow";
import type { SenderDirectory } from "@halvik/core/model/senders";
import { NO_INTERFACE, WAYS, type Way } from "@halvik/core/traffic";
import type { Meter, TrafficSource } from "../../store/traffic/read-sums.js";

/** Whose traffic is meant, and how often a conversation counts in it. */
export interface Scope {
  readonly site?: string | undefined;
  readonly exporter?: number | undefined;
  readonly interface?: number | undefined;
  readonly count: "once" | "exported";
}

export interface Metered {
  readonly meters: readonly Meter[];
  /** In and out, of an interface; else one side. */
  readonly sides: 1 | 2;
  readonly counted: "interface" | "once" | "exported";
  /** Its meters are all there is, each conversation counted once. */
  readonly isEverything: boolean;
  /** Of its exporters, those that have told nothing since before the window, though they did in the week before it. */
  readonly silent: readonly number[];
}

/** What is held against the window, and so is looked at too. */
const WEEK = 7 * US_PER_DAY;

const wayNumber = (way: Way): number => WAYS.indexOf(way);
const IN = wayNumber("in");
const OUT = wayNumber("out");
const ONCE_AT_SITE = wayNumber("once at the site");
const ONCE = wayNumber("once");
/** What others say of an interface stands where its own meter says nothing. */
const MENTIONED = { [IN]: wayNumber("in, mentioned"), [OUT]: wayNumber("out, mentioned") } as const;

/**
 * By which sums a scope is answered in a window (`docs/traffic.md`). Of one interface: its own meter of a direction, or what others mention where it
 * has none. Of an exporter: what came in by each of its interfaces. Of a site, and of everything: what was counted once, or what came in at every
 * exporter.
 */
export function metersOf(
  scope: Scope,
  sources: readonly TrafficSource[],
  directory: SenderDirectory,
  window: { readonly fromUs: number; readonly toUs: number },
): Metered {
  // whoever fell silent has still to be seen beside the week before
  const heard = sources.filter((s) => s.firstUs < window.toUs && s.lastUs > window.fromUs - WEEK);
  const metered = heardMeters(scope, heard, directory);
  const telling = new Set(heard.filter((s) => s.lastUs > window.fromUs).map((s) => s.sender));
  const silent = [...new Set(metered.meters.map((m) => m.sender))].filter(
    (sender) => !telling.has(sender) && heard.some((s) => s.sender === sender),
  );
  return { ...metered, silent };
}

function heardMeters(
  scope: Scope,
  heard: readonly TrafficSource[],
  directory: SenderDirectory,
): Omit<Metered, "silent"> {
  const inOf = (sender: number): Meter[] =>
    [...new Set(heard.filter((s) => s.sender === sender && wayIs(s, IN)).map((s) => s.interface))].map((i) =>
      meterOf(heard, sender, i, IN, 0),
    );
  if (scope.exporter !== undefined && scope.interface !== undefined) {
    const { exporter, interface: iface } = scope;
    return {
      meters: [meterOf(heard, exporter, iface, IN, 0), meterOf(heard, exporter, iface, OUT, 1)],
      sides: 2,
      counted: "interface",
      isEverything: false,
    };
  }
  if (scope.exporter !== undefined)
    return { meters: inOf(scope.exporter), sides: 1, counted: "once", isEverything: false };
  const atSite = scope.site === undefined ? null : new Set(directory.idsWith("site", [scope.site]));
  const exporters = [...new Set(heard.map((s) => s.sender))].filter((id) => atSite === null || atSite.has(id));
  if (scope.count === "exported")
    return { meters: exporters.flatMap(inOf), sides: 1, counted: "exported", isEverything: false };
  const once = (sender: number, way: number): Meter => ({ sender, interface: NO_INTERFACE, way, side: 0 });
  return {
    meters:
      atSite === null
        ? exporters.map((sender) => once(sender, ONCE))
        : exporters.length > 1
          ? exporters.map((sender) => once(sender, ONCE_AT_SITE))
          : exporters.flatMap(inOf),
    sides: 1,
    counted: "once",
    isEverything: atSite === null,
  };
}

/** Exporters of a scope whose data waits for its template, as they are called. One that was never understood is in no sums yet. */
export function waitingIn(scope: Scope, waiting: readonly FlowWaiting[], directory: SenderDirectory): string[] {
  const atSite = scope.site === undefined ? null : new Set(directory.idsWith("site", [scope.site]));
  const names = waiting.flatMap(({ stream }) => {
    const { exporter } = readStream(stream);
    const sender = directory.senders.find((s) => s.addresses.includes(exporter));
    const isMeant =
      scope.exporter !== undefined
        ? sender?.id === scope.exporter
        : atSite === null || (sender !== undefined && atSite.has(sender.id));
    return isMeant ? [sender?.name ?? exporter] : [];
  });
  return [...new Set(names)].sort();
}

/** Every exporter by itself as it exported, or with one named, every interface of it in both directions. */
export function placesIn(scope: Scope, sources: readonly TrafficSource[], directory: SenderDirectory): Placed[] {
  const indexes = (sender: number) => [
    ...new Set(sources.filter((s) => s.sender === sender && (wayIs(s, IN) || wayIs(s, OUT))).map((s) => s.interface)),
  ];
  if (scope.exporter !== undefined)
    return indexes(scope.exporter).map((index) => ({
      exporter: scope.exporter!,
      interface: index,
      meters: [meterOf(sources, scope.exporter!, index, IN, 0), meterOf(sources, scope.exporter!, index, OUT, 1)],
    }));
  const atSite = scope.site === undefined ? null : new Set(directory.idsWith("site", [scope.site]));
  return [...new Set(sources.map((s) => s.sender))]
    .filter((id) => atSite === null || atSite.has(id))
    .map((exporter) => ({
      exporter,
      interface: null,
      meters: indexes(exporter).map((index) => meterOf(sources, exporter, index, IN, 0)),
    }));
}

/** An exporter or one of its interfaces, with what meters it. */
export interface Placed {
  readonly exporter: number;
  readonly interface: number | null;
  readonly meters: readonly Meter[];
}

const wayIs = (s: TrafficSource, way: number): boolean => s.way === way || s.way === MENTIONED[way];

function meterOf(heard: readonly TrafficSource[], sender: number, iface: number, way: number, side: 0 | 1): Meter {
  const isOwn = heard.some((s) => s.sender === sender && s.interface === iface && s.way === way);
  return { sender, interface: iface, way: isOwn ? way : MENTIONED[way]!, side };
}
