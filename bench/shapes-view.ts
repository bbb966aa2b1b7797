import { US_PER_DAY, US_PER_MINUTE } from "@halvik/core/base/time";
import { READY_QUESTIONS } from "@halvik/core/papers";
import { RoleProcess, runCommand } from "../packages/server/src/testing/roles.js";
import { percentile, sayMachine } from "./harness.js";
import { openStore, STORE_DAYS, STORE_ENDS_MINUTE } from "./store.js";

/**
 * What reading the history takes in a store: shapes of a day and of all days, two days held against each other, first and last times, what is
 * around a record, named values, words that stand nowhere, sets of questions; each first, and again. Usage: node scripts/bench.mjs shapes-view DIR [MILLIONS]
 */
const AGAIN = 5;
sayMachine();
const instance = await openStore(process.argv[2]!, Number(process.argv[3] ?? 20));
const web = await RoleProcess.start(instance, "web");
try {
  const made = await runCommand(instance.env, ["token", "create", `bench-${Date.now()}`, "--act"]);
  const token = /hv_\S+/.exec(made.out)![0];
  const base = `http://127.0.0.1:${instance.config.HALVIK_HTTP_PORT}/api/v1`;
  // biome-ignore lint/suspicious/noExplicitAny: answers of several sorts, of which a few members are printed
  const ask = async (path: string): Promise<any> => {
    const answer = await fetch(base + path, { headers: { authorization: `Bearer ${token}` } });
    if (!answer.ok) throw new Error(`${path}: ${answer.status} ${await answer.text()}`);
    return answer.json();
  };
  const endUs = STORE_ENDS_MINUTE * US_PER_MINUTE;
  const at = (daysBefore: number) => new Date((endUs - daysBefore * US_PER_DAY) / 1_000).toISOString();
  const day = (n: number) => `from=${at(n)}&to=${at(n - 1)}`;
  // biome-ignore lint/suspicious/noExplicitAny: see above
  const time = async (what: string, path: string, says: (answer: any) => string): Promise<any> => {
    const times: number[] = [];
    // biome-ignore lint/suspicious/noExplicitAny: see above
    let answer: any;
    for (let i = 0; i <= AGAIN; i++) {
      const started = performance.now();
      answer = await ask(path);
      times.push(performance.now() - started);
    }
    const [first, ...again] = times;
    console.log(`${what}: ${first!.toFixed(0)} ms, again ${percentile(again, 0.5).toFixed(0)} ms; ${says(answer)}`);
    return answer;
  };
  const shapes = (a: { shapes: unknown[]; others: number; records: number; exact: boolean }) =>
    `${a.shapes.length + a.others} shapes of ${a.records} records${a.exact ? "" : ", in part"}`;
  await time("shapes of a day, the first question after a start", `/records/shapes?${day(10)}`, shapes);
  await time("shapes of another day (aim 1 s)", `/records/shapes?${day(12)}`, shapes);
  await time("shapes of 30 days (aim 3 s)", `/records/shapes?from=${at(STORE_DAYS)}&to=${at(0)}`, shapes);
  await time(
    "shapes of 30 days within a filter",
    `/records/shapes?from=${at(STORE_DAYS)}&to=${at(0)}&filter=severity%20at%20least%20warning`,
    shapes,
  );
  const differ = (a: { differences: unknown[]; compared: number; isCounted: boolean }) =>
    `${a.differences.length} told of ${a.compared}${a.isCounted ? "" : ", not counted to the end"}`;
  const against = `${day(5)}&against=${at(6)}/${at(5)}`;
  await time(
    "contrast of two days, the first list (aim 2 s)",
    `/contrast?${against}&by=shape,sender,severity,category,app,event,host,user`,
    differ,
  );
  await time("contrast of two days, all (aim 8 s)", `/contrast?${against}`, differ);
  const seen = (a: { first?: string; last?: string; records: number }) =>
    `${a.first} to ${a.last}, ${a.records} records`;
  await time("first and last of a user (aim 50 ms)", "/seen?of=user&value=k.lind", seen);
  await time("first and last of an address (aim 50 ms)", "/seen?of=address&value=10.20.4.31", seen);
  const { records } = await ask(`/records?${day(12)}&limit=1&filter=kind%20is%20windows%20and%20user%20present`);
  for (const by of ["time", "sender", "user", "bindings"])
    await time(
      `around a record by ${by} (aim 200 ms)`,
      `/records/${records[0].id}/around?by=${by}`,
      (a) => `${a.records.length} records${a.partial ? ", in part" : ""}`,
    ).catch((e: Error) => console.log(by, e.message));
  const fields = (a: { fields: unknown[]; looked: number }) => `${a.fields.length} names in ${a.looked} records`;
  await time("names of data in the newest records", `/records/data-fields?from=${at(STORE_DAYS)}&to=${at(0)}`, fields);
  await time("the same of a kind", `/records/data-fields?${day(10)}&filter=kind%20is%20windows`, fields);
  const unknown = (a: { unknown: string[] }) => `in no record: ${a.unknown.join(", ") || "none of them"}`;
  await time(
    "words that stand nowhere",
    "/records/unknown-words?filter=qwertz%20or%20failed%20or%20%22no%20such%20text%22",
    unknown,
  );
  // what a set of questions asks of a month, each by itself
  const post = async (path: string, body: object) => {
    const answer = await fetch(base + path, {
      method: "POST",
      headers: { authorization: `Bearer ${token}`, "content-type": "application/json" },
      body: JSON.stringify(body),
    });
    return (await answer.json()) as { lines: { asks: string; count: number; isExact: boolean }[] };
  };
  for (const [of, value] of [
    ["user", "k.lind"],
    ["address", "10.20.4.31"],
  ] as const) {
    const set = READY_QUESTIONS.find((q) => q.of === of)!;
    const started = performance.now();
    const { lines } = await post("/ask-again", {
      ...set,
      name: undefined,
      about: undefined,
      value,
      from: at(STORE_DAYS),
      to: at(0),
    });
    const ms = (performance.now() - started).toFixed(0);
    console.log(
      `ask again, “${set.name}”, 30 days: ${ms} ms; ${lines.map((l) => `${l.isExact ? "" : "≥ "}${l.count}`).join(", ")}`,
    );
  }
} finally {
  await web.stop();
  await instance.dispose();
}
process.exit();
