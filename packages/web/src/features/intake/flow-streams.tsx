import type { FlowStreams as Streams } from "@halvik/contract/status";
import { useQuery } from "@tanstack/react-query";
import { flowStreamsQuery } from "../../data/intake-queries";
import { useViewStore, usOf } from "../../data/view-store";
import { Heading } from "../../ui/page";
import { safeText } from "../../ui/safe-text";
import { clockMs, dayMinute } from "../../ui/time";

type StreamJson = Streams["streams"][number];

/** What exporters have said about their data: templates by stream, and what waits for one. */
export function FlowStreams() {
  const { data } = useQuery(flowStreamsQuery);
  const zone = useViewStore((s) => s.zone);
  if (data === undefined) return null;
  return (
    <>
      <Heading small={data.streams.length === 0 ? "none yet" : "of all flow endpoints"}>Templates</Heading>
      {data.streams.map((s) => (
        <Stream key={`${s.exporter} ${s.protocol} ${s.domain}`} stream={s} zone={zone} />
      ))}
    </>
  );
}

/** One stream: what it says for all of it, what waits, and its templates. */
export function Stream({ stream: s, zone }: { stream: StreamJson; zone: string }) {
  return (
    <div className="mb-2 text-ui" data-testid="flow-stream">
      <p>
        <b className="font-semibold">{safeText(s.sender === "" ? s.exporter : s.sender)}</b>{" "}
        <span className="text-quiet">
          {s.protocol}, domain {s.domain}
          {s.sampling > 1 && ` · 1 in ${s.sampling.toLocaleString("en")} packets`}
          {s.interfaces > 0 && ` · ${s.interfaces} interfaces named`}
          {s.applications > 0 && ` · ${s.applications} applications named`}
        </span>
      </p>
      {s.waiting.map((w) => (
        <p key={w.template} className="text-ochre">
          {w.sets.toLocaleString("en")} data sets wait for template {w.template} since {clockMs(usOf(w.since), zone)}
        </p>
      ))}
      {s.templates.map((t) => (
        <Template key={t.id} template={t} zone={zone} />
      ))}
    </div>
  );
}

function Template({ template: t, zone }: { template: StreamJson["templates"][number]; zone: string }) {
  const at = (time: string) => dayMinute(usOf(time), zone);
  return (
    <details className="border-t border-line py-[3px]">
      <summary className="cursor-pointer">
        {t.id}{" "}
        <span className="text-quiet">
          {t.options ? "options" : `${t.fields.length} fields`}
          {t.records > 0 && ` · ${t.records.toLocaleString("en")} records`}
          {t.used !== null && `, last ${at(t.used)}`}
          {t.learnt !== null && ` · known since ${at(t.learnt)}`}
          {t.told !== null && t.told !== t.learnt && `, sent again ${at(t.told)}`}
        </span>
      </summary>
      <p className="bg-wash px-2 py-1 font-mono text-small leading-[1.0625rem] break-words">
        {t.fields.map((f) => `${f.name}${f.octets === null ? "" : ` ${f.octets}`}`).join(", ")}
      </p>
    </details>
  );
}
