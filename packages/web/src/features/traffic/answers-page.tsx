import type { AnswersAnswer } from "@halvik/contract/traffic";
import { canonicalAddress } from "@halvik/core/base/net";
import { quoteIfNeeded } from "@halvik/core/query/filter";
import { Link } from "react-router";
import { answersQuery } from "../../data/api";
import { useWindow } from "../../data/use-window";
import { useViewStore, usOf } from "../../data/view-store";
import { TextButton } from "../../ui/button";
import { Trouble } from "../../ui/empty-state";
import { Page, Scroller } from "../../ui/page";
import { safeText } from "../../ui/safe-text";
import { dayMinute } from "../../ui/time";
import { AnswersCourse } from "./answers-course";
import { PlainTable } from "./plain-table";
import { RecordsLink } from "./portrait-rows";
import { usePatiently } from "./use-patiently";

type Service = AnswersAnswer["services"][number];
type Server = Service["servers"][number];

/** A window that follows the clock moves on by so much: records are gone through. */
const MINUTE_US = 60e6;

const TITLES = { dns: "DNS", http: "HTTP", tls: "TLS" } as const;
const ASKED = { dns: "questions", http: "requests", tls: "handshakes" } as const;

/** How servers answered: how fast and with what of DNS, with which status of HTTP, by which version of TLS; who failed. */
export function AnswersPage() {
  const window = useWindow(MINUTE_US);
  const zone = useViewStore((s) => s.zone);
  const { data, error, isOld, isLooking, stop } = usePatiently(
    `${window.from} ${window.to}`,
    (patience) => answersQuery(window, patience),
    ({ reached }) => reached,
  );
  return (
    <Page title="How servers answer">
      <div className="flex flex-wrap items-baseline gap-x-4 border-b border-line-strong pb-1.5">
        <h1 className="text-page leading-[1.625rem] font-semibold">How servers answer</h1>
        {data && (
          <span className="text-ui text-quiet">
            {data.answers.toLocaleString("en")} answers, from packets, from flows with elements of HTTP, from logs of
            web servers
          </span>
        )}
        <Link to="/traffic" className="ml-auto text-small">
          all of Traffic
        </Link>
      </div>
      <Scroller label="Answers by service">
        {error && <Trouble error={error} what="Answers are not known" />}
        {!data && !error && <p className="pt-2 text-quiet">Looking …</p>}
        {data && data.reached !== null && (
          <p className="pt-1 text-small text-ochre">
            Looked at back to {dayMinute(usOf(data.reached), zone)} only
            {isLooking && (
              <>
                , going on … <TextButton onClick={stop}>stop</TextButton>
              </>
            )}
          </p>
        )}
        {data?.services.length === 0 && <Nothing />}
        {data && (
          <div
            aria-busy={isOld}
            className={`grid grid-cols-[repeat(auto-fit,minmax(24rem,1fr))] gap-x-7 gap-y-4 pt-2 ${isOld ? "opacity-50" : ""}`}
          >
            {data.services.map((s) => (
              <OfService key={s.service} service={s} answer={data} zone={zone} />
            ))}
          </div>
        )}
      </Scroller>
    </Page>
  );
}

const Nothing = () => (
  <div className="max-w-[38rem] pt-3 text-ui">
    <p>No answers were reported in this window.</p>
    <p className="mt-1 text-quiet">
      Packets do: <code className="font-mono">bin/halvik import FILE --meter --peer ADDRESS</code> reads the questions,
      requests and handshakes in a capture. So do exporters that send elements of HTTP, and web servers whose access log
      comes in by syslog.
    </p>
  </div>
);

const percent = (part: number, of: number): string => `${of === 0 ? 0 : Math.round((1_000 * part) / of) / 10} %`;
/** Right within 2.5 %: two digits are all there is to say. */
const ms = (value: number | null): string => {
  if (value === null) return "";
  if (value >= 1_000) return `${(value / 1_000).toFixed(1)} s`;
  return `${Number(value.toPrecision(2))} ms`;
};

function OfService({ service: s, answer, zone }: { service: Service; answer: AnswersAnswer; zone: string }) {
  return (
    <section aria-label={TITLES[s.service]}>
      <h2 className="text-ui font-semibold">
        {TITLES[s.service]}
        <small className="ml-1.5 text-code font-normal text-quiet">
          {s.count.toLocaleString("en")} {ASKED[s.service]}, {percent(s.failures, s.count)} failed
          {s.p50 !== null && (
            <>
              ; half answered within ≈ {ms(s.p50)}, 95 % within ≈ {ms(s.p95)}
            </>
          )}
        </small>
      </h2>
      <AnswersCourse service={s} stepUs={answer.stepSeconds * 1e6} zone={zone} />
      <PlainTable
        label={`${TITLES[s.service]} servers`}
        heads={
          s.p50 === null
            ? ["server", ASKED[s.service], "failed", "answers"]
            : ["server", ASKED[s.service], "failed", "p50", "p95", "answers"]
        }
        rows={s.servers.map((server) => [
          <RecordsLink key="server" filter={filterOf(s.service, server)}>
            {safeText(server.server)}
          </RecordsLink>,
          server.count.toLocaleString("en"),
          server.failures === 0 ? (
            ""
          ) : (
            <b className="font-semibold text-ochre">{percent(server.failures, server.count)}</b>
          ),
          ...(s.p50 === null ? [] : [ms(server.p50), ms(server.p95)]),
          <span key="answers" className="block min-w-24 whitespace-normal text-quiet">
            {server.answers
              .slice(0, 2)
              .map((a) => `${safeText(a.answer)} ${a.count.toLocaleString("en")}`)
              .join(", ")}
          </span>,
        ])}
      />
      {(s.serversInAll > s.servers.length || s.isCut) && (
        <p className="text-small text-quiet">
          {s.isCut ? "More than " : ""}
          {s.serversInAll.toLocaleString("en")} servers in all; those with the most failures are shown.
        </p>
      )}
    </section>
  );
}

/** The records of one server's answers, as packets tell them: logs and flows are found by the server itself. */
const filterOf = (service: Service["service"], { server }: Server): string => {
  const named = quoteIfNeeded(server);
  if (service === "dns" || canonicalAddress(server) !== null)
    return `kind is packet and app is ${service} and dst is ${named}`;
  if (service === "tls") return `kind is packet and app is tls and data "server name" is ${named}`;
  // a name may be that of a sender whose log it is; what a star would mean was not asked for
  const byLog = /[*?]/.test(server) ? "" : ` or (sender like ${named} and text has "HTTP/1")`;
  return `data "server name" is ${named} or data "httpRequestHost" is ${named}${byLog}`;
};
