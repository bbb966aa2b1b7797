import { NotifyRoute } from "@halvik/core/respond/notify";
import { startMailSink } from "../packages/server/src/domains/notifications/mail-sink/sink.js";
import { insertRoute } from "../packages/server/src/domains/notifications/repository.js";
import { connect, sayMachine, sendLoad, startBench } from "./harness.js";

/** A storm of one fault from one device: how many incidents and messages it makes, and how soon the rules have caught up after it. */
const records = Number(process.argv[2] ?? 1_000_000);
const seconds = Number(process.argv[3] ?? 60);
const SINK_PORT = 48_525;

sayMachine();
const { instance, stop } = await startBench(["collector", "engine", "keeper", "notifier", "web"], {
  HALVIK_SMTP_URL: `smtp://127.0.0.1:${SINK_PORT}`,
  // one device brings all of it
  HALVIK_SENDER_RATE_CAP: "1000000",
});
const stopSink = await startMailSink(instance.config.HALVIK_DATA_DIR, SINK_PORT);
const client = await connect(instance);
try {
  const route = NotifyRoute.parse({ name: "duty", to: ["duty@orvane.example"], severity: "debug" });
  await insertRoute(client, route, "bench", Date.now() * 1_000);
  const { sent } = await sendLoad(instance, "udp", records / seconds, seconds, "storm");
  const ended = performance.now();
  const figures = async () =>
    (
      await client.query<{ stored: number; behind: number; spooling: boolean; counted: number }>(
        `select (select coalesce(sum(count), 0)::bigint from rollup_hour where sender <> 0) as stored,
           (select count(*)::int from batch b left join engine_cursor e on e.collector = b.collector where b.number > coalesce(e.number, 0)) as behind,
           (select coalesce(bool_or((detail->>'spooling')::boolean), false) from role_status where role = 'collector') as spooling,
           (select coalesce(sum(count), 0)::bigint from finding where rule_id = 'refused-logons') as counted`,
      )
    ).rows[0]!;
  let last = -1;
  let storedMs = 0;
  let judgedMs = 0;
  for (;;) {
    const f = await figures();
    const nowMs = performance.now() - ended;
    // a status of the collector is a second old: what it says is on disk may be stored by now
    if (f.stored !== last) storedMs = nowMs;
    if (f.behind > 0 || f.stored !== last) judgedMs = nowMs;
    if (!f.spooling && nowMs - judgedMs > 6_000) break;
    last = f.stored;
    await new Promise((r) => setTimeout(r, 250));
  }
  const { stored, counted } = await figures();
  const { rows: incidents } = await client.query<{ title: string; count: number }>(
    "select title, count from incident where merged_into is null and rule_id not like 'halvik-%' order by id",
  );
  const { rows: mails } = await client.query<{ tells: string; title: string }>(
    "select d.tells, i.title from delivery d join incident i on i.id = d.incident order by d.id",
  );
  console.log(
    `${sent.toLocaleString("en")} records of one fault in ${seconds} s: ${stored.toLocaleString("en")} stored; ${incidents.length} incident(s): ${incidents.map((i) => `“${i.title}” ${i.count.toLocaleString("en")}`).join("; ")}; counted by the rule ${counted.toLocaleString("en")}; ${mails.length} message(s): ${mails.map((m) => `${m.tells} “${m.title}”`).join("; ")}; all stored ${(storedMs / 1_000).toFixed(1)} s after the last packet, all looked at by the rules ${((judgedMs - storedMs) / 1_000).toFixed(1)} s after that`,
  );
} finally {
  await client.end();
  await stopSink();
  await stop();
}
