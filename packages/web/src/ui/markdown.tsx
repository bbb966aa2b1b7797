import Markdown from "react-markdown";

/** Addresses that a note may lead to. */
const isWeb = (url: string): boolean => /^https?:\/\//i.test(url);

/**
 * What people write, as Markdown (CommonMark). Nothing in it is fetched or run: raw HTML is text, images are their words, links lead
 * to web addresses alone and tell nobody where they were followed from.
 */
export const Notes = ({ text }: { text: string }) => (
  <div className="text-ui leading-5 [&_code]:font-mono [&_code]:text-code [&_h1]:font-semibold [&_h2]:font-semibold [&_li]:ml-4 [&_ol]:list-decimal [&_p]:mb-1 [&_pre]:overflow-x-auto [&_ul]:list-disc">
    <Markdown
      urlTransform={(url) => (isWeb(url) ? url : "")}
      components={{
        a: ({ href, children }) =>
          href ? (
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
