import type { IncidentDetail } from "@halvik/contract";
import { CLOSE_REASONS } from "@halvik/core/respond/incidents";
import { Controller, useForm } from "react-hook-form";
import { Link } from "react-router";
import { useViewStore, usOf } from "../../data/view-store";
import { NamedText } from "../../shared/address-names";
import { Button } from "../../ui/button";
import { CONTROL } from "../../ui/look";
import { Notes } from "../../ui/markdown";
import { Facts, Heading } from "../../ui/page";
import { Radio } from "../../ui/radio";
import { safeText } from "../../ui/safe-text";
import { dayClock } from "../../ui/time";
import { MoreActs } from "./more-acts";
import { Similar } from "./similar";
import { Tasks } from "./tasks";

type Writing = "acknowledge" | "note" | "close" | null;

interface IncidentMarginProps {
  readonly detail: IncidentDetail;
  readonly writing: Writing;
  readonly setWriting: (writing: Writing) => void;
  readonly act: (what: string, body: object, method?: "POST" | "PATCH") => void;
  readonly busy: boolean;
}

const REASON_WORDS: Readonly<Record<(typeof CLOSE_REASONS)[number], string>> = {
  fixed: "fixed (the same within 24 h returns here)",
  expected: "expected (the same later starts anew)",
  false: "false: the rule was wrong (the same later starts anew)",
  duplicate: "duplicate: another incident holds it",
};

/** Facts, what to do, notes and history. */
export function IncidentMargin({ detail, writing, setWriting, act, busy }: IncidentMarginProps) {
  const zone = useViewStore((s) => s.zone);
  const { incident: i, history } = detail;
  return (
    <>
      <div className="flex gap-1.5">
        <Button
          main={i.acknowledged === null && i.needsAttention}
          shortcut="a"
          onClick={() => setWriting("acknowledge")}
        >
          Acknowledge
        </Button>
        <Button shortcut="n" onClick={() => setWriting("note")}>
          Note
        </Button>
        {i.state !== "closed" && <Button onClick={() => setWriting("close")}>Close</Button>}
        <MoreActs detail={detail} act={act} />
      </div>
      {writing !== null && (
        <Form key={writing} writing={writing} act={act} busy={busy} onCancel={() => setWriting(null)} />
      )}
      <div className="mt-3">
        <Facts
          facts={[
            [
              "state",
              i.state === "closed"
                ? `closed as ${i.closeReason}`
                : `${i.stopped ? "stopped, not judged" : i.state}, ${i.acknowledged ? "acknowledged" : "not acknowledged"}`,
            ],
            ["severity", i.severity],
            [
              "urgency",
              i.urgency.parts.length < 2
                ? i.urgency.score
                : `${i.urgency.score}: ${i.urgency.parts.map(([why, points]) => `${why} ${points}`).join(", ")}`,
            ],
            ["quiet since", i.ended === null ? dayClock(usOf(i.last), zone) : null],
            ["site", i.sites.join(", ")],
            ["tags", i.tags.join(", ")],
            ["assigned to", i.assignedTo],
            [
              "shelved",
              i.shelved &&
                `until ${dayClock(usOf(i.shelved.until), zone)} by ${i.shelved.by}${i.shelved.why && `: ${i.shelved.why}`}`,
            ],
            [
              "merged into",
              i.mergedInto === null ? null : <Link to={`/incidents/${i.mergedInto}`}>incident {i.mergedInto}</Link>,
            ],
            [
              "acknowledged by",
              i.acknowledged ? `${i.acknowledged.by}, ${dayClock(usOf(i.acknowledged.at), zone)}` : null,
            ],
            ["clears", detail.rules[0]?.clears ?? ""],
            ["returned", i.returned > 0 ? (i.returned === 1 ? "once" : `${i.returned} times`) : null],
            [
              "linked to",
              i.linkedTo === null ? null : <Link to={`/incidents/${i.linkedTo}`}>incident {i.linkedTo}</Link>,
            ],
            ["number", i.id],
          ]}
        />
      </div>
      <Heading>What it is about</Heading>
      <Facts
        facts={[...new Set(i.entities.map((e) => e.field))].map((field) => [
          field,
          <NamedText key={field}>
            {i.entities
              .filter((e) => e.field === field)
              .map((e) => e.value)
              .join(", ")}
          </NamedText>,
        ])}
      />
      <Tasks
        tasks={detail.tasks}
        onAdd={(text) => act("tasks", { text })}
        onDone={(task, done) => act(`tasks/${task}`, { done }, "PATCH")}
      />
      <Similar similar={detail.similar} />
      <Heading>History</Heading>
      <ol className="text-ui leading-5">
        {history.map((h, n) => (
          <li key={n} className="mb-1 text-quiet">
            <time className="font-mono text-small">{dayClock(usOf(h.at), zone)}</time>{" "}
            <span className="text-ink">{h.what}</span> · {h.who}
            {h.detail && (
              <div className="border-l-2 border-line-strong pl-2 text-ink">
                {h.code === "note" ? <Notes text={h.detail} /> : safeText(h.detail)}
              </div>
            )}
          </li>
        ))}
      </ol>
    </>
  );
}

function Form({
  writing,
  act,
  busy,
  onCancel,
}: {
  writing: Exclude<Writing, null>;
  act: IncidentMarginProps["act"];
  busy: boolean;
  onCancel: () => void;
}) {
  const { control, register, handleSubmit } = useForm({ defaultValues: { note: "", reason: "fixed" } });
  const submit = handleSubmit(({ note, reason }) => {
    if (writing === "close") act("close", { note, reason });
    else act(writing === "note" ? "notes" : "acknowledge", { note });
  });
  const label = { acknowledge: "Acknowledge", note: "Add the note", close: "Close" }[writing];
  return (
    <form
      onSubmit={submit}
      className="mt-2.5 border border-line-strong bg-sheet p-2.5"
      onKeyDown={(e) => {
        if (e.key === "Escape") onCancel();
        if (e.key === "Enter" && (e.ctrlKey || e.metaKey)) void submit();
      }}
    >
      {writing === "close" && (
        <div className="mb-2 text-ui">
          <p className="text-quiet">Reason</p>
          <Controller
            control={control}
            name="reason"
            render={({ field }) => (
              <Radio
                label="Reason"
                value={field.value}
                onChange={field.onChange}
                options={CLOSE_REASONS.map((value) => ({ value, label: REASON_WORDS[value] }))}
              />
            )}
          />
        </div>
      )}
      <label className="block text-ui text-quiet">
        Note{writing === "note" ? ", as Markdown" : " (optional)"}
        <textarea
          rows={3}
          // biome-ignore lint/a11y/noAutofocus: the form was opened by a key, to write into
          autoFocus
          required={writing === "note"}
          className={`${CONTROL} mt-0.5 w-full`}
          {...register("note")}
        />
      </label>
      <div className="mt-1 flex gap-1.5">
        <Button main type="submit" disabled={busy}>
          {label}
        </Button>
        <Button onClick={onCancel} shortcut="Esc">
          Cancel
        </Button>
      </div>
    </form>
  );
}
