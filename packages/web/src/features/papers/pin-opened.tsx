import type { PaperDetail, PinJson } from "@halvik/contract/papers";
import { sayCount, sayLead } from "@halvik/core/papers";
import { quoteIfNeeded } from "@halvik/core/query/filter";
import { useQuery } from "@tanstack/react-query";
import { type FormEvent, type ReactNode, useState } from "react";
import { Link } from "react-router";
import { pinAgainQuery } from "../../data/paper-queries";
import { useViewStore, usOf } from "../../data/view-store";
import { TechniquesField } from "../../shared/techniques-field";
import { TextButton } from "../../ui/button";
import { Course } from "../../ui/course";
import { Input } from "../../ui/field";
import { Facts } from "../../ui/page";
import { safeText } from "../../ui/safe-text";
import { Select } from "../../ui/select";
import { dayClock, dayMinute } from "../../ui/time";
import { TwiceButton } from "../../ui/twice-button";
import { EditableText } from "./editable-text";
import { said } from "./pin-words";
import { usePaperAct } from "./use-paper-act";

interface PinOpenedProps {
  readonly pin: PinJson;
  readonly paper: PaperDetail;
  readonly mayWrite: boolean;
  readonly onShow: (number: number) => void;
}

/** What is kept of a pin, why it is pinned, what it leads to, and what can be done with it. */
export function PinOpened({ pin, paper, mayWrite, onShow }: PinOpenedProps) {
  const zone = useViewStore((s) => s.zone);
  const { mutate, mutateAsync, error } = usePaperAct(paper.id);
  const path = `/pins/${pin.number}`;
  const save = (reason: string, techniques: readonly string[], version = pin.version) =>
    mutateAsync({ method: "PATCH", path, body: { reason, techniques, version } });
  return (
    <div className="mb-2 ml-[3.25rem] border-l border-line pl-3 text-ui">
      <Kept pin={pin} paper={paper} />
      <p className="mt-1 text-small text-quiet">
        pinned by {safeText(pin.by)}, {dayMinute(usOf(pin.at), zone)}
      </p>
      <EditableText
        label={`Why #${pin.number} is pinned`}
        text={pin.reason}
        version={pin.version}
        changedBy="Somebody"
        mayWrite={mayWrite}
        most={2_000}
        verb="change the reason"
        placeholder="No reason was written."
        onSave={(reason, version) => save(reason, pin.techniques, version)}
      >
        {null}
      </EditableText>
      {(mayWrite || pin.techniques.length > 0) && (
        <TechniquesField
          techniques={pin.techniques}
          mayWrite={mayWrite}
          onChange={(techniques) => void save(pin.reason, techniques).catch(() => undefined)}
        />
      )}
      <Leads pin={pin} paper={paper} mayWrite={mayWrite} onShow={onShow} />
      {error && (
        <p role="alert" className="text-vermilion">
          {error.message}
        </p>
      )}
      {mayWrite && (
        <TwiceButton
          inText
          className="text-small"
          first="unpin"
          then="unpin it, with what is kept of it, for good"
          onSure={() => mutate({ method: "DELETE", path })}
        />
      )}
    </div>
  );
}

