import type { ReportKept } from "@halvik/contract/reports";
import { ASKS, type Part, ReportDefinition } from "@halvik/core/report";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useNavigate, useParams } from "react-router";
import { request } from "../../data/api";
import { type AskedOver, reportQuery } from "../../data/report-queries";
import { useViewStore } from "../../data/view-store";
import { PartForm } from "../../shared/parts/part-form";
import { NEW_PARTS, partLabel } from "../../shared/parts/part-words";
import { periodKey, periodOptions, readPeriod } from "../../shared/period-words";
import { WhichRecords } from "../../shared/which-records";
import { Button, TextButton } from "../../ui/button";
import { Trouble } from "../../ui/empty-state";
import { Field, Input } from "../../ui/field";
import { Menu, MenuItem } from "../../ui/menu";
import { Heading, Page, Scroller } from "../../ui/page";
import { safeText } from "../../ui/safe-text";
import { Select } from "../../ui/select";
import { DeleteButton } from "../../ui/twice-button";
import { ReportBody } from "./report-body";
import { useMoment } from "./use-moment";

const EMPTY: ReportDefinition = {
  name: "",
  about: "",
  period: { last: 7, unit: "day", whole: true },
  asks: "nothing",
  filter: "",
  parts: [],
};

export function NewReportPage() {
  return <Editor kept={null} />;
}

export function EditReportPage() {
  const id = Number(useParams().id);
  // what is edited is as it is now, and stays so while it is edited
  const { data, error, isFetchedAfterMount } = useQuery({ ...reportQuery(id), refetchOnMount: "always" });
  if (error)
    return (
      <Page title="Report">
        <Trouble error={error} what="The report cannot be edited" />
      </Page>
    );
  return data && isFetchedAfterMount ? <Editor key={id} kept={data} /> : null;
}

/** A part with a number of its own, so that moving one moves its form. */
interface Draft {
  readonly key: number;
  readonly part: Part;
}

