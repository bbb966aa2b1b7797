import { Command, InvalidArgumentError } from "commander";
import { startHookSink } from "../domains/notifications/hook-sink.js";

const portOf = (text: string): number => {
  const port = Number(text);
  if (!Number.isInteger(port) || port < 0 || port > 65_535) throw new InvalidArgumentError("expected a port");
  return port;
};

/** What anybody may have sent, without what a terminal would obey. */
const shown = (text: string): string =>
  text.replace(/[\p{Cc}\p{Cf}]/gu, (c) => `\\u${c.codePointAt(0)!.toString(16).padStart(4, "0")}`);

export const hookSinkCommand = (): Command =>
  new Command("hook-sink")
    .option("--port <port>", "where it listens on loopback; 0: any", portOf, 8_482)
    .option("--secret <secret>", "checks signatures made with it", "")
    .action(async ({ port, secret }: { port: number; secret: string }) => {
      const sink = await startHookSink(port, secret, ({ id, body, wrong }) =>
        console.log(
          [id, wrong !== "" ? `refused: ${wrong}` : secret === "" ? "" : "signed", body]
            .map(shown)
            .filter(Boolean)
            .join(" "),
        ),
      );
      console.log(`Takes notifications at http://127.0.0.1:${sink.port}/ and prints them`);
      const end = () => void sink.stop().then(() => process.exit(0));
      process.once("SIGTERM", end);
      process.once("SIGINT", end);
    });
