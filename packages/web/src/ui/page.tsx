import type { ReactNode } from "react";

/** The sheet and, when something is selected, the margin beside it. @param title what the browser's tab says */
export const Page = ({ title, children, margin }: { title: string; children: ReactNode; margin?: ReactNode }) => (
  <div className="flex h-full min-w-0 flex-1">
    <title>{`${title} · Halvik`}</title>
    <main className="flex min-w-0 flex-1 flex-col overflow-hidden px-4 pt-3">{children}</main>
    {margin && (
      <aside
        aria-label="Details"
        className="w-[336px] shrink-0 overflow-y-auto border-l border-line-strong px-4 py-3 min-[1700px]:w-[440px]"
      >
        {margin}
      </aside>
    )}
  </div>
);

/** What scrolls under a page's heading. In the tab order, so that the arrow keys scroll it when it holds nothing else to focus. */
export const Scroller = ({ label, children }: { label: string; children: ReactNode }) => (
  // biome-ignore lint/a11y/noNoninteractiveTabindex: a region that scrolls must be reachable by keyboard (WCAG 2.1.1).
  <section aria-label={label} tabIndex={0} className="min-h-0 flex-1 overflow-y-auto pb-6">
    {children}
  </section>
);

export const Heading = ({ children, small }: { children: ReactNode; small?: ReactNode }) => (
  <h2 className="mt-4 mb-1 text-ui leading-[18px] font-semibold">
    {children}
    {small !== undefined && <small className="ml-1.5 text-code font-normal text-quiet">{small}</small>}
  </h2>
);

export const Facts = ({ facts }: { facts: readonly (readonly [name: string, value: ReactNode])[] }) => (
  <dl className="my-1 grid grid-cols-[96px_1fr] gap-x-2.5 gap-y-px text-ui leading-[19px]">
    {facts
      .filter(([, value]) => value !== null && value !== undefined && value !== "")
      .map(([name, value]) => (
        <div key={name} className="contents">
          <dt className="text-quiet">{name}</dt>
          <dd className="min-w-0 font-mono text-code break-words">{value}</dd>
        </div>
      ))}
  </dl>
);
