import { useMutation } from "@tanstack/react-query";
import { useSearchParams } from "react-router";
import { request } from "../../data/api";
import { Button } from "../../ui/button";
import { safeText } from "../../ui/safe-text";

/** Where the link of a mail leads: nothing is done until the button is pressed, as programs that look at mail follow links too. */
export function AcknowledgePage() {
  const [params] = useSearchParams();
  const part = (name: string) => params.get(name) ?? "";
  const asked = { message: part("message"), to: part("person"), signature: part("signature") };
  const act = useMutation({
    mutationFn: () => request<{ incident: number }>("POST", "/notify/acknowledge", asked),
  });
  return (
    <div className="flex h-full items-start justify-center pt-[18vh]">
      <main className="w-[24rem] border border-line-strong bg-sheet p-6">
        <h1 className="mb-2 text-page font-semibold">Acknowledge</h1>
        {act.data ? (
          <p>
            Incident {act.data.incident} is acknowledged by {safeText(asked.to)}.{" "}
            <a href={`/incidents/${act.data.incident}`} className="underline">
              Look at it
            </a>
          </p>
        ) : (
          <>
            <p className="mb-3">
              You were notified of an incident as {safeText(asked.to)}. Acknowledging says that you have seen it: nobody
              else is called for it then.
            </p>
            {act.error && (
              <p role="alert" className="mb-3 border-l-2 border-vermilion bg-vermilion-wash px-3 py-1.5 text-ui">
                {act.error.message}
              </p>
            )}
            <Button main onClick={() => act.mutate()} disabled={act.isPending}>
              Acknowledge it
            </Button>
          </>
        )}
      </main>
    </div>
  );
}
