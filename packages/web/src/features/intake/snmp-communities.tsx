import type { EndpointJson, EndpointList } from "@halvik/contract/kinds";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { toast } from "sonner";
import { request } from "../../data/api";
import { useViewStore, usOf } from "../../data/view-store";
import { Button, TextButton } from "../../ui/button";
import { Input } from "../../ui/field";
import { Heading } from "../../ui/page";
import { safeText } from "../../ui/safe-text";
import { dayClock } from "../../ui/time";

/** Who may speak by SNMP v1 and v2c, and who tried: each refused community is admitted by one key. */
export function SnmpCommunities({ endpoint: e }: { endpoint: EndpointJson }) {
  const zone = useViewStore((s) => s.zone);
  const client = useQueryClient();
  const [community, setCommunity] = useState("");
  const { mutate } = useMutation({
    mutationFn: (act: { admit: object } | { takeOut: string }) =>
      "admit" in act
        ? request<EndpointList>("POST", `/endpoints/${e.id}/communities`, act.admit)
        : request<EndpointList>("DELETE", `/endpoints/${e.id}/communities/${act.takeOut}`),
    onSuccess: (list) => client.setQueryData(["endpoints"], list),
    onError: (error) => toast.error(error.message),
  });
  return (
    <section aria-label="Communities">
      <Heading small={e.communities === null ? "any may speak: admit one, and the others are refused" : undefined}>
        Communities
      </Heading>
      {e.communities?.length === 0 && <p className="text-ui text-quiet">None: nobody may speak by v1 and v2c.</p>}
      <ul className="text-ui">
        {e.communities?.map((c) => (
          <li key={c.digest ?? c.mask} className="flex items-baseline gap-3 border-b border-line py-0.5">
            <span className="flex-1 font-mono">{safeText(c.mask)}</span>
            {c.digest !== null && (
              <TextButton onClick={() => mutate({ takeOut: c.digest! })} aria-label={`Take out ${c.mask}`}>
                take out
              </TextButton>
            )}
          </li>
        ))}
      </ul>
      {e.refused.length > 0 && <p className="mt-1.5 text-ui text-ochre">Refused, since nobody admitted them:</p>}
      <ul className="text-ui">
        {e.refused.map((r) => (
          <li key={`${r.mask} ${r.peer} ${r.at}`} className="flex items-baseline gap-3 border-b border-line py-0.5">
            <span className="flex-1">
              <span className="font-mono">{safeText(r.mask)}</span>{" "}
              <span className="text-quiet">
                {r.count === 1 ? "once, " : `${r.count.toLocaleString("en")} times, the last `}from {safeText(r.peer)}{" "}
                at {dayClock(usOf(r.at), zone)}
              </span>
            </span>
            {r.digest !== null && (
              <TextButton onClick={() => mutate({ admit: { digest: r.digest } })} aria-label={`Admit ${r.mask}`}>
                admit
              </TextButton>
            )}
          </li>
        ))}
      </ul>
      <form
        className="mt-1.5 flex gap-2"
        onSubmit={(event) => {
          event.preventDefault();
          if (community === "") return;
          mutate({ admit: { community } }, { onSuccess: () => setCommunity("") });
        }}
      >
        <Input
          aria-label="A community to admit"
          placeholder="a community to admit"
          className="font-mono"
          autoComplete="off"
          maxLength={200}
          value={community}
          onChange={(event) => setCommunity(event.target.value)}
        />
        <Button type="submit">Admit</Button>
      </form>
    </section>
  );
}
