import type { NotifyWays } from "@halvik/contract/notify";
import { TEXT_KINDS } from "@halvik/core/respond/notify";
import { useViewStore, usOf } from "../../data/view-store";
import { Button } from "../../ui/button";
import { Heading } from "../../ui/page";
import { safeText } from "../../ui/safe-text";
import { dayMinute } from "../../ui/time";
import { channelText } from "./way-words";

/** What messages go by and to beside mail addresses: rotas, with who is on duty, and channels. */
export function Ways({
  ways,
  onRota,
  onChannel,
  onTexts,
}: {
  ways: NotifyWays;
  onRota: (id: number | "new") => void;
  onChannel: (id: number | "new") => void;
  onTexts: (id: number | "new") => void;
}) {
  const zone = useViewStore((s) => s.zone);
  const line = "flex items-baseline justify-between gap-4 border-b border-line px-1.5 py-1 text-ui";
  return (
    <div className="grid grid-cols-3 gap-6 max-wide:grid-cols-1">
      <section aria-label="On duty">
        <Heading>On duty</Heading>
        {ways.rotas.map((r) => (
          <div key={r.id} className={line}>
            <span>
              <b className="font-semibold">{safeText(r.name)}</b>: {safeText(r.onDuty.name)}{" "}
              <span className="text-quiet">
                {safeText(r.onDuty.to)}, until {dayMinute(usOf(r.onDuty.until), zone)}
              </span>
            </span>
            <Button onClick={() => onRota(r.id)}>Edit</Button>
          </div>
        ))}
        {ways.rotas.length === 0 && <p className="mb-1 text-ui text-quiet">No rota: mail goes to addresses alone.</p>}
        <Button className="mt-1" onClick={() => onRota("new")}>
          Add a rota
        </Button>
      </section>
      <section aria-label="Channels">
        <Heading>Channels</Heading>
        {ways.channels.map((c) => (
          <div key={c.id} className={line}>
            <span className="min-w-0 truncate">
              <b className="font-semibold">{safeText(c.name)}</b>{" "}
              <span className="text-quiet">{safeText(channelText(c))}</span>
            </span>
            <Button onClick={() => onChannel(c.id)}>Edit</Button>
          </div>
        ))}
        {ways.channels.length === 0 && (
          <p className="mb-1 text-ui text-quiet">No channel: messages go by mail alone.</p>
        )}
        <Button className="mt-1" onClick={() => onChannel("new")}>
          Add a channel
        </Button>
      </section>
      <section aria-label="Texts">
        <Heading>Texts</Heading>
        {ways.texts.map((t) => (
          <div key={t.id} className={line}>
            <span className="min-w-0 truncate">
              <b className="font-semibold">{safeText(t.name)}</b>{" "}
              <span className="text-quiet">
                {t.language}:{" "}
                {TEXT_KINDS.filter((kind) => t.texts[kind] !== null).join(", ") || "nothing of its own yet"}
              </span>
            </span>
            <Button onClick={() => onTexts(t.id)}>Edit</Button>
          </div>
        ))}
        {ways.texts.length === 0 && (
          <p className="mb-1 text-ui text-quiet">Messages are written as they ship, in English.</p>
        )}
        <Button className="mt-1" onClick={() => onTexts("new")}>
          Add texts
        </Button>
      </section>
    </div>
  );
}
