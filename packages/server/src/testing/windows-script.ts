import { windowsScript } from "../domains/intake/endpoints/windows-script.js";

/** What the script writes, read from its own text: it cannot be run where there is no Windows. */
export function scriptRequest(events: readonly string[]): {
  readonly path: string;
  readonly body: string;
  readonly headers: Readonly<Record<string, string>>;
} {
  const text = windowsScript().toString("utf8");
  const said = (name: string): string => {
    const found = new RegExp(`^\\$${name} = '([^']*)'\\r?$`, "m").exec(text)?.[1];
    if (found === undefined) throw new Error(`the script says no $${name}`);
    return found;
  };
  if (!text.includes('$BodyOpen + (($Events | ForEach-Object { $_.Xml }) -join "`n") + $BodyClose'))
    throw new Error("the script joins events in another way");
  return {
    path: said("Path"),
    body: said("BodyOpen") + events.join("\n") + said("BodyClose"),
    headers: { "content-type": said("ContentType"), "idempotency-key": "FILES-9 Application 1 2 2 638999999999999999" },
  };
}
