import { type ChildProcess, spawn } from "node:child_process";
import { INPUT_ON_STDIN, ROLES, type Role } from "../kernel/role-input.js";
import { roleNodeArgs } from "./role-args.js";

/** What is given its input and, where root starts it, runs as a user of its own. */
export const PROGRAMS = [...ROLES, "mail-sink"] as const;
export type ProgramName = (typeof PROGRAMS)[number];

export const isRole = (name: string): name is Role => (ROLES as readonly string[]).includes(name);

/** The command line of a program; nothing of it is up to whoever asks for the process. */
export const argsOf = (name: ProgramName): readonly string[] => (isRole(name) ? ["serve", "--role", name] : [name]);

/** A process that this one has started, or had started. */
export interface Started {
  onOutput(listener: (text: Uint8Array) => void): void;
  /** It says that it is ready. */
  onReady(listener: () => void): void;
  /** It has ended and all it said has been heard. */
  onEnd(listener: (code: number | null, signal: string | null) => void): void;
  kill(signal: "SIGTERM" | "SIGKILL"): void;
}

/** @param input what it gets on its standard input */
export type SpawnProgram = (name: ProgramName, input: string) => Started;

/** Source maps are read at the first error that any library makes: half a second of every start, for stacks that are readable without. */
export const NODE_ARGS = process.execArgv.filter((arg) => arg !== "--enable-source-maps");

/** As children of this process, as the same user. */
export const spawnHere =
  (program: string): SpawnProgram =>
  (name, input) =>
    startHere(program, argsOf(name), { ...withoutOurs(process.env), ...INPUT_ON_STDIN }, input, roleNodeArgs(name));

/** A command of ours as a child of this process. */
export function startHere(
  program: string,
  args: readonly string[],
  env: NodeJS.ProcessEnv,
  input = "",
  nodeArgs: readonly string[] = [],
): Started {
  const child = startChild(process.execPath, [...NODE_ARGS, ...nodeArgs, program, ...args], env, input, process.cwd());
  return {
    onOutput: (listener) => {
      for (const stream of [child.stdout!, child.stderr!]) stream.on("data", listener);
    },
    onReady: (listener) => child.on("message", (m) => m === "ready" && listener()),
    onEnd: (listener) => child.once("close", listener),
    kill: (signal) => child.kill(signal),
  };
}

/** Starts a process whose words and end its parent hears, in a group of its own: Ctrl-C reaches the parent alone, which ends the others in order. */
export function startChild(
  file: string,
  args: readonly string[],
  env: NodeJS.ProcessEnv,
  input: string,
  cwd: string,
): ChildProcess {
  const child = spawn(file, args, { detached: true, stdio: ["pipe", "pipe", "pipe", "ipc"], cwd, env });
  child.on("error", () => undefined);
  child.stdin!.on("error", () => undefined);
  child.stdin!.end(input);
  return child;
}

/** Settings come with each program's input; its environment holds none. */
export const withoutOurs = (env: NodeJS.ProcessEnv): NodeJS.ProcessEnv =>
  Object.fromEntries(Object.entries(env).filter(([name]) => !name.startsWith("HALVIK_")));