/** What stands in the paper itself. */
function Kept({ pin: { pinned, record, number }, paper }: { readonly pin: PinJson; readonly paper: PaperDetail }) {
  const zone = useViewStore((s) => s.zone);
  if (record !== null)
    return (
      <>
        <p className="font-mono text-code wrap-anywhere whitespace-pre-wrap">
          {safeText(record.text || record.sentence)}
        </p>
        <Facts
          facts={[
            ["sender", safeText(record.sender.name)],
            ["time", dayClock(usOf(record.time), zone)],
            ["arrival", dayClock(usOf(record.arrival), zone)],
            ["users", safeText((record.users ?? []).join(", "))],
            ["from", record.src],
            ["to", record.dst],
          ]}
        />
        <Link to={`/records?record=${record.id}&${aroundOf(record.time)}`}>among the records around it</Link>
      </>
    );
  switch (pinned.is) {
    case "record":
      return <p className="text-quiet">The record is not kept.</p>;
    case "search":
      return (
        <Counted
          pinned={pinned}
          number={number}
          paper={paper}
          search={searchOf(pinned, pinned.filter)}
          about={pinned.lacking || "No known gaps then."}
        />
      );
    case "shape":
      return (
        <Counted
          pinned={pinned}
          number={number}
          paper={paper}
          search={searchOf(pinned, `shape is ${pinned.id}${pinned.filter === "" ? "" : ` and (${pinned.filter})`}`)}
          about={`First ever ${dayClock(usOf(pinned.first), zone)}.`}
        />
      );
    case "portrait":
      return (
        <>
          <Facts facts={pinned.facts.map(([name, value]) => [name, safeText(value)])} />
          <Counted
            pinned={pinned}
            number={number}
            paper={paper}
            search={searchOf(pinned, `${pinned.kind} is ${quoteIfNeeded(pinned.value)}`)}
            about=""
          />
        </>
      );
    case "incident":
      return (
        <>
          <ul>
            {pinned.story.map((line, i) => (
              <li key={i}>{safeText(line)}</li>
            ))}
          </ul>
          <Link to={`/incidents/${pinned.id}`}>the incident as it is now</Link>
        </>
      );
    case "contrast":
      return (
        <Table head={["what", "then", "before", "change"]}>
          {pinned.lines.map((l) => (
            <tr key={`${l.by} ${l.label}`}>
              <td className="pr-3">
                <span className="text-quiet">{l.by}</span> {safeText(l.label)}
              </td>
              <td className="pr-3 text-right font-mono">{l.a.toLocaleString("en")}</td>
              <td className="pr-3 text-right font-mono">{l.b.toLocaleString("en")}</td>
              <td>{l.change}</td>
            </tr>
          ))}
        </Table>
      );
    case "chart":
      return (
        <div className="flex flex-wrap gap-4">
          {pinned.chart.series.map((s) => (
            <figure key={s.name}>
              <Course
                counts={s.values.map((v) => v ?? 0)}
                height={96}
                label={`${s.name}, ${pinned.chart.unit}, from ${pinned.chart.steps[0]} on`}
              />
              <figcaption className="text-small text-quiet">{safeText(s.name)}</figcaption>
            </figure>
          ))}
        </div>
      );
    case "file":
      return <FileOf pinned={pinned} at={`/api/v1/papers/${paper.id}/files/${number}`} />;
  }
}

/** A picture as it is; any other file to be taken home. */
const FileOf = ({
  pinned,
  at,
}: {
  readonly pinned: Extract<PinJson["pinned"], { is: "file" }>;
  readonly at: string;
}) => (
  <>
    {pinned.picture !== null && <img src={at} alt={safeText(pinned.name)} className="max-h-80 border border-line" />}
    <p>
      <a href={at} download={pinned.name}>
        {safeText(pinned.name)}
      </a>{" "}
      <span className="text-quiet">
        {pinned.bytes.toLocaleString("en")} bytes, SHA-256{" "}
        <span className="font-mono text-code wrap-anywhere">{pinned.sha256}</span>
      </span>
    </p>
  </>
);

const Table = ({ head, children }: { readonly head: readonly string[]; readonly children: ReactNode }) => (
  <table className="text-left">
    <thead>
      <tr className="text-quiet">
        {head.map((h, i) => (
          <th key={h} scope="col" className={`pr-3 font-normal ${i === 1 || i === 2 ? "text-right" : ""}`}>
            {h}
          </th>
        ))}
      </tr>
    </thead>
    <tbody>{children}</tbody>
  </table>
);

