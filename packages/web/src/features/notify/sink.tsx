import { useQuery } from "@tanstack/react-query";
import { sinkQuery } from "../../data/api";
import { useViewStore, usOf } from "../../data/view-store";
import { Heading } from "../../ui/page";
import { safeText } from "../../ui/safe-text";
import { dayClock } from "../../ui/time";

/** What the stand-in mail server received, as the one it was meant for would read it. */
export function Sink() {
  const zone = useViewStore((s) => s.zone);
  const sink = useQuery(sinkQuery);
  const mail = sink.data?.mail ?? [];
  return (
    <>
      <Heading small="nothing leaves this machine">Mail received by the test mail server</Heading>
      {sink.data && mail.length === 0 && <p className="text-ui text-quiet">No mail yet.</p>}
      {mail.map((m) => (
        <details key={m.file} className="border-b border-line text-ui">
          <summary className="cursor-pointer py-[3px]">
            <time className="mr-3 font-mono text-code text-quiet">{dayClock(usOf(m.at), zone)}</time>
            {safeText(m.subject)} <span className="text-quiet">to {safeText(m.to)}</span>
          </summary>
          <pre className="mb-2 ml-4 border-l-2 border-line-strong pl-3 font-mono text-code leading-[1.1875rem] whitespace-pre-wrap">
            {m.text.trimEnd().split("\n").map(safeText).join("\n")}
          </pre>
        </details>
      ))}
    </>
  );
}
