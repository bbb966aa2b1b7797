import { Readable } from "node:stream";
import { format } from "node:util";
import { programFor, sayFailure } from "../cli/program.js";

/** A command that ends its process ends here. */
class Ended extends Error {
  constructor(readonly status: number) {
    super();
  }
}

/**
 * Runs a command in this process, with what it would have of a process of its own: environment, standard input and output, a status. It costs a
 * fiftieth of what starting one does; that a command's process ends by itself is for `runCommand` to see. One at a time, and not beside an API
 * in this process: there are models once in a process, and a command binds them to its own connection.
 */
export async function runInside(
  env: NodeJS.ProcessEnv,
  args: readonly string[],
  input = "",
): Promise<{ code: number; out: string; err: string }> {
  let out = "";
  let err = "";
  const stdin = Object.getOwnPropertyDescriptor(process, "stdin")!;
  const own = {
    env: process.env,
    exit: process.exit,
    exitCode: process.exitCode,
    write: process.stdout.write,
    complain: process.stderr.write,
  };
  const { log, error } = console;
  process.env = { ...env };
  process.exit = (code) => {
    throw new Ended(Number(code ?? process.exitCode ?? 0));
  };
  process.exitCode = 0;
  const textOf = (said: string | Uint8Array) => (typeof said === "string" ? said : Buffer.from(said).toString());
  process.stdout.write = (said: string | Uint8Array) => {
    out += textOf(said);
    return true;
  };
  process.stderr.write = (said: string | Uint8Array) => {
    err += textOf(said);
    return true;
  };
  Object.defineProperty(process, "stdin", { configurable: true, value: Readable.from([Buffer.from(input)]) });
  console.log = (...parts: unknown[]) => {
    out += `${format(...parts)}\n`;
  };
  console.error = (...parts: unknown[]) => {
    err += `${format(...parts)}\n`;
  };
  let code = 0;
  try {
    const program = await programFor(args, "halvik");
    await program.parseAsync(["node", "halvik", ...args]);
    code = Number(process.exitCode);
  } catch (e) {
    code = e instanceof Ended ? e.status : 1;
    if (!(e instanceof Ended)) err += `${sayFailure(e)}\n`;
  } finally {
    process.env = own.env;
    process.exit = own.exit;
    process.exitCode = own.exitCode;
    process.stdout.write = own.write;
    process.stderr.write = own.complain;
    Object.defineProperty(process, "stdin", stdin);
    Object.assign(console, { log, error });
  }
  return { code, out, err };
}
