import type { PartMade, ReportKept, ReportMade } from "@halvik/contract/reports";
import { useQuery } from "@tanstack/react-query";
import { Link, useParams, useSearchParams } from "react-router";
import { outputQuery, reportQuery } from "../../data/report-queries";
import { useViewStore, usOf } from "../../data/view-store";
import { PartView } from "../../shared/parts/part-view";
import { TextButton } from "../../ui/button";
import { Trouble } from "../../ui/empty-state";
import { Menu, MenuLink } from "../../ui/menu";
import { Page, Scroller } from "../../ui/page";
import { safeText } from "../../ui/safe-text";
import { Select } from "../../ui/select";
import { dayMinute } from "../../ui/time";
import { FORMATS } from "./outputs";

const BY_ITSELF = "";

/** What was made of a report, as it was made; beside an earlier output where that is asked for. */
export function OutputPage() {
  const { id, run } = useParams();
  const [params, setParams] = useSearchParams();
  const [report, at] = [Number(id), Number(run)];
  const kept = useQuery(reportQuery(report));
  const text = params.get("beside") ?? BY_ITSELF;
  const beside = /^\d{1,9}$/.test(text) ? Number(text) : null;
  const { data, error } = useQuery(outputQuery(report, at, beside));
  const choose = (value: string) =>
    setParams((before) => {
      const next = new URLSearchParams(before);
      if (value === BY_ITSELF) next.delete("beside");
      else next.set("beside", value);
      return next;
    });
  return (
    <Page title={data === undefined ? "Output" : `${safeText(data.name)}, an output`}>
      <div className="flex items-end justify-between gap-4 border-b border-line-strong pb-1.5 max-wide:flex-wrap">
        <div className="min-w-0">
          <h1 className="text-page leading-[1.625rem] font-semibold">{safeText(data?.name ?? "Output")}</h1>
          <p className="text-quiet">
            {data && <Head made={data} />} <Link to={`/reports/${report}`}>The report</Link>
          </p>
        </div>
        <span className="flex shrink-0 items-center gap-3 text-ui">
          {kept.data && <BesideWhich kept={kept.data} run={at} value={text} onChange={choose} />}
          <Menu trigger={<TextButton>take away</TextButton>}>
            {FORMATS.map(([format, label]) => (
              <MenuLink
                key={format}
                href={`/api/v1/reports/${report}/runs/${at}/file?format=${format}${beside === null ? "" : `&beside=${beside}`}`}
                download
              >
                {label}
              </MenuLink>
            ))}
          </Menu>
        </span>
      </div>
      <Scroller label="Output">
        {error && <Trouble error={error} what="The output cannot be shown" />}
        {data && (
          <div className="grid grid-cols-3 gap-x-6 max-slim:grid-cols-1">
            {data.parts.map((part, i) => (
              <div key={`${i} ${titleOf(part)}`} className={`min-w-0 ${isFigure(part) ? "" : "col-span-full"}`}>
                <PartView part={part} window={data.window} />
              </div>
            ))}
          </div>
        )}
      </Scroller>
    </Page>
  );
}

const titleOf = (part: PartMade): string => ("title" in part ? part.title : "");
const isFigure = (part: PartMade): boolean => part.is === "measured" && part.as === "figure";

function Head({ made: { window, before, comparable, made, by, of } }: { made: ReportMade }) {
  const zone = useViewStore((s) => s.zone);
  const between = ({ from, to }: ReportMade["window"]) =>
    `${dayMinute(usOf(from), zone)} – ${dayMinute(usOf(to), zone)}`;
  return (
    <>
      {between(window)}
      {comparable && `, beside ${between(before)}`}
      {of !== null && `, of ${safeText(of)}`}; made {dayMinute(usOf(made), zone)} by {safeText(by)}.
    </>
  );
}

/** The other outputs there are, the one before it first. */
function BesideWhich({
  kept,
  run,
  value,
  onChange,
}: {
  kept: ReportKept;
  run: number;
  value: string;
  onChange: (value: string) => void;
}) {
  const zone = useViewStore((s) => s.zone);
  const others = kept.runs.filter((r) => r.state === "made" && r.window !== null && r.id !== run);
  if (others.length === 0) return null;
  const earlier = others.filter((r) => r.id < run);
  const later = others.filter((r) => r.id > run);
  const options = [...earlier, ...later].map((r) => ({
    value: String(r.id),
    label: `${dayMinute(usOf(r.window!.from), zone)} – ${dayMinute(usOf(r.window!.to), zone)}`,
    ...(r.id === earlier[0]?.id ? { about: "the one before" } : {}),
  }));
  return (
    <Select
      label="Beside"
      value={value}
      options={[{ value: BY_ITSELF, label: "as it was made" }, ...options]}
      onChange={onChange}
      className="w-72"
    />
  );
}
