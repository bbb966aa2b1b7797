import { PORTRAIT_KINDS, type Portrait, type PortraitKind, type PortraitTraffic } from "@halvik/contract/portrait";
import { useQuery } from "@tanstack/react-query";
import { useSearchParams } from "react-router";
import { type PortraitAsked, portraitQuery, portraitTrafficQuery } from "../../data/api";
import { useWindow } from "../../data/use-window";
import { isoOf, useViewStore, usOf } from "../../data/view-store";
import { addressOf } from "../../data/window-url";
import { Coverage } from "../../shared/coverage";
import { usePinChoices } from "../../shared/pinning";
import { PortraitLink } from "../../shared/portrait-link";
import { Button, TextButton } from "../../ui/button";
import { Trouble } from "../../ui/empty-state";
import { Page, Scroller } from "../../ui/page";
import { safeText } from "../../ui/safe-text";
import { dayMinute } from "../../ui/time";
import { sayAmount } from "./amounts";
import { PortraitParts, RecordAt } from "./portrait-parts";
import { MINUTE_US, RecordsLink } from "./portrait-rows";
import { Profile } from "./profile";
import { usePatiently } from "./use-patiently";

const PICTURE = { measure: "bytes", scale: "linear" } as const;

function read(params: URLSearchParams): PortraitAsked {
  const kind = params.get("kind");
  return {
    kind: PORTRAIT_KINDS.find((k) => k === kind) ?? "address",
    value: params.get("value") ?? "",
    at: params.get("at") ?? undefined,
  };
}

/** Everything there is about one address, machine, user or interface, on one page; each line leads to its records. */
export function PortraitPage() {
  const [params, setParams] = useSearchParams();
  const of = read(params);
  const zone = useViewStore((s) => s.zone);
  const window = useWindow(MINUTE_US);
  const { data, error, isFetching } = useQuery(portraitQuery(window, of));
  const kind = data?.kind === "sender" ? "host" : data?.kind;
  usePinChoices(
    kind === undefined || kind === "interface"
      ? []
      : [
          {
            label: `the portrait of ${of.value}`,
            pin: { is: "portrait", kind, value: of.value, zone, from: window.from, to: window.to },
          },
        ],
  );
  const go = (fromUs: number, toUs: number) =>
    setParams((before) => {
      const next = new URLSearchParams(before);
      for (const [name, value] of Object.entries(addressOf({ spanUs: toUs - fromUs, endUs: toUs })))
        if (value === null) next.delete(name);
        else next.set(name, value);
      return next;
    });
  return (
    <Page title={of.value === "" ? "Portrait" : safeText(of.value)}>
      <div className="flex flex-wrap items-baseline gap-x-3.5 border-b border-line-strong pb-1.5">
        <h1 className="text-page leading-[1.625rem] font-semibold break-all">{safeText(of.value)}</h1>
        {data && <span className="text-quiet">{aboutIt(data)}</span>}
        {data && <Seen portrait={data} zone={zone} />}
        <span className="basis-full text-ui">
          <Coverage window={window} zone={zone} />
        </span>
      </div>
      {error && <Trouble error={error} what="There is no portrait" />}
      {!data && isFetching && <p className="pt-2 text-quiet">Looking …</p>}
      {data && <Sheet of={of} portrait={data} zone={zone} onGo={go} />}
    </Page>
  );
}

/** The same beside what it was asked from: without its course over time, which has no room there. */
export function PortraitMargin({ of, onClose }: { of: PortraitAsked; onClose: () => void }) {
  const window = useWindow(MINUTE_US);
  const zone = useViewStore((s) => s.zone);
  const { data, error } = useQuery(portraitQuery(window, of));
  const hasTraffic = (data?.addresses.length ?? 0) > 0;
  const traffic = usePatiently(
    JSON.stringify([of, window.from, window.to]),
    (patience) => ({ ...portraitTrafficQuery(window, of, patience), enabled: hasTraffic }),
    ({ reached }) => reached,
  );
  return (
    <>
      <div className="flex items-start justify-between gap-2">
        <h2 className="min-w-0 text-title leading-6 font-semibold break-all">{safeText(of.value)}</h2>
        <Button onClick={onClose} aria-label="Close the margin" shortcut="Esc" />
      </div>
      {error && <Trouble error={error} what="There is no portrait" />}
      {data && (
        <>
          <p className="text-ui text-quiet">{aboutIt(data)}</p>
          <Seen portrait={data} zone={zone} />
          <p className="mt-1 text-ui">
            <PortraitLink {...of}>its whole portrait</PortraitLink>
            {hasTraffic && traffic.data && (
              <span className="text-quiet">
                {" "}
                · sent {sayAmount(traffic.data.total.sent, "bytes")}, received{" "}
                {sayAmount(traffic.data.total.received, "bytes")}
              </span>
            )}
          </p>
          <PortraitParts of={of} portrait={data} traffic={hasTraffic ? traffic.data : undefined} zone={zone} />
        </>
      )}
    </>
  );
}

