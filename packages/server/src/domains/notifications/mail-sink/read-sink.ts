import { readFile } from "node:fs/promises";
import { join } from "node:path";
import type { SinkMail } from "@halvik/contract/notify";
import type { AddressObject } from "mailparser";
import { mailSinkDir } from "../../../kernel/config/data-dir.js";
import { sinkFiles } from "./sink.js";

const TEXT_MOST = 20_000;
/** `2026-11-25T20-01-02.000000Z-000001.eml`: a file name cannot hold colons everywhere. */
const NAME = /^(\d{4}-\d\d-\d\d)T(\d\d)-(\d\d)-(\d\d\.\d{6})Z-\d+\.eml$/;

/** The latest messages the sink received, read as any mail program would. */
export async function readSink(dataDir: string, most: number): Promise<SinkMail["mail"]> {
  // only the demo reads mail: no start of the web role waits for its parser
  const { simpleParser } = await import("./parse-mail.js");
  const mail: SinkMail["mail"] = [];
  for (const file of sinkFiles(dataDir).slice(0, most)) {
    const [, day, hour, minute, second] = NAME.exec(file) ?? [];
    if (day === undefined) continue;
    const parsed = await simpleParser(await readFile(join(mailSinkDir(dataDir), file)));
    mail.push({
      file,
      at: `${day}T${hour}:${minute}:${second}Z`,
      from: parsed.from?.text ?? "",
      to: addresses(parsed.to),
      subject: parsed.subject ?? "",
      text: (parsed.text ?? "").slice(0, TEXT_MOST),
    });
  }
  return mail;
}

const addresses = (to: AddressObject | AddressObject[] | undefined): string =>
  (to === undefined ? [] : Array.isArray(to) ? to : [to]).map((a) => a.text).join(", ");
