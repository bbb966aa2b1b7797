import type { IncidentDetail } from "@halvik/contract/incidents";
import { formatDuration } from "@halvik/core/base/time";
import { storyOf } from "@halvik/core/respond/story";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";
import { Link, useNavigate, useParams } from "react-router";
import { toast } from "sonner";
import { incidentQuery, nearQuery, request } from "../../data/api";
import { isoOf, type Marked, useView, useViewStore, usOf } from "../../data/view-store";
import { usePageKeys } from "../../navigation/keys";
import { changedSearch } from "../../navigation/sections";
import { NamedText } from "../../shared/address-names";
import { Ago } from "../../shared/ago";
import { Tag } from "../../shared/incident-strip";
import { usePinChoices } from "../../shared/pinning";
import { Kbd, TextButton } from "../../ui/button";
import { Trouble } from "../../ui/empty-state";
import { SeverityMark } from "../../ui/marks";
import { Heading, Page } from "../../ui/page";
import { safeText } from "../../ui/safe-text";
import { clock, day, dayClock } from "../../ui/time";
import { Evidence } from "./evidence";
import { EvidenceLine } from "./evidence-line";
import { IncidentMargin } from "./incident-margin";
import { Lanes } from "./lanes";
import { ruleWindow } from "./rule-window";
import { Unusual } from "./unusual";

const AROUND_US = 120_000_000;

/** One incident: its story, lanes by entity, the evidence, and in the margin its facts and what to do. */
export function IncidentPage() {
  const { id = "" } = useParams();
  const detail = useQuery(incidentQuery(id));
  const client = useQueryClient();
  const navigate = useNavigate();
  const act = useMutation({
    mutationFn: ({ what, body, method }: { what: string; body: object; method: "POST" | "PATCH" }) =>
      request<IncidentDetail>(method, `/incidents/${id}/${what}`, body),
    onSuccess: (answer) => {
      const shown = String(answer.incident.id);
      client.setQueryData(["incident", shown], answer);
      void client.invalidateQueries({ queryKey: ["incident", id] });
      // merged or split: the one that holds the findings now
      if (shown !== id) void navigate(`/incidents/${shown}`);
      void client.invalidateQueries({ queryKey: ["incidents"] });
      void client.invalidateQueries({ queryKey: ["summary"] });
    },
    onError: (e) => toast.error(e.message),
  });
  // what is shown stays while Halvik is away for a moment: the frame says that it is
  if (detail.error && !detail.data)
    return (
      <Page title="Incident">
        <h1 className="sr-only">Incident</h1>
        <Trouble error={detail.error} what="This incident cannot be shown" />
      </Page>
    );
  if (!detail.data) return <Page title="Incident">{null}</Page>;
  return (
    <Page
      title={safeText(detail.data.incident.title)}
      margin={
        <IncidentMargin
          detail={detail.data}
          act={(what, body, method = "POST") =>
            act.mutateAsync({ what, body, method }).then(
              () => true,
              () => false,
            )
          }
        />
      }
    >
      <MarkOnRail detail={detail.data} />
      <PinsOf detail={detail.data} />
      <Title detail={detail.data} />
      <div className="mt-2.5 grid min-h-0 flex-1 grid-cols-[minmax(18.75rem,1fr)_minmax(21.25rem,1.1fr)] gap-4 max-wide:flex-none max-wide:grid-cols-1">
        {/* biome-ignore lint/a11y/noNoninteractiveTabindex: what scrolls must be reached by keyboard */}
        <section aria-label="Story" tabIndex={0} className="overflow-y-auto pb-4 max-wide:overflow-visible">
          <Story detail={detail.data} />
          <Why detail={detail.data} />
          <Together detail={detail.data} />
          <NotJoined id={id} />
          <Unusual incident={detail.data.incident} />
        </section>
        <section
          aria-label="Lanes"
          // biome-ignore lint/a11y/noNoninteractiveTabindex: what scrolls must be reached by keyboard
          tabIndex={0}
          className="overflow-auto border-l border-line pl-3.5 max-wide:border-l-0 max-wide:pl-0"
        >
          <Lanes detail={detail.data} />
        </section>
      </div>
      <Evidence detail={detail.data} />
    </Page>
  );
}

