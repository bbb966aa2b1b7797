import type { QuarantineList } from "@halvik/contract/status";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { toast } from "sonner";
import { quarantineQuery, request } from "../../data/api";
import { usOf } from "../../data/view-store";
import { Ago } from "../../shared/ago";
import { Button } from "../../ui/button";
import { Heading } from "../../ui/page";
import { safeText } from "../../ui/safe-text";
import { DeleteButton } from "../../ui/twice-button";

/** What the store refused and what could not be read back from disk: kept with the reason until somebody decides. */
export function Quarantine() {
  const client = useQueryClient();
  const list = useQuery(quarantineQuery);
  const decide = useMutation({
    mutationFn: ({ file, act }: { file: string; act: "again" | "give-up" }) =>
      request<QuarantineList>("POST", `/quarantine/${encodeURIComponent(file)}/${act}`, {}),
    onSuccess: (answer) => client.setQueryData(["quarantine"], answer),
    onError: (e) => toast.error(e.message),
  });
  const files = list.data?.files ?? [];
  if (files.length === 0) return null;
  return (
    <>
      <Heading small="what could not be stored, kept with the reason">Quarantine</Heading>
      {files.map((f) => (
        <div
          key={f.file}
          data-testid="quarantined"
          className="grid grid-cols-[11.875rem_1fr_auto] max-slim:grid-cols-1 items-center gap-3 border-t border-line py-1 text-ui"
        >
          <span className="font-mono">{f.what === "spool" ? "the spool" : safeText(f.sender || f.peer)}</span>
          <span className="min-w-0">
            {f.what === "spool"
              ? `${f.bytes.toLocaleString("en")} bytes, damaged`
              : `${f.records.toLocaleString("en")} ${f.records === 1 ? "message" : "messages"} by ${safeText(f.endpoint)}`}
            <span className="text-quiet">
              , <Ago us={usOf(f.at)} /> ago: {safeText(f.reason)}
            </span>
          </span>
          <span className="flex gap-1.5">
            {f.state === "kept" ? (
              <>
                {f.what === "records" && (
                  <Button main onClick={() => decide.mutate({ file: f.file, act: "again" })}>
                    Try again
                  </Button>
                )}
                <DeleteButton onDelete={() => decide.mutate({ file: f.file, act: "give-up" })} />
              </>
            ) : (
              <span className="text-quiet">{f.state === "again" ? "trying again" : "deleting"}</span>
            )}
          </span>
        </div>
      ))}
    </>
  );
}
