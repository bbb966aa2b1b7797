import type { Intake } from "@halvik/core/contract";
import { Heading } from "../../ui/page";

const isLoopback = (address: string): boolean =>
  address.startsWith("127.") || address === "::1" || address === "localhost";
/** Counters that say something did not become a record. */
const isLoss = (name: string): boolean => /^(lost|cut|closed|refused)/.test(name);

/** Each way in, its state in words, and its counters. */
export function Endpoints({ intake }: { intake: Intake }) {
  const collector = intake.roles.find((r) => r.role === "collector");
  const spooling = intake.collector.spooling === true;
  const own = (name: string) => Number(intake.collector[name] ?? 0);
  return (
    <>
      <Heading>Endpoints</Heading>
      {intake.endpoints.map((e) => {
        const counted = Object.entries(e.counters).filter(([, n]) => n > 0);
        const received = (e.counters.datagrams ?? 0) + (e.counters.messages ?? 0);
        return (
          <article key={e.name} className="grid grid-cols-[190px_1fr] gap-3 border-t border-line py-1.5 text-[13px]">
            <div>
              <div className="font-semibold">{e.name}</div>
              <div className="font-mono text-[12.5px] text-quiet">
                {e.address}:{e.port}
              </div>
            </div>
            <div>
              <p>
                {e.state === "listening" ? (
                  received > 0 ? (
                    "receiving"
                  ) : (
                    "listening, nothing yet"
                  )
                ) : (
                  <b className="text-vermilion">{e.state}</b>
                )}
                {" · "}
                {counted.length === 0
                  ? "no counts yet"
                  : counted.map(([name, n], i) => (
                      <span key={name} className={isLoss(name) ? "font-semibold text-vermilion" : "text-quiet"}>
                        {i > 0 ? " · " : ""}
                        {n.toLocaleString("en")} {name}
                      </span>
                    ))}
              </p>
              {e.detail !== "" && <p className="text-ochre">{e.detail}</p>}
              {isLoopback(e.address) && (
                <p className="text-quiet">
                  Heard from this machine only. To hear others, set{" "}
                  <code className="font-mono text-[12.5px]">HALVIK_LISTEN_HOST=0.0.0.0</code> and start again.
                </p>
              )}
            </div>
          </article>
        );
      })}
      {intake.endpoints.length === 0 && (
        <p className="text-quiet">The collector has not said yet what it listens to.</p>
      )}
      <p className="border-y border-line py-1.5 text-[13px] text-quiet">
        {collector?.running ? "The collector runs" : <b className="text-vermilion">The collector does not run</b>}
        {" · "}
        {own("stored").toLocaleString("en")} stored · {own("held").toLocaleString("en")} held ·{" "}
        {own("refused").toLocaleString("en")} refused · {own("capped").toLocaleString("en")} over the rate cap ·{" "}
        {own("lost").toLocaleString("en")} lost · spool{" "}
        {spooling ? (
          <b className="text-ochre">in use, {(own("spoolBytes") / 1e6).toFixed(1)} MB: the database does not answer</b>
        ) : (
          "empty"
        )}{" "}
        · {(own("memoryBytes") / 1e6).toFixed(0)} MB of memory
      </p>
    </>
  );
}
