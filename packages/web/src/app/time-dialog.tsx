import { readMoment } from "@halvik/core/base/time";
import { useQuery } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { summaryQuery } from "../data/api";
import { bounds, useView, useViewStore } from "../data/view-store";
import { between, PRESETS } from "../shared/time-presets";
import { Button } from "../ui/button";
import { Dialog } from "../ui/dialog";
import { Field, Input } from "../ui/field";
import { Select } from "../ui/select";
import { dayMinute } from "../ui/time";

/** The window all pages show: by name, or from and to as one types them, in the zone one reads. */
export function TimeDialog() {
  const { choosingTime, setChoosingTime } = useView("choosingTime", "setChoosingTime");
  return (
    <Dialog open={choosingTime} onOpenChange={setChoosingTime} title="Time">
      <Choices onDone={() => setChoosingTime(false)} />
    </Dialog>
  );
}

function Choices({ onDone }: { onDone: () => void }) {
  const { window, setWindow, nowUs, zone, setZone } = useView("window", "setWindow", "nowUs", "zone", "setZone");
  const zones = useZones();
  const [from, setFrom] = useState(() => dayMinute(bounds(window, nowUs).fromUs, zone));
  const [to, setTo] = useState(() => (window.endUs === null ? "now" : dayMinute(window.endUs, zone)));
  const [wrong, setWrong] = useState<{ from?: string; to?: string }>({});
  const submit = (e: FormEvent) => {
    e.preventDefault();
    const fromUs = readMoment(from, nowUs, zone);
    const toUs = readMoment(to, nowUs, zone);
    const expected = "Expected a time such as 24 Nov 02:00, yesterday 14:20 or 2026-11-24 02:00.";
    if (fromUs === null || toUs === null)
      return setWrong({ ...(fromUs === null ? { from: expected } : {}), ...(toUs === null ? { to: expected } : {}) });
    if (fromUs >= Math.min(toUs, nowUs))
      return setWrong({ from: "Expected a time before the end, and not in the future." });
    setWindow(between(fromUs, toUs, nowUs));
    onDone();
  };
  const [moment, setMoment] = useState("");
  const [noMoment, setNoMoment] = useState(false);
  /** As long a window as now, with the moment in its middle. */
  const goTo = (e: FormEvent) => {
    e.preventDefault();
    const us = readMoment(moment, nowUs, zone);
    if (us === null) return setNoMoment(true);
    setWindow(between(us - window.spanUs / 2, us + window.spanUs / 2, nowUs));
    useViewStore.getState().setNeedle(us);
    onDone();
  };
  return (
    <>
      <form onSubmit={goTo} className="mb-2 flex items-end gap-2">
        <span className="flex-1">
          <Field
            label="At one moment"
            error={noMoment ? "Expected a time such as 26 Nov 02:18:31, yesterday 14:20 UTC or 1795660711." : undefined}
          >
            {(id) => (
              <Input
                id={id}
                value={moment}
                onChange={(e) => {
                  setMoment(e.target.value);
                  setNoMoment(false);
                }}
                placeholder="26 Nov 02:18:31, 1795660711 …"
                maxLength={60}
              />
            )}
          </Field>
        </span>
        <span className="pb-2.5">
          <Button type="submit">Go</Button>
        </span>
      </form>
      <div className="mb-3 flex flex-wrap gap-1.5">
        {PRESETS.map((p) => (
          <Button
            key={p.name}
            onClick={() => {
              setWindow(p.window(nowUs, zone));
              onDone();
            }}
          >
            {p.name}
          </Button>
        ))}
      </div>
      <form onSubmit={submit}>
        <Field label="From" error={wrong.from} hint="24 Nov 02:00, yesterday 14:20, 7:30 …">
          {(id) => <Input id={id} value={from} onChange={(e) => setFrom(e.target.value)} autoFocus maxLength={60} />}
        </Field>
        <Field label="To" error={wrong.to} hint="“now” follows the clock.">
          {(id) => <Input id={id} value={to} onChange={(e) => setTo(e.target.value)} maxLength={60} />}
        </Field>
        <Field label="Zone" hint="Of the times on screen and of those typed here.">
          {(id) => <Select id={id} value={zone} onChange={setZone} options={zones} className="w-full" />}
        </Field>
        <Button main type="submit">
          Show
        </Button>
      </form>
    </>
  );
}

/** The zones somebody may want to read in: the browser's, the one senders are in, UTC. */
function useZones(): string[] {
  const summary = useQuery(summaryQuery);
  const zone = useViewStore((s) => s.zone);
  const own = Intl.DateTimeFormat().resolvedOptions().timeZone;
  return [...new Set([own, zone, ...(summary.data ? [summary.data.zone] : []), "UTC"])];
}
