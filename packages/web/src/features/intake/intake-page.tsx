import type { EndpointList } from "@halvik/contract/kinds";
import type { SenderJson, SenderList } from "@halvik/contract/senders";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { toast } from "sonner";
import { request } from "../../data/api";
import { endpointsQuery, intakeQuery, sendersQuery } from "../../data/intake-queries";
import { useWindow } from "../../data/use-window";
import { useViewStore } from "../../data/view-store";
import { usePageKeys } from "../../navigation/keys";
import { Coverage } from "../../shared/coverage";
import { type BoardChoice, useBoardChoices } from "../../shared/put-on-board";
import { Button } from "../../ui/button";
import { Trouble } from "../../ui/empty-state";
import { Heading, Page, Scroller } from "../../ui/page";
import type { Admission } from "./admit-form";
import { ConnectDevice } from "./connect-device";
import { EndpointMargin } from "./endpoint-margin";
import { Endpoints } from "./endpoints";
import { Files } from "./files";
import { Quarantine } from "./quarantine";
import { SenderMargin } from "./sender-margin";
import { SenderTable } from "./sender-table";
import { WaitingSenders } from "./waiting-senders";

type Selected = { readonly kind: "sender" | "endpoint"; readonly id: number } | { readonly kind: "connect" } | null;

const ON_BOARD: readonly BoardChoice[] = [
  { label: "silent senders", tile: { shows: { is: "silent senders", title: "Silent", most: 8 }, window: null } },
  { label: "lost, refused, late", tile: { shows: { is: "intake", title: "Lost, refused, late" }, window: null } },
  { label: "sites", tile: { shows: { is: "sites", title: "Sites" }, window: null } },
];