/** What was counted then, and how many there are now. */
function Counted({
  pinned,
  number,
  paper,
  search,
  about,
}: {
  readonly pinned: Extract<PinJson["pinned"], { is: "search" | "shape" | "portrait" }>;
  readonly number: number;
  readonly paper: PaperDetail;
  readonly search: string;
  readonly about: string;
}) {
  const zone = useViewStore((s) => s.zone);
  const { data, error, isFetching, refetch } = useQuery({ ...pinAgainQuery(paper.id, number), enabled: false });
  return (
    <>
      {pinned.is === "search" && (
        <p className="font-mono text-code wrap-anywhere">{safeText(pinned.filter || "every record")}</p>
      )}
      <p>
        {dayClock(usOf(pinned.from), zone)} to {dayClock(usOf(pinned.to), zone)}: {sayCount(pinned)} then.{" "}
        {data && <b role="status">{more(data.count - data.before.count)}.</b>}{" "}
        <span className="text-quiet">{about}</span>
      </p>
      {error && (
        <p role="alert" className="text-vermilion">
          {error.message}
        </p>
      )}
      <p className="flex gap-3">
        <TextButton disabled={isFetching} onClick={() => void refetch()}>
          {isFetching ? "counting …" : "count again"}
        </TextButton>
        <Link to={`/records?${search}`}>its records</Link>
      </p>
    </>
  );
}

const more = (n: number): string => (n === 0 ? "As many now" : n > 0 ? `${n} more now` : `${-n} fewer now`);

const searchOf = ({ from, to }: { readonly from: string; readonly to: string }, filter: string): string =>
  new URLSearchParams({ from, to, filter }).toString();

const AROUND_MS = 60_000;
/** The minute before a moment and the one after it. */
function aroundOf(time: string): string {
  const at = Date.parse(time);
  const iso = (ms: number) => new Date(ms).toISOString();
  return new URLSearchParams({ from: iso(at - AROUND_MS), to: iso(at + AROUND_MS) }).toString();
}

/** What it leads to and comes from; arrows can be drawn by hand. */
function Leads({ pin, paper, mayWrite, onShow }: PinOpenedProps) {
  const { mutate, error } = usePaperAct(paper.id);
  const [why, setWhy] = useState("");
  const [to, setTo] = useState("");
  const leads = paper.leads.filter((l) => l.from === pin.number || l.to === pin.number);
  const others = paper.pins.filter((p) => p.number !== pin.number);
  const submit = (e: FormEvent) => {
    e.preventDefault();
    if (to === "") return;
    const body = { from: pin.number, to: Number(to), why };
    // what is refused stays to be drawn otherwise
    const clear = () => {
      setWhy("");
      setTo("");
    };
    mutate({ method: "POST", path: "/links", body }, { onSuccess: clear });
  };
  return (
    <>
      <ul aria-label="Leads">
        {leads.map((l) => {
          const other = l.from === pin.number ? l.to : l.from;
          return (
            <li key={`${l.from} ${l.to} ${l.kind}`}>
              {l.from === pin.number ? "leads to " : "comes from "}
              <TextButton onClick={() => onShow(other)}>#{other}</TextButton>{" "}
              <span className="text-quiet">{safeText(sayLead(l))}</span>
              {mayWrite && l.id !== null && (
                <TextButton
                  aria-label={`No arrow to #${other}`}
                  className="ml-1"
                  onClick={() => mutate({ method: "DELETE", path: `/links/${l.id}` })}
                >
                  ×
                </TextButton>
              )}
            </li>
          );
        })}
      </ul>
      {mayWrite && others.length > 0 && (
        <form onSubmit={submit} className="flex items-center gap-2">
          <span className="text-quiet">leads to</span>
          <Select
            plain
            label="Leads to"
            value={to}
            placeholder="which pin?"
            options={others.map((p) => ({ value: String(p.number), label: `#${p.number} ${said(p).slice(0, 70)}` }))}
            onChange={setTo}
          />
          {to !== "" && (
            <>
              <span className="w-52">
                <Input
                  aria-label="How it leads there"
                  placeholder="how it leads there"
                  value={why}
                  maxLength={200}
                  onChange={(e) => setWhy(e.target.value)}
                  className="!py-0"
                />
              </span>
              <TextButton type="submit">draw the arrow</TextButton>
            </>
          )}
        </form>
      )}
      {error && (
        <p role="alert" className="text-vermilion">
          {error.message}
        </p>
      )}
    </>
  );
}
