import { isRouteErrorResponse, Link, useRouteError } from "react-router";
import { Button } from "../ui/button";
import { safeText } from "../ui/safe-text";

/** Parts of the program that were replaced on the server while this page was open. */
const isOldProgram = (error: unknown): boolean =>
  error instanceof Error &&
  /dynamically imported module|Importing a module script failed|error loading/i.test(error.message);

/** What is shown where a page could not be: why, as far as it is known, and how to go on. */
export function Crashed() {
  const error = useRouteError();
  const old = isOldProgram(error);
  const what = isRouteErrorResponse(error)
    ? `${error.status} ${error.statusText}`
    : error instanceof Error
      ? error.message
      : String(error);
  return (
    <main role="alert" className="max-w-[62ch] p-6">
      <h1 className="text-page font-semibold">{old ? "Halvik was updated" : "This page could not be shown"}</h1>
      <p className="mt-1 text-quiet">
        {old
          ? "A part of this page is of the earlier version and is not there any more. Reload to go on where you were."
          : "The fault is in the page, not in what is stored: nothing is lost. Reload it; if it comes again, go to another page and pass the text below on to whoever runs Halvik."}
      </p>
      {!old && (
        <pre className="mt-3 overflow-x-auto border-l-2 border-vermilion bg-vermilion-wash px-3 py-2 font-mono text-code whitespace-pre-wrap">
          {safeText(what)}
        </pre>
      )}
      <p className="mt-3 flex items-center gap-3">
        <Button main onClick={() => location.reload()}>
          Reload
        </Button>
        <Link to="/now" reloadDocument>
          Go to Now
        </Link>
      </p>
    </main>
  );
}
