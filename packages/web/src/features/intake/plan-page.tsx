import type { Capacity, Forecast } from "@halvik/contract/capacity";
import { DEVICE_KINDS, INTAKE_QUESTIONS } from "@halvik/core/assure";
import { bytesText } from "@halvik/core/meaning/sentence";
import type { RecordKind } from "@halvik/core/model/record";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { capacityQuery } from "../../data/intake-queries";
import { useViewStore, usOf } from "../../data/view-store";
import { TextButton } from "../../ui/button";
import { Trouble } from "../../ui/empty-state";
import { Field, Input } from "../../ui/field";
import { HourBars } from "../../ui/hour-bars";
import { Heading, Page, Scroller } from "../../ui/page";
import { safeText } from "../../ui/safe-text";
import { day, dayMinute } from "../../ui/time";

const count = (n: number): string => Math.round(n).toLocaleString("en");
const isDays = (text: string): boolean => /^\d{1,4}$/.test(text) && Number(text) >= 1 && Number(text) <= 3_650;

/** What somebody wants to know, what has to send for it and what that takes; and when the disk is full. */
export function PlanPage() {
  const zone = useViewStore((s) => s.zone);
  const [records, setRecords] = useState("");
  const [flows, setFlows] = useState("");
  const [devices, setDevices] = useState<ReadonlyMap<string, number>>(new Map());
  const asked = {
    ...(isDays(records) ? { records } : {}),
    ...(isDays(flows) ? { flows } : {}),
    ...(devices.size > 0 ? { devices: [...devices].map(([kind, n]) => `${kind}=${n}`).join(";") } : {}),
  };
  const { data, error } = useQuery({ ...capacityQuery(asked), placeholderData: keepPreviousData });
  const isAsking = Object.keys(asked).length > 0;
  return (
    <Page title="Plan">
      <div className="flex items-baseline gap-4">
        <h1 className="text-page leading-[1.625rem] font-semibold">Plan</h1>
        <Link to="/intake" className="text-ui">
          back to Intake
        </Link>
      </div>
      <Scroller label="Plan of the intake">
        {error && <Trouble error={error} what="The plan cannot be shown" />}
        {data && (
          <>
            <p className="mt-2 max-w-[46rem] text-title">
              <ForecastSentence capacity={data} forecast={data.now} zone={zone} />
            </p>
            <Questions capacity={data} />
            <Heading small="further devices and other days; nothing is changed here">What if</Heading>
            <div className="flex flex-wrap items-start gap-x-4">
              <div className="w-40">
                <Field label="Records kept, days" error={records === "" || isDays(records) ? undefined : "1 to 3650."}>
                  {(id) => (
                    <Input
                      id={id}
                      inputMode="numeric"
                      placeholder={String(data.keep.records)}
                      value={records}
                      onChange={(e) => setRecords(e.target.value)}
                    />
                  )}
                </Field>
              </div>
              <div className="w-40">
                <Field label="Flows kept, days" error={flows === "" || isDays(flows) ? undefined : "1 to 3650."}>
                  {(id) => (
                    <Input
                      id={id}
                      inputMode="numeric"
                      placeholder={String(data.keep.flows)}
                      value={flows}
                      onChange={(e) => setFlows(e.target.value)}
                    />
                  )}
                </Field>
              </div>
            </div>
            <Devices devices={devices} capacity={data} onChange={setDevices} />
            {isAsking && (
              <p className="mt-2 max-w-[46rem] border-l-2 border-fjord pl-2 text-ui" role="status">
                Then: <ForecastSentence capacity={data} forecast={data.asked} zone={zone} />{" "}
                <TextButton
                  onClick={() => {
                    setRecords("");
                    setFlows("");
                    setDevices(new Map());
                  }}
                >
                  clear
                </TextButton>
              </p>
            )}
            <Measured capacity={data} zone={zone} />
          </>
        )}
      </Scroller>
    </Page>
  );
}

function ForecastSentence({
  capacity: { disk, measuredDays, store },
  forecast: f,
  zone,
}: {
  capacity: Capacity;
  forecast: Forecast;
  zone: string;
}) {
  if (measuredDays === 0 && f.bytesADay === 0) return "Nothing has arrived yet: plan with the devices below.";
  return (
    <>
      {bytesText(f.bytesADay)} a day; {bytesText(f.steadyBytes)} when everything is as old as it may be (now{" "}
      {bytesText(store.bytes)}, free {bytesText(Math.max(0, disk.free - disk.shed))}).{" "}
      {f.full === null ? (
        "The disk does not get full."
      ) : (
        <b className="text-vermilion">The disk is full on {day(usOf(f.full), zone)}.</b>
      )}
      {measuredDays > 0 && measuredDays < 1 && (
        <span className="text-quiet"> From {hoursOf(measuredDays)} of arrivals: a first guess.</span>
      )}
    </>
  );
}

const hoursOf = (days: number): string => {
  const hours = Math.round(days * 24);
  return hours < 1 ? "less than an hour" : hours === 1 ? "an hour" : `${hours} hours`;
};

