import type { ReportKept } from "@halvik/contract/reports";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useRef } from "react";
import { Link, useNavigate } from "react-router";
import { toast } from "sonner";
import { request } from "../../data/api";
import { reportsQuery } from "../../data/report-queries";
import { useViewStore, usOf } from "../../data/view-store";
import { periodLabel } from "../../shared/period-words";
import { Button, ButtonLink, TextButton } from "../../ui/button";
import { Trouble } from "../../ui/empty-state";
import { Heading, Page, Scroller } from "../../ui/page";
import { safeText } from "../../ui/safe-text";
import { dayMinute } from "../../ui/time";

/** Reports of one's own, with when they are made and what was made last, and those that ship. */
export function ReportsPage() {
  const client = useQueryClient();
  const navigate = useNavigate();
  const { data, error } = useQuery(reportsQuery);
  const file = useRef<HTMLInputElement>(null);
  const keep = useMutation({
    mutationFn: (report: ReportKept["report"]) => request<ReportKept>("POST", "/reports", report),
    onSuccess: (kept) => {
      void client.invalidateQueries({ queryKey: ["reports"] });
      void navigate(`/reports/${kept.id}`);
    },
    onError: (e) => toast.error(e.message),
  });
  const readFile = async (chosen: File | undefined) => {
    if (chosen === undefined) return;
    try {
      const text = await chosen.text();
      const { report } = await request<{ report: ReportKept["report"] }>("POST", "/reports/read", { text });
      keep.mutate(report);
    } catch (e) {
      toast.error(`${chosen.name}: ${(e as Error).message}`);
    }
  };
  return (
    <Page title="Reports">
      <div className="flex items-end justify-between gap-4 border-b border-line-strong pb-1.5">
        <div>
          <h1 className="text-page leading-[1.625rem] font-semibold">Reports</h1>
          <p className="text-quiet">
            Figures over a period, on screen, as PDF, by mail on Monday at eight.{" "}
            <Link to="/reports/limits">Limits</Link> · <Link to="/reports/boards">Boards</Link>
          </p>
        </div>
        <span className="flex gap-2">
          <input
            ref={file}
            type="file"
            accept=".yaml,.yml"
            aria-label="A report's file"
            className="hidden"
            onChange={(e) => {
              void readFile(e.target.files?.[0]);
              e.target.value = "";
            }}
          />
          <Button onClick={() => file.current?.click()}>Read a file</Button>
          <Button main onClick={() => void navigate("/reports/new")}>
            Write a report
          </Button>
        </span>
      </div>
      <Scroller label="Reports">
        {error && <Trouble error={error} what="The reports cannot be shown" />}
        {data && (
          <>
            <Heading>Yours</Heading>
            {data.reports.length === 0 && (
              <p className="text-ui text-quiet">None yet. Write one, or keep a copy of one of those below.</p>
            )}
            <ul>
              {data.reports.map((r) => (
                <Own key={r.id} kept={r} />
              ))}
            </ul>
            <Heading>Ready-made</Heading>
            <ul>
              {data.ready.map((r) => (
                <li
                  key={r.name}
                  className="grid grid-cols-[16rem_1fr_auto] items-baseline gap-4 border-b border-line py-1.5 text-ui max-slim:grid-cols-1"
                >
                  <Link to={`/reports/ready/${encodeURIComponent(r.name)}`} className="font-semibold">
                    {r.name}
                  </Link>
                  <span>
                    {r.about}{" "}
                    <span className="text-quiet">
                      {periodLabel(r.period)}, {r.parts.length} parts
                    </span>
                  </span>
                  <TextButton disabled={keep.isPending} onClick={() => keep.mutate(copyOf(r, data.reports))}>
                    keep a copy
                  </TextButton>
                </li>
              ))}
            </ul>
          </>
        )}
      </Scroller>
    </Page>
  );
}

/** Under a name that is free. */
function copyOf(report: ReportKept["report"], known: readonly ReportKept[]): ReportKept["report"] {
  const taken = new Set(known.map((k) => k.report.name.toLowerCase()));
  let name = report.name;
  for (let n = 2; taken.has(name.toLowerCase()); n++) name = `${report.name} ${n}`;
  return { ...report, name };
}

function Own({ kept: { id, report, schedules, runs } }: { kept: ReportKept }) {
  const zone = useViewStore((s) => s.zone);
  const last = runs.find((r) => r.state === "made");
  const failed = runs[0]?.state === "failed";
  const next = schedules.flatMap((s) => s.next ?? []).sort()[0];
  return (
    <li className="grid grid-cols-[16rem_1fr_auto] items-baseline gap-4 border-b border-line py-1.5 text-ui max-slim:grid-cols-1">
      <Link to={`/reports/${id}`} className="font-semibold">
        {safeText(report.name)}
      </Link>
      <span className="min-w-0">
        {safeText(report.about)}{" "}
        <span className="text-quiet">
          {periodLabel(report.period)}, {report.parts.length} {report.parts.length === 1 ? "part" : "parts"}
        </span>
        <span className="block text-small text-quiet">
          {schedules.length === 0 ? "made when somebody asks" : schedules.map((s) => s.says).join("; ")}
          {next !== undefined && `; next ${dayMinute(usOf(next), zone)}`}
          {last?.made && `; last made ${dayMinute(usOf(last.made), zone)}`}
          {failed && <span className="text-vermilion">; the last one failed</span>}
        </span>
      </span>
      <ButtonLink to={`/reports/${id}/edit`}>Edit</ButtonLink>
    </li>
  );
}