const aboutIt = ({ kind, about }: Portrait): string =>
  [kind as PortraitKind, safeText(about)].filter((part) => part !== "").join(" · ");

/** When it was seen first and last of all that is kept, and whether somebody is needed. */
function Seen({
  portrait: { firstSeen, lastSeen, incidents, filter, partial },
  zone,
}: {
  portrait: Portrait;
  zone: string;
}) {
  const open = incidents.filter((i) => i.state === "open").length;
  return (
    <span className="ml-auto flex flex-wrap gap-x-2.5 text-ui text-quiet">
      {firstSeen && (
        <span>
          first seen <RecordAt witness={firstSeen} zone={zone} />
        </span>
      )}
      {lastSeen && (
        <span>
          last <RecordAt witness={lastSeen} zone={zone} />
        </span>
      )}
      {firstSeen === null && lastSeen === null && <span>no record names it</span>}
      {open > 0 && <b className="text-vermilion">in {open === 1 ? "one open incident" : `${open} open incidents`}</b>}
      {partial && <b className="text-ochre">counted in part only: there was no time for all</b>}
      <RecordsLink filter={filter}>its records</RecordsLink>
    </span>
  );
}

interface SheetProps {
  readonly of: PortraitAsked;
  readonly portrait: Portrait;
  readonly zone: string;
  /** Goes to a stretch of time, so that going back undoes it. */
  readonly onGo: (fromUs: number, toUs: number) => void;
}

/** Its traffic over time, where it has any of its own, and beside it all that is known. */
function Sheet({ of, portrait, zone, onGo }: SheetProps) {
  const window = useWindow(MINUTE_US);
  const hasTraffic = portrait.addresses.length > 0;
  const { data, error, isLooking, stop } = usePatiently(
    JSON.stringify([of, window.from, window.to]),
    (patience) => ({ ...portraitTrafficQuery(window, of, patience), enabled: hasTraffic }),
    ({ reached }) => reached,
  );
  const traffic = hasTraffic ? data : undefined;
  return (
    <div
      className={`grid min-h-0 flex-1 gap-5 max-wide:flex max-wide:flex-none max-wide:flex-col ${hasTraffic ? "grid-cols-[minmax(240px,3fr)_9fr]" : "grid-cols-1"}`}
    >
      {hasTraffic && (
        <div className="flex min-h-0 flex-col pt-2 pb-2 max-wide:h-[28rem]">
          <h2 className="text-ui font-semibold">
            Sent and received
            {traffic && (
              <small className="ml-1.5 text-code font-normal text-quiet">
                {sayAmount(traffic.total.sent, "bytes")} · {sayAmount(traffic.total.received, "bytes")}
                {traffic.estimatedRate > 1 && ` · ≈ sampled, up to 1 in ${traffic.estimatedRate}`}
              </small>
            )}
          </h2>
          {error && <Trouble error={error} what="Its traffic cannot be shown" />}
          {traffic?.reached && (
            <p className="text-small text-ochre">
              Looked at back to {dayMinute(usOf(traffic.reached), zone)} only
              {isLooking && ", going on … "}
              {isLooking && <TextButton onClick={stop}>stop</TextButton>}
            </p>
          )}
          {traffic?.flows === 0 && <p className="text-ui text-quiet">No flows of it in this window.</p>}
          {traffic && traffic.flows > 0 && <Profile answer={asCourse(traffic)} sentence={PICTURE} onGo={onGo} />}
        </div>
      )}
      <Scroller label="What is known of it">
        {!hasTraffic && (
          <p className="pt-2 text-ui text-quiet">
            {portrait.kind === "user"
              ? "A user has no traffic of their own; the addresses they came from have."
              : "No address of it is known in this window, so no flows are its own."}
          </p>
        )}
        <PortraitParts of={of} portrait={portrait} traffic={traffic} zone={zone} />
      </Scroller>
    </div>
  );
}

/** As the profile draws an interface: what was received to the right, what was sent to the left. */
const asCourse = ({ from, step, sent, received }: PortraitTraffic) => ({
  step,
  sides: 2,
  bands: [],
  capacity: null,
  steps: sent.map((out, i) => ({
    from: isoOf(usOf(from) + i * step * 1e6),
    bands: [[], []],
    whole: [received[i] ?? 0, out],
    weekBefore: [0, 0],
  })),
});
