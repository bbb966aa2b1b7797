import Markdown from "react-markdown";
import { LINK } from "./look";

/** Addresses that a note may lead to. */
const INNER = /^#[a-z0-9-]+$/;
const isWeb = (url: string): boolean => /^https?:\/\//i.test(url);

/**
 * What people write, as Markdown (CommonMark). Nothing in it is fetched or run: raw HTML is text, images are their words, links lead
 * to web addresses alone and tell nobody where they were followed from.
 */
export const Notes = ({
  text,
  onInner,
}: {
  text: string;
  /** Leads to a place of the page, which its links name as `#place`; without it they lead nowhere. */
  onInner?: (place: string) => void;
}) => (
  <div className="text-ui leading-5 [&_code]:font-mono [&_code]:text-code [&_h1]:font-semibold [&_h2]:font-semibold [&_li]:ml-4 [&_ol]:list-decimal [&_p]:mb-1 [&_pre]:overflow-x-auto [&_ul]:list-disc">
    <Markdown
      urlTransform={(url) => (isWeb(url) || (onInner && INNER.test(url)) ? url : "")}
      components={{
        a: ({ href, children }) =>
          href && onInner && INNER.test(href) ? (
            <button type="button" className={LINK} onClick={() => onInner(href.slice(1))}>
              {children}
            </button>
          ) : href ? (
            <a href={href} target="_blank" rel="noopener noreferrer nofollow">
              {children}
            </a>
          ) : (
            <span>{children}</span>
          ),
        img: ({ alt }) => <span>{alt}</span>,
      }}
    >
      {text}
    </Markdown>
  </div>
);
