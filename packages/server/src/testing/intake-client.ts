import { request } from "node:https";

export interface IntakeAnswer {
  readonly status: number;
  readonly body: { readonly stored?: number; readonly refused?: number; readonly reasons?: readonly object[] };
}

/** A request to the intake endpoint. @throws when there is no answer */
export function postRecords(
  port: number,
  path: "/json" | "/windows",
  body: string | Buffer,
  headers: Readonly<Record<string, string>>,
  timeoutMs = 60_000,
): Promise<IntakeAnswer> {
  return new Promise((done, failed) => {
    const req = request(
      {
        host: "127.0.0.1",
        port,
        path,
        method: "POST",
        rejectUnauthorized: false,
        headers,
        timeout: timeoutMs,
        agent: false,
      },
      (res) => {
        let text = "";
        res.on("data", (b: Buffer) => {
          text += b.toString();
        });
        res.once("error", failed);
        res.once("end", () => {
          try {
            done({ status: res.statusCode ?? 0, body: JSON.parse(text) as IntakeAnswer["body"] });
          } catch (e) {
            failed(e);
          }
        });
      },
    );
    req.once("timeout", () => req.destroy(new Error("no answer in time")));
    req.once("error", failed);
    req.end(body);
  });
}