/** While the page is open, the rail points out when the rule was met. */
function MarkOnRail({ detail }: { detail: IncidentDetail }) {
  const setMarked = useViewStore((s) => s.setMarked);
  const marked = ruleWindow(detail);
  const key = JSON.stringify(marked);
  useEffect(() => {
    setMarked(JSON.parse(key) as Marked | null);
    return () => setMarked(null);
  }, [key, setMarked]);
  return null;
}

/** Everything that can be pinned of it. */
function PinsOf({ detail: { incident } }: { detail: IncidentDetail }) {
  usePinChoices([{ label: `the incident ${incident.title}`, pin: { is: "incident", id: incident.id } }]);
  return null;
}

function Title({ detail: { incident: i } }: { detail: IncidentDetail }) {
  const { zone, setWindow } = useView("zone", "setWindow");
  const lastUs = usOf(i.last);
  const around = { spanUs: lastUs - usOf(i.first) + 2 * AROUND_US, endUs: lastUs + AROUND_US };
  const show = () => setWindow(around);
  const changed = `/records?${changedSearch(
    new URLSearchParams({ from: isoOf(around.endUs - around.spanUs), to: isoOf(around.endUs) }),
  )}`;
  const navigate = useNavigate();
  usePageKeys({ d: () => void navigate(changed) });
  return (
    <div className="flex items-center gap-2.5">
      <SeverityMark severity={i.severity} height={26} />
      <div>
        <h1 className="text-page leading-[1.625rem] font-semibold">
          <NamedText>{i.title}</NamedText>
        </h1>
        <p className="text-quiet">
          {i.count.toLocaleString("en")} {i.count === 1 ? "record" : "records"} · {dayClock(usOf(i.first), zone)} –{" "}
          {day(lastUs, zone) === day(usOf(i.first), zone) ? clock(lastUs, zone) : dayClock(lastUs, zone)} ·{" "}
          {i.ended === null ? (
            <>
              quiet for <Ago us={lastUs} />
            </>
          ) : (
            `${i.stopped ? "stopped, not judged" : i.state} ${dayClock(usOf(i.ended), zone)}`
          )}{" "}
          <TextButton className="underline" onClick={show}>
            show on the rail
          </TextButton>{" "}
          · <Link to={changed}>what was different then?</Link> <Kbd>d</Kbd>{" "}
          {i.newSinceSeen.length > 0 && <Tag attention>new since seen: {safeText(i.newSinceSeen.join(", "))}</Tag>}
        </p>
      </div>
    </div>
  );
}

function Story({ detail }: { detail: IncidentDetail }) {
  const zone = useViewStore((s) => s.zone);
  const { first, last } = detail.incident;
  // over several days a clock alone says little
  const when = day(usOf(first), zone) === day(usOf(last), zone) ? clock : dayClock;
  return (
    <>
      <Heading>Story</Heading>
      {storyOf(detail, (us) => when(us, zone)).map((s) => (
        <p key={s.us + s.text} className="mb-1.5 max-w-[60ch]">
          <time className="mr-1.5 font-mono text-code text-quiet" dateTime={isoOf(s.us)}>
            {when(s.us, zone)}
          </time>
          <NamedText>{s.text}</NamedText>
        </p>
      ))}
    </>
  );
}

