import type { EndpointJson, EndpointList } from "@halvik/contract/kinds";
import { useMutation } from "@tanstack/react-query";
import { toast } from "sonner";
import { request } from "../../data/api";
import { TextButton } from "../../ui/button";

/** A message of our own, so that the way is seen to work before a device is touched. */
export function TestMessage({ endpoint }: { endpoint: EndpointJson }) {
  const send = useMutation({
    mutationFn: () => request<EndpointList>("POST", `/endpoints/${endpoint.id}/try`),
    onSuccess: () =>
      toast(
        endpoint.kind === "snmp"
          ? "A test notification is sent from this machine, by the community “halvik-test”: admit that at the endpoint."
          : "A test message is sent from this machine.",
      ),
    onError: (e) => toast.error(e.message),
  });
  return (
    <p className="text-ui">
      <TextButton disabled={send.isPending} onClick={() => send.mutate()}>
        Send a test message from this machine
      </TextButton>
    </p>
  );
}
