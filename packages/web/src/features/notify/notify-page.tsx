import type { NotifyRouteJson, NotifyRoutes, NotifyWays } from "@halvik/contract/notify";
import { formatDuration } from "@halvik/core/base/time";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Fragment, useState } from "react";
import { useSearchParams } from "react-router";
import { toast } from "sonner";
import { deliveriesQuery, notifyRoutesQuery, notifyWaysQuery, request, rulesQuery } from "../../data/api";
import { Tag } from "../../shared/incident-strip";
import { Button } from "../../ui/button";
import { EmptyState, Trouble } from "../../ui/empty-state";
import { SeverityMark } from "../../ui/marks";
import { Page, Scroller } from "../../ui/page";
import { safeText } from "../../ui/safe-text";
import { ChannelForm } from "./channel-form";
import { Deliveries } from "./deliveries";
import { RotaForm } from "./rota-form";
import { RouteForm } from "./route-form";
import { Sink } from "./sink";
import { TextsForm } from "./texts-form";
import { laterText, whomText } from "./way-words";
import { Ways } from "./ways";

/** Who is told of which incidents, what was told, and what became of it. */
export function NotifyPage() {
  const client = useQueryClient();
  const routes = useQuery(notifyRoutesQuery);
  const deliveries = useQuery(deliveriesQuery);
  const [params] = useSearchParams();
  // from a rule's page: a new one for it
  const rules = useQuery(rulesQuery);
  const wanted = rules.data?.rules.find((r) => r.id === params.get("rule"));
  const ways = useQuery(notifyWaysQuery);
  const [open, setOpen] = useState<Open | null>(params.get("rule") === null ? null : { what: "routes", id: "new" });
  const change = useMutation({
    mutationFn: ({ method, path, body }: { method: string; path: string; body?: object; said: string }) =>
      request(method, `/notify/${path}`, body),
    onSuccess: (_answer, { said }) => {
      toast.success(said);
      void client.invalidateQueries({ queryKey: ["notify"] });
      if (said !== TESTED) setOpen(null);
    },
    onError: (e) => toast.error(e.message),
  });
  const shown = routes.data?.routes ?? [];
  const of = <T extends { readonly id: number }>(what: Open["what"], all: readonly T[]): T | null =>
    open?.what === what ? (all.find((one) => one.id === open.id) ?? null) : null;
  const opened = of("routes", shown);
  const known = ways.data ?? NOTHING_SET_UP;
  /** What every form does with what is written in it. */
  const acts = (what: Open["what"], id: number | undefined) => ({
    busy: change.isPending,
    onSave: (body: object, name: string) =>
      change.mutate({
        method: id === undefined ? "POST" : "PATCH",
        path: id === undefined ? what : `${what}/${id}`,
        body,
        said: `“${name}” is saved`,
      }),
    onDelete: () => change.mutate({ method: "DELETE", path: `${what}/${id}`, said: "Deleted" }),
    onCancel: () => setOpen(null),
  });
  return (
    <Page
      title="Notifications"
      opened={open !== null}
      margin={
        open !== null &&
        rules.data !== undefined &&
        ways.data !== undefined && (
          <Fragment key={`${open.what} ${open.id}`}>
            {open.what === "routes" && (open.id === "new" || opened) && (
              <RouteForm
                route={opened}
                rules={rules.data.rules}
                ways={known}
                forRule={wanted ?? null}
                {...acts("routes", opened?.id)}
              />
            )}
            {open.what === "rotas" && (
              <RotaForm rota={of("rotas", known.rotas)} {...acts("rotas", of("rotas", known.rotas)?.id)} />
            )}
            {open.what === "channels" && (
              <ChannelForm
                channel={of("channels", known.channels)}
                ways={known}
                {...acts("channels", of("channels", known.channels)?.id)}
              />
            )}
            {open.what === "texts" && (
              <TextsForm texts={of("texts", known.texts)} {...acts("texts", of("texts", known.texts)?.id)} />
            )}
          </Fragment>
        )
      }
    >
      <div className="flex items-end justify-between gap-4 border-b border-line-strong pb-1.5">
        <div>
          <h1 className="text-page leading-[1.625rem] font-semibold">Notifications</h1>
          <p className="text-quiet">{routes.data && <MailServer mail={routes.data.mail} />}</p>
        </div>
        <Button main onClick={() => setOpen({ what: "routes", id: "new" })}>
          Add a notification
        </Button>
      </div>
      <Scroller label="Notifications and messages">
        {routes.error && <Trouble error={routes.error} what="The notifications cannot be shown" />}
        {shown.map((r) => (
          <RouteLine
            key={r.id}
            route={r}
            ways={known}
            selected={r.id === opened?.id}
            onOpen={() => setOpen({ what: "routes", id: r.id })}
            ruleName={(id) => rules.data?.rules.find((rule) => rule.id === id)?.name ?? id}
            onTest={() => change.mutate({ method: "POST", path: `routes/${r.id}/test`, said: TESTED })}
          />
        ))}
        {routes.data && shown.length === 0 && (
          <EmptyState
            title="Nobody is notified yet"
            text="Incidents wait on Now and Incidents until somebody looks. A notification reports those of a severity to people: when they are raised, change and are over."
          />
        )}
        {ways.data && (
          <Ways
            ways={ways.data}
            onRota={(id) => setOpen({ what: "rotas", id })}
            onChannel={(id) => setOpen({ what: "channels", id })}
            onTexts={(id) => setOpen({ what: "texts", id })}
          />
        )}
        {deliveries.data && <Deliveries deliveries={deliveries.data.deliveries} />}
        {routes.data?.mail?.isSink && <Sink />}
      </Scroller>
    </Page>
  );
}