function Why({ detail: { rules, findings, moreFindings } }: { detail: IncidentDetail }) {
  return (
    <>
      <Heading>Why it fired</Heading>
      {rules.map((rule) => {
        const own = findings.filter((f) => f.rule === rule.id);
        const latest = own[0];
        return (
          <div key={`${rule.id} ${rule.version}`} className="mb-2 max-w-[64ch]">
            <p className="flex justify-between gap-4">
              <span>
                <b className="font-semibold">{safeText(rule.name)}</b>{" "}
                <span className="text-quiet">version {rule.version}</span>
              </span>
              {latest && (
                <b className="whitespace-nowrap">
                  {latest.count === 1
                    ? "1 record"
                    : `${latest.count.toLocaleString("en")} in ${formatDuration(usOf(latest.last) - usOf(latest.first))}`}
                </b>
              )}
            </p>
            <p className="text-ui text-quiet">{safeText(rule.sentence)}</p>
            {latest && rule.steps.length > 0 && (
              <ol className="mt-1 text-ui">
                {rule.steps.map((step, i) => {
                  const met = Object.values(latest.steps).filter((s) => s === i).length;
                  return (
                    <li key={step} className="flex justify-between gap-4 border-t border-line">
                      <span>
                        {i + 1}. {safeText(step)}
                      </span>
                      <span className="whitespace-nowrap text-quiet">{met === 0 ? "none" : `${met} listed`}</span>
                    </li>
                  );
                })}
              </ol>
            )}
            {latest && latest.facts.length > 0 && (
              <p className="mt-1 font-mono text-code">
                {latest.facts
                  .map(([name, value]) => `${name} ${Number(value.toPrecision(4)).toLocaleString("en")}`)
                  .join(" · ")}
              </p>
            )}
            {own.flatMap((f) =>
              f.clearedWith === null ? [] : [<EvidenceLine key={f.id} record={f.clearedWith} says="cleared by" />],
            )}
            {rule.reason !== "" && <p className="mt-1 text-ui text-quiet">{safeText(rule.reason)}</p>}
          </div>
        );
      })}
      {moreFindings > 0 && (
        <p className="text-ui text-quiet">
          {moreFindings.toLocaleString("en")} older findings are counted and not shown here; an export has them.
        </p>
      )}
      {rules.some((r) => r.notes !== "") && (
        <>
          <Heading>What to look at next</Heading>
          {rules.map((r) => (
            <p key={r.id} className="mb-1 max-w-[60ch] text-ui text-quiet">
              {safeText(r.notes)}
            </p>
          ))}
        </>
      )}
    </>
  );
}

/** Why its findings are one incident: what each shared with what was there, and what that weighs. */
function Together({ detail: { rules, findings } }: { detail: IncidentDetail }) {
  const joined = findings.filter((f) => f.joined !== "").reverse();
  if (joined.length === 0) return null;
  return (
    <>
      <Heading small="from ½ on they are one">Why these belong together</Heading>
      {joined.map((f) => (
        <div key={f.id} className="mb-1.5 max-w-[64ch] text-ui">
          <b className="font-semibold">{safeText(rules.find((r) => r.id === f.rule)?.name ?? f.rule)}</b>
          {f.links.length === 0 && <p>{safeText(f.joined)}</p>}
          <ul>
            {f.links.map((l) => (
              <li key={l.field + l.value} className="flex justify-between gap-4 border-t border-line">
                <span>
                  same {l.field} <NamedText>{l.value}</NamedText> <span className="text-quiet">{safeText(l.why)}</span>
                </span>
                <span className="font-mono text-code">{l.weight.toFixed(2)}</span>
              </li>
            ))}
          </ul>
        </div>
      ))}
    </>
  );
}

/** What was near and shares something, and is another incident all the same. */
function NotJoined({ id }: { id: string }) {
  const near = useQuery(nearQuery(id)).data?.near ?? [];
  const zone = useViewStore((s) => s.zone);
  if (near.length === 0) return null;
  return (
    <>
      <Heading>Not joined, though near</Heading>
      {near.map((n) => (
        <p key={n.id} className="mb-1 max-w-[64ch] text-ui">
          <time className="font-mono text-small text-quiet">{dayClock(usOf(n.first), zone)}</time>{" "}
          <Link to={`/incidents/${n.id}`}>
            <NamedText>{n.title}</NamedText>
          </Link>
          <span className="block text-quiet">
            {n.links
              .slice(0, 3)
              .map((l) => `same ${l.field} ${safeText(l.value)} ${l.weight.toFixed(2)}: ${safeText(l.why)}`)
              .join("; ")}
          </span>
        </p>
      ))}
    </>
  );
}
