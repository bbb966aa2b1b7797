import type { ReportKept } from "@halvik/contract/reports";
import { Schedule } from "@halvik/core/report";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { toast } from "sonner";
import { notifyRoutesQuery, request } from "../../data/api";
import { useViewStore, usOf } from "../../data/view-store";
import { TextButton } from "../../ui/button";
import { Checkbox } from "../../ui/checkbox";
import { Field, Input } from "../../ui/field";
import { FormEnd } from "../../ui/form";
import { Heading } from "../../ui/page";
import { safeText } from "../../ui/safe-text";
import { Select } from "../../ui/select";
import { dayMinute } from "../../ui/time";

type KeptSchedule = ReportKept["schedules"][number];

/** When a report is made by itself, and who gets it. */
export function Schedules({ kept }: { kept: ReportKept }) {
  const client = useQueryClient();
  const zone = useViewStore((s) => s.zone);
  const [editing, setEditing] = useState<number | "new" | null>(null);
  const change = useMutation({
    mutationFn: ({ method, path, body }: { method: string; path: string; body?: object }) =>
      request<ReportKept>(method, `/reports/${kept.id}/schedules${path}`, body),
    onSuccess: (after) => {
      client.setQueryData(["reports", kept.id], after);
      setEditing(null);
    },
    onError: (e) => toast.error(e.message),
  });
  const form = (schedule: KeptSchedule | null) => (
    <ScheduleForm
      key={schedule?.id ?? "new"}
      schedule={schedule?.schedule ?? null}
      asks={kept.report.asks}
      busy={change.isPending}
      onSave={(body) =>
        change.mutate({
          method: schedule === null ? "POST" : "PATCH",
          path: schedule === null ? "" : `/${schedule.id}`,
          body: { schedule: body },
        })
      }
      onDelete={schedule === null ? null : () => change.mutate({ method: "DELETE", path: `/${schedule.id}` })}
      onCancel={() => setEditing(null)}
    />
  );
  return (
    <section aria-label="Schedules">
      <Heading small={editing === null && <TextButton onClick={() => setEditing("new")}>add a time</TextButton>}>
        When it is made
      </Heading>
      {kept.schedules.length === 0 && editing === null && (
        <p className="text-ui text-quiet">When somebody asks for it.</p>
      )}
      {kept.schedules.map((s) =>
        editing === s.id ? (
          form(s)
        ) : (
          <div key={s.id} className="flex items-baseline justify-between gap-2 border-b border-line py-1 text-ui">
            <span>
              {s.says}
              <span className="block text-small text-quiet">
                {s.schedule.enabled
                  ? s.next === null
                    ? "never again"
                    : `next ${dayMinute(usOf(s.next), zone)}`
                  : "switched off"}
                {s.schedule.routes.length > 0 &&
                  `, sent by ${s.schedule.routes.length === 1 ? "a notification" : `${s.schedule.routes.length} notifications`}`}
                , by {safeText(s.author)}
              </span>
            </span>
            <TextButton onClick={() => setEditing(s.id)}>change</TextButton>
          </div>
        ),
      )}
      {editing === "new" && form(null)}
    </section>
  );
}

const DAYS = ["monday", "tuesday", "wednesday", "thursday", "friday", "saturday", "sunday"] as const;
const EVERY = [
  { value: "day", label: "every day" },
  { value: "week", label: "every week" },
  { value: "month", label: "every month" },
  { value: "cron", label: "by a cron expression" },
];

interface FormProps {
  readonly schedule: Schedule | null;
  readonly asks: ReportKept["report"]["asks"];
  readonly busy: boolean;
  readonly onSave: (schedule: Schedule) => void;
  readonly onDelete: (() => void) | null;
  readonly onCancel: () => void;
}