/** What Halvik listens to, who sends, who waits, and every count of what was not kept. */
export function IntakePage() {
  const client = useQueryClient();
  const intake = useQuery(intakeQuery);
  const endpoints = useQuery(endpointsQuery);
  const senders = useQuery(sendersQuery);
  useBoardChoices(ON_BOARD);
  const window = useWindow();
  const zone = useViewStore((s) => s.zone);
  const [selected, setSelected] = useState<Selected>(null);
  const change = useMutation({
    mutationFn: ({ method, path, body }: { method: string; path: string; body?: object }) =>
      request<SenderList>(method, path, body ?? {}),
    onSuccess: (list) => client.setQueryData(["senders"], list),
    onError: (e) => toast.error(e.message),
  });
  const changeEndpoints = useMutation({
    mutationFn: ({ method, path, body }: { method: string; path: string; body?: object }) =>
      request<EndpointList>(method, path, body),
    onSuccess: (list) => client.setQueryData(["endpoints"], list),
    onError: (e) => toast.error(e.message),
  });
  const all = senders.data?.senders ?? [];
  const admitted = all.filter((s) => s.state === "admitted");
  const sender = selected?.kind === "sender" ? all.find((s) => s.id === selected.id) : undefined;
  const endpoint =
    selected?.kind === "endpoint" ? endpoints.data?.endpoints.find((e) => e.id === selected.id) : undefined;
  const move = (by: number) => {
    const at = admitted.findIndex((s) => s.id === sender?.id);
    const next = admitted[Math.min(Math.max(at + by, 0), admitted.length - 1)];
    if (next) setSelected({ kind: "sender", id: next.id });
  };
  const close = () => setSelected(null);
  const sites = [...new Set(all.flatMap((s) => (s.site === null ? [] : [s.site])))].sort();
  const admit = (s: SenderJson, facts: Admission) =>
    say(
      change.mutateAsync({ method: "POST", path: `/senders/${s.id}/admit`, body: facts }).then(() => {
        // beside its line in the list, which comes into sight
        if (selected?.kind !== "connect") setSelected({ kind: "sender", id: s.id });
      }),
      `${facts.name} is admitted${s.held > 0 ? "; what was held is being stored" : ""}`,
    );
  usePageKeys({ j: () => move(1), k: () => move(-1), Escape: close });
  return (
    <Page
      title="Intake"
      opened={selected !== null}
      margin={
        sender ? (
          <SenderMargin
            key={sender.id}
            sender={sender}
            onChange={(body) => change.mutateAsync({ method: "PATCH", path: `/senders/${sender.id}`, body })}
            onClose={close}
          />
        ) : endpoint && endpoints.data ? (
          <EndpointMargin
            key={endpoint.id}
            endpoint={endpoint}
            gaps={intake.data?.gaps ?? []}
            list={endpoints.data}
            onChange={(body) =>
              changeEndpoints.mutateAsync({ method: "PATCH", path: `/endpoints/${endpoint.id}`, body })
            }
            onRemove={async () => {
              await changeEndpoints.mutateAsync({ method: "DELETE", path: `/endpoints/${endpoint.id}` });
              close();
            }}
            onClose={close}
          />
        ) : selected?.kind === "connect" && endpoints.data ? (
          <ConnectDevice list={endpoints.data} senders={all} sites={sites} onAdmit={admit} onClose={close} />
        ) : null
      }
    >
      <div className="flex items-baseline gap-4">
        <h1 className="text-page leading-[1.625rem] font-semibold">Intake</h1>
        <Link to="/intake/plan" className="text-ui">
          Plan
        </Link>
        <Link to="/intake/formats" className="text-ui">
          Formats
        </Link>
        <Link to="/intake/arrival" className="text-ui">
          On arrival
        </Link>
        <Link to="/intake/forwards" className="text-ui">
          Pass on
        </Link>
        <Link to="/intake/trace" className="text-ui">
          Trace
        </Link>
        <Link to="/intake/names" className="text-ui">
          Names
        </Link>
        <span className="ml-auto self-center">
          <Button main onClick={() => setSelected({ kind: "connect" })}>
            Connect a device
          </Button>
        </span>
      </div>
      <p className="text-ui text-quiet">
        <Coverage window={window} zone={zone} />
      </p>
      <Scroller label="Ways in and senders">
        {endpoints.error && <Trouble error={endpoints.error} what="Intake cannot be shown" />}
        {endpoints.data && (
          <Endpoints
            list={endpoints.data}
            intake={intake.data}
            selectedId={endpoint?.id ?? null}
            onSelect={(e) => setSelected({ kind: "endpoint", id: e.id })}
            onAdd={(body) => changeEndpoints.mutateAsync({ method: "POST", path: "/endpoints", body })}
          />
        )}
        <Quarantine />
        <WaitingSenders
          senders={all.filter((s) => s.state === "waiting")}
          unlisted={senders.data?.unlisted ?? 0}
          sites={sites}
          onAdmit={admit}
          onRefuse={(s: SenderJson) =>
            say(change.mutateAsync({ method: "POST", path: `/senders/${s.id}/refuse` }), `${s.name} is refused`)
          }
          rules={senders.data?.networks ?? []}
          onTakeBack={({ id, network }) =>
            say(
              change.mutateAsync({ method: "DELETE", path: `/senders/networks/${id}` }),
              `Senders of ${network} wait from now on`,
            )
          }
          onRefuseNetwork={(network) =>
            say(
              change.mutateAsync({ method: "POST", path: "/senders/refuse-network", body: { network } }),
              `Those of ${network} are refused`,
            )
          }
          onAdmitNetwork={async (network, fromNowOn) => {
            await change.mutateAsync({ method: "POST", path: "/senders/admit-network", body: { network, fromNowOn } });
            toast.success(`Those of ${network} are admitted${fromNowOn ? ", and those that appear later" : ""}`);
          }}
        />
        <Heading small={<a href="/api/v1/senders.csv">as CSV</a>}>Senders</Heading>
        <SenderTable
          senders={[...admitted, ...all.filter((s) => s.state === "refused")]}
          selectedId={sender?.id ?? null}
          onSelect={(s) => setSelected({ kind: "sender", id: s.id })}
        />
        <Files />
      </Scroller>
    </Page>
  );
}

/** Says that something is done; what went wrong has been said by whoever did it. */
const say = (done: Promise<unknown>, text: string): void =>
  void done.then(
    () => toast.success(text),
    () => undefined,
  );
