import type { Summary } from "@halvik/contract/status";

/** What is still loading, so that nobody takes a part for the whole. */
export function LoadingNotice({ jobs }: { jobs: Summary["jobs"] }) {
  if (jobs.length === 0) return null;
  return (
    <div role="status" className="shrink-0 border-b border-line-strong bg-ochre-wash px-4 py-1 text-ui">
      {jobs.map((j) => {
        const share = j.total ? Math.min(99, Math.floor((j.done / j.total) * 100)) : null;
        return (
          <p key={j.id}>
            Still loading: {j.name}, {j.done.toLocaleString("en")} {j.unit}
            {share === null ? "" : ` (about ${share} %)`}. Counts and incidents are not complete until it is done.
          </p>
        );
      })}
    </div>
  );
}