const SENT: Readonly<Record<RecordKind, string>> = {
  syslog: "messages",
  snmp: "notifications",
  windows: "events",
  firewall: "decisions",
  flow: "flows",
  json: "records",
  halvik: "records",
  packet: "records of packets",
};
const GRID = "grid grid-cols-[16rem_5rem_1fr_1fr] items-baseline gap-3 border-t border-line py-[3px] text-ui";

function Devices({
  devices,
  capacity,
  onChange,
}: {
  devices: ReadonlyMap<string, number>;
  capacity: Capacity;
  onChange: (devices: ReadonlyMap<string, number>) => void;
}) {
  return (
    <section aria-label="Further devices">
      {DEVICE_KINDS.map(({ name, sends }) => {
        const planned = capacity.devices.find((d) => d.kind === name);
        return (
          <div key={name} className={GRID}>
            <span>{name}</span>
            <Input
              aria-label={`How many: ${name}`}
              inputMode="numeric"
              placeholder="0"
              className="h-6 py-0"
              value={devices.get(name) ?? ""}
              onChange={(e) => {
                const n = Number(e.target.value.replace(/\D/g, "").slice(0, 5));
                const next = new Map(devices);
                if (n > 0) next.set(name, n);
                else next.delete(name);
                onChange(next);
              }}
            />
            <span className="text-quiet">
              each {sends.map((s) => `${count(s.anHour)} ${SENT[s.kind]}`).join(", ")} an hour
            </span>
            <span>
              {planned !== undefined && devices.has(name)
                ? `${count(planned.recordsADay)} records, ${bytesText(planned.bytesADay)} a day`
                : ""}
            </span>
          </div>
        );
      })}
      <p className="border-t border-line pt-1 text-small text-quiet">
        Rates of the stand-in devices; real ones differ tenfold and are measured as soon as they send.
      </p>
    </section>
  );
}

function Questions({ capacity }: { capacity: Capacity }) {
  const costs = (kinds: readonly string[]) =>
    capacity.streams.filter((s) => kinds.includes(s.kind)).map((s) => `${s.kind} ${bytesText(s.bytesADay)} a day`);
  return (
    <>
      <Heading small="and what has to send for it">What do you want to know?</Heading>
      {INTAKE_QUESTIONS.map((q) => (
        <div
          key={q.asks}
          className="grid grid-cols-[16rem_1fr_14rem] max-wide:grid-cols-1 gap-3 border-t border-line py-1 text-ui"
        >
          <Link to={`/records?${new URLSearchParams({ filter: q.filter })}`} className="font-semibold">
            {q.asks}
          </Link>
          <span>
            {q.from}: {q.set}
            {q.beware !== "" && <span className="block text-quiet">{q.beware}</span>}
          </span>
          <span className="text-quiet">
            {costs(q.kinds).length > 0 ? `now ${costs(q.kinds).join(", ")}` : "nothing of that kind arrives yet"}
          </span>
        </div>
      ))}
    </>
  );
}

function Measured({ capacity: c, zone }: { capacity: Capacity; zone: string }) {
  const most = Math.max(1, ...c.hours);
  return (
    <>
      <Heading
        small={
          c.measuredDays === 0 ? "nothing yet" : `mean of ${Math.min(7, c.measuredDays).toFixed(1)} days, whole hours`
        }
      >
        What arrives
      </Heading>
      <HourBars
        hours={c.hours}
        label={`Records by the hour since ${dayMinute(usOf(c.hoursFrom), zone)}; at most ${count(most)} an hour`}
      />
      <p className="text-small text-quiet">
        by the hour since {dayMinute(usOf(c.hoursFrom), zone)}, at most {count(most)}
      </p>
      <table className="mt-1 w-full max-w-[46rem] text-ui">
        <thead>
          <tr className="text-left text-quiet">
            <th className="font-normal">kind</th>
            <th className="text-right font-normal">records a day</th>
            <th className="text-right font-normal">octets each</th>
            <th className="text-right font-normal">a day</th>
            <th className="text-right font-normal">kept</th>
          </tr>
        </thead>
        <tbody className="tabular-nums">
          {c.streams.map((s) => (
            <tr key={s.kind} className="border-t border-line">
              <td>{s.kind}</td>
              <td className="text-right">{count(s.recordsADay)}</td>
              <td className="text-right">
                {s.measured ? "" : "≈ "}
                {count(s.bytesARecord)}
              </td>
              <td className="text-right">{bytesText(s.bytesADay)}</td>
              <td className="text-right">{s.keepDays} days</td>
            </tr>
          ))}
        </tbody>
      </table>
      <div className="grid max-w-[46rem] grid-cols-2 gap-6 max-slim:grid-cols-1">
        <Sizes title="By sender" rows={c.senders.slice(0, 12).map((s) => [s.name, s.bytesADay])} />
        <Sizes title="By site" rows={c.sites.slice(0, 12).map((s) => [s.site, s.bytesADay])} />
      </div>
    </>
  );
}

const Sizes = ({ title, rows }: { title: string; rows: readonly (readonly [string, number])[] }) => (
  <section aria-label={title}>
    <Heading>{title}</Heading>
    {rows.map(([name, bytes]) => (
      <p key={name} className="flex justify-between border-t border-line py-[2px] text-ui">
        <span className="truncate">{safeText(name)}</span>
        <span className="tabular-nums">{bytesText(bytes)} a day</span>
      </p>
    ))}
  </section>
);
