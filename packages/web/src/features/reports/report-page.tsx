import type { ReportKept } from "@halvik/contract/reports";
import type { ReportDefinition } from "@halvik/core/report";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Download } from "lucide-react";
import { Link, useNavigate, useParams, useSearchParams } from "react-router";
import { toast } from "sonner";
import { request } from "../../data/api";
import { sendersQuery } from "../../data/intake-queries";
import { type AskedOver, reportQuery, reportsQuery } from "../../data/report-queries";
import { useViewStore } from "../../data/view-store";
import { periodKey, periodOptions, readPeriod } from "../../shared/period-words";
import { Button, ButtonLink } from "../../ui/button";
import { Trouble } from "../../ui/empty-state";
import { Menu, MenuItem, MenuLink } from "../../ui/menu";
import { Page, Scroller } from "../../ui/page";
import { safeText } from "../../ui/safe-text";
import { Select } from "../../ui/select";
import { Outputs } from "./outputs";
import { ReportBody } from "./report-body";
import { Schedules } from "./schedules";
import { useMoment } from "./use-moment";

/** A report that is kept. */
export function ReportPage() {
  const id = Number(useParams().id);
  const { data, error } = useQuery(reportQuery(id));
  if (error) return <Missing error={error} />;
  return data ? <Shown key={data.id} kept={data} report={data.report} /> : null;
}

/** One that ships. */
export function ReadyReportPage() {
  const { name } = useParams();
  const { data, error } = useQuery(reportsQuery);
  if (error) return <Missing error={error} />;
  const report = data?.ready.find((r) => r.name === name);
  if (data && report === undefined) return <Missing error={new Error(`no report “${name}” ships with Halvik`)} />;
  return report ? <Shown key={report.name} kept={null} report={report} /> : null;
}

const Missing = ({ error }: { error: Error }) => (
  <Page title="Report">
    <h1 className="text-page leading-[1.625rem] font-semibold">Report</h1>
    <Trouble error={error} what="The report cannot be shown" />
    <Link to="/reports">All reports</Link>
  </Page>
);

function Shown({ kept, report }: { kept: ReportKept | null; report: ReportDefinition }) {
  const client = useQueryClient();
  const navigate = useNavigate();
  const [params, setParams] = useSearchParams();
  const zone = useViewStore((s) => s.zone);
  const { at, again } = useMoment();
  const period = readPeriod(params.get("period") ?? "") ?? report.period;
  const of = params.get("of");
  const set = (name: string, value: string) =>
    setParams(
      (before) => {
        const next = new URLSearchParams(before);
        if (value === "") next.delete(name);
        else next.set(name, value);
        return next;
      },
      { replace: true },
    );
  const over: AskedOver = { period, filter: report.filter, asks: report.asks, of, zone, at };
  const run = useMutation({
    mutationFn: () => request<ReportKept>("POST", `/reports/${kept!.id}/runs`, { of, zone }),
    onSuccess: (after) => {
      client.setQueryData(["reports", after.id], after);
      toast.success("Made, and kept among its outputs");
    },
    onError: (e) => toast.error(e.message),
  });
  const copy = useMutation({
    mutationFn: () =>
      request<ReportKept>("POST", "/reports", {
        ...report,
        name: kept === null ? report.name : `${report.name}, copy`,
      }),
    onSuccess: (made) => {
      void client.invalidateQueries({ queryKey: ["reports"] });
      void navigate(`/reports/${made.id}/edit`);
    },
    onError: (e) => toast.error(e.message),
  });
  return (
    <Page
      title={report.name}
      margin={
        kept && (
          <>
            <Schedules kept={kept} />
            <Outputs kept={kept} />
          </>
        )
      }
    >
      <div className="flex items-end justify-between gap-4 border-b border-line-strong pb-1.5 max-wide:flex-wrap">
        <div className="min-w-0">
          <h1 className="text-page leading-[1.625rem] font-semibold">{safeText(report.name)}</h1>
          <p className="text-quiet">
            {safeText(report.about)} <Link to="/reports">All reports</Link>
          </p>
        </div>
        <span className="flex shrink-0 items-center gap-2 text-ui">
          <Select
            label="Period"
            value={periodKey(period)}
            options={periodOptions(report.period, period)}
            onChange={(v) => set("period", v === periodKey(report.period) ? "" : v)}
            className="w-48"
          />
          {report.asks !== "nothing" && <OfWhich asks={report.asks} of={of} onChange={(v) => set("of", v)} />}
          {kept === null ? (
            <Button main disabled={copy.isPending} onClick={() => copy.mutate()}>
              Keep a copy
            </Button>
          ) : (
            <>
              <Button main disabled={run.isPending} onClick={() => run.mutate()}>
                {run.isPending ? "Being made …" : "Make it now"}
              </Button>
              <ButtonLink to={`/reports/${kept.id}/edit`}>Edit</ButtonLink>
              <Menu
                trigger={
                  <Button aria-label="More">
                    <Download size={14} aria-hidden />
                  </Button>
                }
              >
                <MenuLink href={`/api/v1/reports/${kept.id}/file`} download>
                  The report as a file (YAML)
                </MenuLink>
                <MenuItem onSelect={() => copy.mutate()}>A copy of it</MenuItem>
              </Menu>
            </>
          )}
        </span>
      </div>
      <Scroller label="Report">
        <ReportBody parts={report.parts} over={over} onAgain={again} />
      </Scroller>
    </Page>
  );
}

/** Of which sender, group or site it tells. */
function OfWhich({
  asks,
  of,
  onChange,
}: {
  asks: "sender" | "group" | "site";
  of: string | null;
  onChange: (of: string) => void;
}) {
  const senders = useQuery(sendersQuery).data?.senders ?? [];
  const names = new Set(
    senders.flatMap((s) => (asks === "sender" ? [s.name] : asks === "group" ? s.groups : (s.site ?? []))),
  );
  return (
    <Select
      label={`Of which ${asks}`}
      value={of ?? ""}
      onChange={onChange}
      options={[{ value: "", label: `every ${asks}` }, ...[...names].sort().map((value) => ({ value, label: value }))]}
      className="w-40"
    />
  );
}
