import type { ArrivalRuleList } from "@halvik/contract/arrival";
import type { Capacity } from "@halvik/contract/capacity";
import type { FormatReadingList, OwnFormatList } from "@halvik/contract/formats";
import type { ForwardList } from "@halvik/contract/forwarding";
import type {
  ApplicationList,
  DomainList,
  EndpointList,
  ImportList,
  MeaningList,
  MibList,
  SnmpUserList,
} from "@halvik/contract/kinds";
import type { HeldSummary, SenderList, SenderNumbers, SenderPortrait } from "@halvik/contract/senders";
import type { FlowStreams, Intake } from "@halvik/contract/status";
import { queryOptions } from "@tanstack/react-query";
import { request } from "./api";

export const sendersQuery = queryOptions({
  queryKey: ["senders"],
  queryFn: ({ signal }) => request<SenderList>("GET", "/senders", undefined, signal),
  refetchInterval: 5_000,
});
export const intakeQuery = queryOptions({
  queryKey: ["intake"],
  queryFn: ({ signal }) => request<Intake>("GET", "/intake", undefined, signal),
  refetchInterval: 2_000,
});
export const arrivalRulesQuery = queryOptions({
  queryKey: ["arrival-rules"],
  queryFn: ({ signal }) => request<ArrivalRuleList>("GET", "/arrival-rules", undefined, signal),
  refetchInterval: 5_000,
});
export const forwardsQuery = queryOptions({
  queryKey: ["forwards"],
  queryFn: ({ signal }) => request<ForwardList>("GET", "/forwards", undefined, signal),
  refetchInterval: 2_000,
});
export const formatsQuery = queryOptions({
  queryKey: ["formats"],
  queryFn: ({ signal }) => request<OwnFormatList>("GET", "/formats", undefined, signal),
  refetchInterval: 5_000,
});
const UNDER_WAY = ["waiting", "reading", "taking back"];
export const formatReadingsQuery = queryOptions({
  queryKey: ["format-readings"],
  queryFn: ({ signal }) => request<FormatReadingList>("GET", "/format-readings", undefined, signal),
  refetchInterval: ({ state }) => (state.data?.readings.some((r) => UNDER_WAY.includes(r.state)) ? 1_000 : 30_000),
});
export const senderPortraitQuery = (sender: number) =>
  queryOptions({
    queryKey: ["sender", sender],
    queryFn: ({ signal }) => request<SenderPortrait>("GET", `/senders/${sender}`, undefined, signal),
    refetchInterval: 30_000,
  });
/** What its own numbers say: looked for in its records, and so not asked too often. */
export const senderNumbersQuery = (sender: number) =>
  queryOptions({
    queryKey: ["sender numbers", sender],
    queryFn: ({ signal }) => request<SenderNumbers>("GET", `/senders/${sender}/numbers`, undefined, signal),
    staleTime: 60_000,
  });
/** What a waiting sender has sent. */
export const heldQuery = (sender: number) =>
  queryOptions({
    queryKey: ["held", sender],
    queryFn: ({ signal }) => request<HeldSummary>("GET", `/senders/${sender}/held`, undefined, signal),
    refetchInterval: 5_000,
  });
/** What arrives and what it takes, as it is set and as it is asked. */
export const capacityQuery = (asked: Readonly<Record<string, string>>) =>
  queryOptions({
    queryKey: ["capacity", asked],
    queryFn: ({ signal }) => request<Capacity>("GET", `/capacity?${new URLSearchParams(asked)}`, undefined, signal),
    staleTime: 30_000,
  });
export const flowStreamsQuery = queryOptions({
  queryKey: ["flow-streams"],
  queryFn: ({ signal }) => request<FlowStreams>("GET", "/flow-streams", undefined, signal),
  refetchInterval: 10_000,
});
export const endpointsQuery = queryOptions({
  queryKey: ["endpoints"],
  queryFn: ({ signal }) => request<EndpointList>("GET", "/endpoints", undefined, signal),
  refetchInterval: 2_000,
});
export const snmpUsersQuery = queryOptions({
  queryKey: ["snmp-users"],
  queryFn: ({ signal }) => request<SnmpUserList>("GET", "/snmp-users", undefined, signal),
});
export const importsQuery = queryOptions({
  queryKey: ["imports"],
  queryFn: ({ signal }) => request<ImportList>("GET", "/imports", undefined, signal),
  refetchInterval: 2_000,
});
export const meaningsQuery = queryOptions({
  queryKey: ["meanings"],
  queryFn: ({ signal }) => request<MeaningList>("GET", "/meanings", undefined, signal),
});
export const mibsQuery = queryOptions({
  queryKey: ["mibs"],
  queryFn: ({ signal }) => request<MibList>("GET", "/mibs", undefined, signal),
  // what has no name yet is counted as it arrives
  refetchInterval: 5_000,
});
export const applicationsQuery = queryOptions({
  queryKey: ["applications"],
  queryFn: ({ signal }) => request<ApplicationList>("GET", "/applications", undefined, signal),
  refetchInterval: 15_000,
});
export const domainsQuery = queryOptions({
  queryKey: ["domains"],
  queryFn: ({ signal }) => request<DomainList>("GET", "/domains", undefined, signal),
});