/** The parts of a report in their order, a form for the one that is chosen, and what it looks like on what is stored. */
function Editor({ kept }: { kept: ReportKept | null }) {
  const client = useQueryClient();
  const navigate = useNavigate();
  const zone = useViewStore((s) => s.zone);
  const { at: moment, again } = useMoment();
  // as it was when the editing began, whatever is read of it meanwhile
  const [{ id, report, changed }] = useState(kept ?? { id: null, report: EMPTY, changed: "" });
  const [head, setHead] = useState(report);
  const [drafts, setDrafts] = useState<readonly Draft[]>(() => report.parts.map((part, key) => ({ key, part })));
  const [chosen, setChosen] = useState<number | null>(drafts[0]?.key ?? null);
  const [trouble, setTrouble] = useState<string | null>(null);
  const at = drafts.findIndex((d) => d.key === chosen);
  const current = drafts[at];
  const save = useMutation({
    mutationFn: (body: ReportDefinition) =>
      id === null
        ? request<ReportKept>("POST", "/reports", body)
        : request<ReportKept>("PATCH", `/reports/${id}`, { report: body, changed }),
    onSuccess: (saved) => {
      void client.invalidateQueries({ queryKey: ["reports"] });
      void navigate(`/reports/${saved.id}`);
    },
    onError: (e) => setTrouble(e.message),
  });
  const remove = useMutation({
    mutationFn: () => request("DELETE", `/reports/${id}`),
    onSuccess: () => {
      void client.invalidateQueries({ queryKey: ["reports"] });
      void navigate("/reports");
    },
    onError: (e) => setTrouble(e.message),
  });
  const submit = () => {
    const parsed = ReportDefinition.safeParse({ ...head, parts: drafts.map((d) => d.part) });
    if (parsed.success) return save.mutate(parsed.data);
    const issue = parsed.error.issues[0]!;
    const part = issue.path[0] === "parts" && typeof issue.path[1] === "number" ? drafts[issue.path[1]] : undefined;
    if (part) setChosen(part.key);
    setTrouble(`${part ? `${partLabel(part.part)}: ` : `${issue.path.join(" ")}: `}${issue.message}`);
  };
  const add = (part: Part) => {
    const key = 1 + Math.max(-1, ...drafts.map((d) => d.key));
    const place = at < 0 ? drafts.length : at + 1;
    setDrafts([...drafts.slice(0, place), { key, part }, ...drafts.slice(place)]);
    setChosen(key);
  };
  const move = (by: 1 | -1) => {
    const to = at + by;
    if (to < 0 || to >= drafts.length) return;
    const next = [...drafts];
    [next[at], next[to]] = [next[to]!, next[at]!];
    setDrafts(next);
  };
  const drop = () => {
    const next = drafts.filter((d) => d.key !== chosen);
    setDrafts(next);
    setChosen(next[Math.min(at, next.length - 1)]?.key ?? null);
  };
  const over: AskedOver = {
    period: head.period,
    filter: head.filter,
    asks: head.asks,
    of: null,
    zone,
    at: moment,
  };
  const title = id === null ? "A new report" : `Edit ${report.name}`;
  return (
    <Page title={title}>
      <div className="flex items-end justify-between gap-4 border-b border-line-strong pb-1.5">
        <h1 className="text-page leading-[1.625rem] font-semibold">{safeText(title)}</h1>
        <span className="flex gap-2">
          <Button main disabled={save.isPending} onClick={submit}>
            Save
          </Button>
          <Button onClick={() => void navigate(id === null ? "/reports" : `/reports/${id}`)}>Cancel</Button>
          {id !== null && (
            <DeleteButton and=" and its outputs" disabled={remove.isPending} onDelete={() => remove.mutate()} />
          )}
        </span>
      </div>
      {trouble !== null && (
        <p role="alert" className="mt-1 text-vermilion">
          {safeText(trouble)}
        </p>
      )}
      <Scroller label="Editor">
        <div className="grid grid-cols-[14rem_20rem_1fr] gap-6 max-wide:grid-cols-1">
          <div>
            <Heading>The report</Heading>
            <Field label="Name">
              {(f) => (
                <Input
                  id={f}
                  maxLength={80}
                  value={head.name}
                  onChange={(e) => setHead({ ...head, name: e.target.value })}
                />
              )}
            </Field>
            <Field label="What it is for">
              {(f) => (
                <Input
                  id={f}
                  maxLength={400}
                  value={head.about}
                  onChange={(e) => setHead({ ...head, about: e.target.value })}
                />
              )}
            </Field>
            <Field label="Period">
              {(f) => (
                <Select
                  id={f}
                  value={periodKey(head.period)}
                  options={periodOptions(report.period)}
                  onChange={(v) => setHead({ ...head, period: readPeriod(v) ?? head.period })}
                  className="w-full"
                />
              )}
            </Field>
            <Field label="Whoever runs it is asked for">
              {(f) => (
                <Select
                  id={f}
                  value={head.asks}
                  options={ASKS.map((a) => ({ value: a, label: a === "nothing" ? "nothing" : `a ${a}` }))}
                  onChange={(v) => setHead({ ...head, asks: v as ReportDefinition["asks"] })}
                  className="w-full"
                />
              )}
            </Field>
            <WhichRecords
              about="Of which records, in all of its parts"
              placeholder="empty: every record"
              value={head.filter}
              onChange={(filter) => setHead({ ...head, filter })}
            />
            <Heading
              small={
                <Menu align="start" trigger={<TextButton>add a part</TextButton>}>
                  {NEW_PARTS.map(({ label, part }) => (
                    <MenuItem key={label} onSelect={() => add(part)}>
                      {label}
                    </MenuItem>
                  ))}
                </Menu>
              }
            >
              Parts
            </Heading>
            {drafts.length === 0 && <p className="text-ui text-quiet">None yet.</p>}
            <ol className="text-ui">
              {drafts.map((d) => (
                <li key={d.key}>
                  <button
                    type="button"
                    aria-current={d.key === chosen}
                    className="block w-full truncate border-b border-line px-1 py-0.5 text-left aria-[current=true]:bg-fjord-wash aria-[current=true]:font-semibold"
                    onClick={() => setChosen(d.key)}
                  >
                    {safeText(partLabel(d.part))}
                  </button>
                </li>
              ))}
            </ol>
          </div>
          <div>
            <Heading
              small={
                current && (
                  <span className="flex gap-3">
                    <TextButton disabled={at === 0} onClick={() => move(-1)}>
                      up
                    </TextButton>
                    <TextButton disabled={at === drafts.length - 1} onClick={() => move(1)}>
                      down
                    </TextButton>
                    <TextButton onClick={drop}>remove</TextButton>
                  </span>
                )
              }
            >
              The part
            </Heading>
            {current ? (
              <PartForm
                key={current.key}
                part={current.part}
                onChange={(part) => setDrafts(drafts.map((d) => (d.key === current.key ? { ...d, part } : d)))}
              />
            ) : (
              <p className="text-ui text-quiet">Add a part: a figure, bars, a table, a line over time, text.</p>
            )}
          </div>
          <section aria-label="Preview" className="min-w-0 border-l border-line pl-4 max-wide:border-0 max-wide:pl-0">
            <Heading small="on what is stored">Preview</Heading>
            {current && ReportDefinition.shape.parts.element.safeParse(current.part).success ? (
              <ReportBody parts={[current.part]} over={over} onAgain={again} />
            ) : (
              <p className="text-ui text-quiet">
                {current ? "It is shown when its form is complete." : "The chosen part is shown here."}{" "}
                <Link to="/reports">Ready-made reports</Link> show what can be said.
              </p>
            )}
          </section>
        </div>
      </Scroller>
    </Page>
  );
}