function ScheduleForm({ schedule, asks, busy, onSave, onDelete, onCancel }: FormProps) {
  const ownZone = useViewStore((s) => s.zone);
  const routes = useQuery(notifyRoutesQuery).data?.routes ?? [];
  const when = schedule?.when;
  const [every, setEvery] = useState<string>(when?.every ?? "week");
  const [at, setAt] = useState(when !== undefined && "at" in when ? when.at : "08:00");
  const [weekday, setWeekday] = useState<string>(when?.every === "week" ? when.on : "monday");
  const [monthday, setMonthday] = useState(when?.every === "month" ? String(when.on) : "1");
  const [cron, setCron] = useState(when?.every === "cron" ? when.cron : "0 8 * * 1-5");
  const [zone, setZone] = useState(schedule?.zone ?? ownZone);
  const [keep, setKeep] = useState(String(schedule?.keep ?? 30));
  const [of, setOf] = useState(schedule?.of ?? "");
  const [told, setTold] = useState<readonly number[]>(schedule?.routes ?? []);
  const [enabled, setEnabled] = useState(schedule?.enabled ?? true);
  const [trouble, setTrouble] = useState<string | null>(null);
  const save = () => {
    const moment =
      every === "cron"
        ? { every, cron }
        : every === "week"
          ? { every, on: weekday, at }
          : every === "month"
            ? { every, on: Number(monthday), at }
            : { every, at };
    const parsed = Schedule.safeParse({
      when: moment,
      zone: zone.trim(),
      routes: told,
      keep: Number(keep),
      of: of.trim() === "" ? null : of.trim(),
      enabled,
    });
    if (parsed.success) onSave(parsed.data);
    else setTrouble(parsed.error.issues[0]!.message);
  };
  return (
    <form
      aria-label={schedule === null ? "A time" : "Change the time"}
      className="border-y border-line bg-wash px-2 py-2"
      onSubmit={(e) => {
        e.preventDefault();
        save();
      }}
    >
      <Field label="How often">
        {(id) => <Select id={id} value={every} onChange={setEvery} options={EVERY} className="w-full" />}
      </Field>
      {every === "week" && (
        <Field label="On">
          {(id) => <Select id={id} value={weekday} onChange={setWeekday} options={DAYS} className="w-full" />}
        </Field>
      )}
      {every === "month" && (
        <Field label="On day" hint="of a month that has no such day, its last">
          {(id) => <Input id={id} inputMode="numeric" value={monthday} onChange={(e) => setMonthday(e.target.value)} />}
        </Field>
      )}
      {every === "cron" ? (
        <Field label="Cron expression" hint="minute, hour, day of month, month, day of week">
          {(id) => <Input id={id} value={cron} onChange={(e) => setCron(e.target.value)} />}
        </Field>
      ) : (
        <Field label="At">
          {(id) => <Input id={id} value={at} placeholder="08:00" onChange={(e) => setAt(e.target.value)} />}
        </Field>
      )}
      <Field label="By the clock of">
        {(id) => <Input id={id} value={zone} onChange={(e) => setZone(e.target.value)} />}
      </Field>
      {asks !== "nothing" && (
        <Field label={`Of which ${asks}`} hint="empty: of all">
          {(id) => <Input id={id} value={of} onChange={(e) => setOf(e.target.value)} />}
        </Field>
      )}
      <Field label="Outputs that stay">
        {(id) => <Input id={id} inputMode="numeric" value={keep} onChange={(e) => setKeep(e.target.value)} />}
      </Field>
      <fieldset className="mb-2.5 text-ui">
        <legend className="text-quiet">Told to those of</legend>
        {routes.length === 0 && (
          <p className="text-small text-quiet">There is no notification yet; its people and channels would get it.</p>
        )}
        {routes.map((r) => (
          <Checkbox
            key={r.id}
            checked={told.includes(r.id)}
            onChange={(on) => setTold(on ? [...told, r.id] : told.filter((t) => t !== r.id))}
          >
            {safeText(r.name)}
          </Checkbox>
        ))}
      </fieldset>
      <Checkbox checked={enabled} onChange={setEnabled} className="mb-2 text-ui">
        switched on
      </Checkbox>
      {trouble !== null && (
        <p role="alert" className="mb-1 text-code text-vermilion">
          {trouble}
        </p>
      )}
      <FormEnd busy={busy} onCancel={onCancel} onDelete={onDelete} />
    </form>
  );
}
