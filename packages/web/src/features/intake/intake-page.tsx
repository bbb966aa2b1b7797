import type { SenderJson, SenderList } from "@halvik/core/contract";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { toast } from "sonner";
import { intakeQuery, request, sendersQuery } from "../../app/api";
import { usePageKeys } from "../../app/keys";
import { Trouble } from "../../ui/empty-state";
import { Heading, Page } from "../../ui/page";
import { Endpoints } from "./endpoints";
import { SenderMargin } from "./sender-margin";
import { SenderTable } from "./sender-table";
import { WaitingSenders } from "./waiting-senders";

/** What Halvik listens to, who sends, who waits, and every count of what was not kept. */
export function IntakePage() {
  const client = useQueryClient();
  const intake = useQuery(intakeQuery);
  const senders = useQuery(sendersQuery);
  const [selectedId, setSelected] = useState<number | null>(null);
  const change = useMutation({
    mutationFn: ({ method, path, body }: { method: string; path: string; body?: object }) =>
      request<SenderList>(method, path, body ?? {}),
    onSuccess: (list) => client.setQueryData(["senders"], list),
    onError: (e) => toast.error(e.message),
  });
  const all = senders.data?.senders ?? [];
  const admitted = all.filter((s) => s.state === "admitted");
  const selected = all.find((s) => s.id === selectedId);
  const move = (by: number) => {
    const at = admitted.findIndex((s) => s.id === selectedId);
    setSelected(admitted[Math.min(Math.max(at + by, 0), admitted.length - 1)]?.id ?? null);
  };
  usePageKeys({ j: () => move(1), k: () => move(-1), Escape: () => setSelected(null) });
  return (
    <Page
      margin={
        selected && (
          <SenderMargin
            key={selected.id}
            sender={selected}
            onChange={(body) => change.mutateAsync({ method: "PATCH", path: `/senders/${selected.id}`, body })}
            onClose={() => setSelected(null)}
          />
        )
      }
    >
      <h1 className="text-[20px] leading-[26px] font-semibold">Intake</h1>
      <div className="min-h-0 flex-1 overflow-y-auto pb-6">
        {intake.error && <Trouble error={intake.error} what="Intake cannot be shown" />}
        {intake.data && <Endpoints intake={intake.data} />}
        <WaitingSenders
          senders={all.filter((s) => s.state === "waiting")}
          unlisted={senders.data?.unlisted ?? 0}
          onAdmit={(s: SenderJson) => change.mutate({ method: "POST", path: `/senders/${s.id}/admit` })}
          onRefuse={(s: SenderJson) => change.mutate({ method: "POST", path: `/senders/${s.id}/refuse` })}
          onAdmitNetwork={(network, fromNowOn) =>
            change.mutateAsync({ method: "POST", path: "/senders/admit-network", body: { network, fromNowOn } })
          }
        />
        <Heading small={<a href="/api/v1/senders.csv">as CSV</a>}>Senders</Heading>
        <SenderTable
          senders={[...admitted, ...all.filter((s) => s.state === "refused")]}
          selectedId={selectedId}
          onSelect={(s) => setSelected(s.id)}
        />
      </div>
    </Page>
  );
}
