import { spawn } from "node:child_process";
import { type CommandChannel, webhookBody } from "@halvik/core/respond/notify";
import type { Outgoing, Sent } from "./way.js";

const TIMEOUT_MS = 20_000;
const SAID_MOST = 400;
/** How long its last words are waited for: one that has left its group may hold their way open. */
const LAST_WORDS_MS = 500;

/** What running a program goes by. */
export interface CommandRunning {
  readonly channel: CommandChannel;
  /** Programs that the administrator allows: names and absolute paths. */
  readonly programs: ReadonlyMap<string, string>;
}

/**
 * Runs a program with the arguments as they are set up, never by a shell; it reads the message on its standard input, as a web address gets
 * it, and has nothing of Halvik's environment. Whatever it leaves but 0 is a failure; what takes too long is ended.
 */
export function runCommand({ channel, programs }: CommandRunning, message: Outgoing): Promise<Sent> {
  const path = programs.get(channel.program);
  if (path === undefined)
    return Promise.resolve({
      ok: false,
      permanent: true,
      why: `“${channel.program}” is none of the programs that the administrator allows (HALVIK_NOTIFY_PROGRAMS)`,
    });
  return new Promise((resolve) => {
    const child = spawn(path, channel.args, {
      shell: false,
      cwd: "/",
      // a group of its own: what it has started ends with it
      detached: true,
      env: { PATH: "/usr/bin:/bin", LANG: "C.UTF-8", HALVIK_MESSAGE_ID: message.id },
      stdio: ["pipe", "ignore", "pipe"],
    });
    let said = "";
    let late = false;
    let end = setTimeout(() => {
      late = true;
      killGroup(child.pid);
    }, TIMEOUT_MS);
    child.stderr.setEncoding("utf8").on("data", (part: string) => {
      if (said.length < SAID_MOST) said += part;
    });
    // one that does not read it may still do its work
    child.stdin.on("error", () => undefined);
    child.stdin.end(webhookBody("json", message, message.write(null), message.about));
    const failed = (why: string, permanent: boolean) => resolve({ ok: false, why: why.slice(0, SAID_MOST), permanent });
    child.once("error", (e: NodeJS.ErrnoException) => {
      clearTimeout(end);
      failed(`it cannot be run: ${e.message}`, e.code === "ENOENT" || e.code === "EACCES");
    });
    child.once("exit", () => {
      clearTimeout(end);
      // what it has left behind is not waited for
      killGroup(child.pid);
      end = setTimeout(() => child.stderr.destroy(), LAST_WORDS_MS);
    });
    child.once("close", (code, signal) => {
      clearTimeout(end);
      const why = said.replace(/[\p{Cc}\p{Cf}\s]+/gu, " ").trim();
      if (code === 0) resolve({ ok: true });
      else if (late) failed(`it did not end within ${TIMEOUT_MS / 1_000} s`, false);
      else failed(`it ended with ${code ?? signal}${why === "" ? "" : `: ${why}`}`, false);
    });
  });
}

function killGroup(pid: number | undefined): void {
  try {
    if (pid !== undefined) process.kill(-pid, "SIGKILL");
  } catch {
    // it has ended with all it started
  }
}