/** What is written in the margin. */
interface Open {
  readonly what: "routes" | "rotas" | "channels" | "texts";
  readonly id: number | "new";
}

const NOTHING_SET_UP: NotifyWays = { channels: [], rotas: [], texts: [], programs: [], engineId: "" };

const TESTED = "Test queued. Its result is shown below in a few seconds.";

function MailServer({ mail }: { mail: NotifyRoutes["mail"] }) {
  if (mail === null)
    return (
      <>
        No mail server is configured, so no mail is sent. Set <code className="font-mono">HALVIK_SMTP_URL</code> and
        restart Halvik.
      </>
    );
  return (
    <>
      Mail is sent through {mail.server} from {mail.from}
      {mail.isSink ? ": the test mail server, which delivers nothing." : "."}
    </>
  );
}

function RouteLine({
  route: r,
  ways,
  selected,
  ruleName,
  onOpen,
  onTest,
}: {
  route: NotifyRouteJson;
  ways: NotifyWays;
  ruleName: (id: string) => string;
  selected: boolean;
  onOpen: () => void;
  onTest: () => void;
}) {
  const only = [
    ...(r.about.length > 0 ? [`about ${r.about.join(" or ")}`] : []),
    ...(r.tags.length > 0 ? [`with the tag ${r.tags.join(" or ")}`] : []),
    ...(r.sites.length > 0 ? [`at ${r.sites.join(" or ")}`] : []),
    ...(r.groups.length > 0 ? [`of the group ${r.groups.join(" or ")}`] : []),
    ...(r.where === "" ? [] : [`where ${r.where}`]),
    ...(r.rules.length > 0 ? [`raised by ${r.rules.map((id) => `“${ruleName(id)}”`).join(" or ")}`] : []),
  ].join(", ");
  return (
    <div
      className={`grid grid-cols-[10px_1fr_auto] max-slim:grid-cols-[10px_1fr] items-center gap-3 border-b border-line px-1.5 py-1.5 ${selected ? "bg-fjord-wash shadow-[inset_2px_0_var(--fjord)]" : ""}`}
    >
      <SeverityMark severity={r.severity} height={34} />
      <div className="min-w-0">
        <h2 className="font-semibold">
          {safeText(r.name)} {!r.enabled && <Tag>off</Tag>}
        </h2>
        <p className="text-ui text-quiet">
          {safeText(whomText(r, ways))} for {r.severity}
          {r.severity === "emergency" ? "" : " or worse"}
          {only && `, ${safeText(only)}`}: {r.tells.join(", ")};{" "}
          {r.delaySeconds === 0 ? "at once" : `after ${formatDuration(r.delaySeconds * 1e6)}`}, at most {r.mostPerHour}{" "}
          an hour
          {safeText(laterText(r, ways))}
        </p>
      </div>
      <span className="flex gap-1.5">
        <Button onClick={onTest}>Send a test</Button>
        <Button onClick={onOpen}>Edit</Button>
      </span>
    </div>
  );
}
