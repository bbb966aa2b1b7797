import { type ReactNode, useEffect, useRef } from "react";

/** The sheet and, when something is selected, the margin beside it. @param title what the browser's tab says */
export function Page({
  title,
  children,
  margin,
  opened = false,
}: {
  title: string;
  children: ReactNode;
  margin?: ReactNode;
  /** Whether the margin is there because somebody opened it. */
  opened?: boolean;
}) {
  const aside = useRef<HTMLElement>(null);
  useEffect(() => {
    // what opens below the sheet comes into sight
    const { current } = aside;
    if (opened && current && matchMedia(ONE_COLUMN).matches)
      current.parentElement?.scrollTo({ top: current.offsetTop });
  }, [opened]);
  return (
    // narrow, the margin stands below and all of it scrolls as one (WCAG 2.2, 1.4.10)
    <div className="flex h-full min-w-0 flex-1 max-wide:flex-col max-wide:overflow-y-auto">
      <title>{`${title} · Halvik`}</title>
      <main
        id={MAIN}
        tabIndex={-1}
        className="flex min-w-0 flex-1 flex-col overflow-hidden px-4 pt-3 outline-none max-wide:shrink-0 max-wide:overflow-visible max-slim:px-2"
      >
        {children}
      </main>
      {margin && (
        <aside
          ref={aside}
          aria-label="Details"
          className="w-[21rem] shrink-0 overflow-y-auto border-l border-line-strong px-4 py-3 max-wide:w-full max-wide:overflow-visible max-wide:border-t max-wide:border-l-0 broad:w-[27.5rem]"
        >
          {margin}
        </aside>
      )}
    </div>
  );
}

/** As `--breakpoint-wide` of the style sheet. */
const ONE_COLUMN = "(width < 62.5rem)";

/** Where the page's own content begins: the skip link leads there. */
export const MAIN = "main";

/** What scrolls under a page's heading. In the tab order, so that the arrow keys scroll it when it holds nothing else to focus. */
export const Scroller = ({ label, children }: { label: string; children: ReactNode }) => (
  <section
    aria-label={label}
    // biome-ignore lint/a11y/noNoninteractiveTabindex: a region that scrolls must be reachable by keyboard (WCAG 2.1.1).
    tabIndex={0}
    className="min-h-0 flex-1 overflow-y-auto pb-6 max-wide:flex-none max-wide:overflow-visible"
  >
    {children}
  </section>
);

export const Heading = ({ children, small }: { children: ReactNode; small?: ReactNode }) => (
  <h2 className="mt-4 mb-1 text-ui leading-[1.125rem] font-semibold">
    {children}
    {small !== undefined && <small className="ml-1.5 text-code font-normal text-quiet">{small}</small>}
  </h2>
);

export const Facts = ({ facts }: { facts: readonly (readonly [name: string, value: ReactNode])[] }) => (
  <dl className="my-1 grid grid-cols-[6rem_1fr] gap-x-2.5 gap-y-px text-ui leading-[1.1875rem]">
    {facts.map(([name, value], i) =>
      value === null || value === undefined || value === "" ? null : (
        // names may be there twice, and none
        <div key={`${i} ${name}`} className="contents">
          <dt className="min-w-0 wrap-anywhere text-quiet">{name}</dt>
          <dd className="min-w-0 font-mono text-code break-words">{value}</dd>
        </div>
      ),
    )}
  </dl>
);
