import { type ChildProcess, spawnSync } from "node:child_process";
import * as z from "zod";
import { loadConfig } from "../kernel/config/config.js";
import { type RunAs, roleUser } from "../kernel/files/owners.js";
import { INPUT_ON_STDIN } from "../kernel/role-input.js";
import { roleNodeArgs } from "./role-args.js";
import {
  argsOf,
  NODE_ARGS,
  PROGRAMS,
  type SpawnProgram,
  type Started,
  startChild,
  withoutOurs,
} from "./role-processes.js";

/** What who is not root may all the same (capabilities(7)): bind ports below 1024; read the packets of an interface and send with another's address. */
type Capability = "net_bind_service" | "net_raw";
const BINDS: readonly string[] = ["collector", "web"];
const STOP_MS = 15_000;

/** What the supervisor may ask of root: a process of this list, as that process's own user, and its end. */
const Ask = z.discriminatedUnion("do", [
  z.object({ do: z.literal("start"), id: z.int().min(0), name: z.enum(PROGRAMS), input: z.string() }),
  z.object({ do: z.literal("kill"), id: z.int().min(0), signal: z.enum(["SIGTERM", "SIGKILL"]) }),
]);
type Ask = z.output<typeof Ask>;

/** What root says to the supervisor of a process. */
const Word = z.discriminatedUnion("is", [
  z.object({ is: z.literal("output"), id: z.int(), base64: z.string() }),
  z.object({ is: z.literal("ready"), id: z.int() }),
  z.object({ is: z.literal("end"), id: z.int(), code: z.int().nullable(), signal: z.string().nullable() }),
]);
type Word = z.output<typeof Word>;

/** Says to the supervisor that root starts the roles for it. */
export const HAS_LAUNCHER = { HALVIK_LAUNCHER: "parent" };

/** What makes a process another user's from its first instruction on: no groups, these capabilities alone, and no way to get any. */
export function asUser({ uid, gid }: RunAs, capabilities: readonly Capability[]): readonly string[] {
  const who = [`--reuid=${uid}`, `--regid=${gid}`, "--clear-groups", "--no-new-privs"];
  const having = (of: readonly Capability[]): string[] => {
    if (of.length === 0) return [];
    const caps = of.map((c) => `+${c}`).join(",");
    return [`--inh-caps=${caps}`, `--ambient-caps=${caps}`];
  };
  // a container may not have a capability to give: then what needs it cannot be done, and its endpoint says so
  const given = capabilities.filter((c) => spawnSync("setpriv", [...who, ...having([c]), "true"]).status === 0);
  return [...who, ...having(given)];
}

/** What a role is given beside being its user. @param raw the collector may read packets, or send with another's address */
const capabilitiesOf = (name: string, raw: boolean): Capability[] => [
  ...(BINDS.includes(name) ? (["net_bind_service"] as const) : []),
  ...(name === "collector" && raw ? (["net_raw"] as const) : []),
];

/**
 * The part that stays root: starts what the supervisor asks for, hands on what it says, and touches no file. A supervisor that was taken
 * over gets nothing from it but a role started as that role's user.
 */
export function serveLauncher(supervisor: ChildProcess, program: string): void {
  const { HALVIK_COLLECTOR_CAPTURES, HALVIK_FORWARD_AS_SENDER } = loadConfig(process.env);
  const raw = HALVIK_COLLECTOR_CAPTURES || HALVIK_FORWARD_AS_SENDER;
  const running = new Map<number, ChildProcess>();
  // settings come with each role's input: nobody else's password stands in its environment
  const env = { ...withoutOurs(process.env), ...INPUT_ON_STDIN };
  const tell = (word: Word, done: () => void = () => undefined) => {
    if (supervisor.connected) supervisor.send(word, done);
    else done();
  };
  const begin = ({ id, name, input }: Extract<Ask, { do: "start" }>) => {
    const user = roleUser(name === "mail-sink" ? "web" : name)!;
    const child = startChild(
      "setpriv",
      [
        ...asUser(user, capabilitiesOf(name, raw)),
        process.execPath,
        ...NODE_ARGS,
        ...roleNodeArgs(name),
        program,
        ...argsOf(name),
      ],
      env,
      input,
      "/",
    );
    running.set(id, child);
    for (const stream of [child.stdout!, child.stderr!])
      stream.on("data", (b: Buffer) => {
        // one piece on its way at a time: a role that says much fills nobody's memory
        stream.pause();
        tell({ is: "output", id, base64: b.toString("base64") }, () => stream.resume());
      });
    child.on("message", (m) => m === "ready" && tell({ is: "ready", id }));
    child.once("close", (code, signal) => {
      running.delete(id);
      tell({ is: "end", id, code, signal });
    });
  };
  supervisor.on("message", (message) => {
    const ask = Ask.safeParse(message);
    if (!ask.success) return;
    if (ask.data.do === "kill") running.get(ask.data.id)?.kill(ask.data.signal);
    else if (!running.has(ask.data.id)) begin(ask.data);
  });
  supervisor.once("exit", () => {
    for (const child of running.values()) {
      // the sign for it to end by itself
      if (child.connected) child.disconnect();
      setTimeout(() => child.kill("SIGKILL"), STOP_MS).unref();
    }
  });
}

/** The supervisor's side: programs as root's children. */
export function spawnByLauncher(): SpawnProgram {
  let next = 0;
  const listeners = new Map<number, (word: Word) => void>();
  process.on("message", (message) => {
    const word = Word.safeParse(message);
    if (word.success) listeners.get(word.data.id)?.(word.data);
  });
  const ask = (what: Ask) => void process.send?.(what);
  return (name, input): Started => {
    const id = next++;
    let output = (_: Uint8Array): void => undefined;
    let ready = (): void => undefined;
    let end = (_code: number | null, _signal: string | null): void => undefined;
    listeners.set(id, (word) => {
      if (word.is === "output") output(Buffer.from(word.base64, "base64"));
      else if (word.is === "ready") ready();
      else {
        listeners.delete(id);
        end(word.code, word.signal);
      }
    });
    ask({ do: "start", id, name, input });
    return {
      onOutput: (listener) => {
        output = listener;
      },
      onReady: (listener) => {
        ready = listener;
      },
      onEnd: (listener) => {
        end = listener;
      },
      kill: (signal) => ask({ do: "kill", id, signal }),
    };
  };
}
