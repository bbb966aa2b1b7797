import type { ApplicationList, DomainList, MeaningList, MibList } from "@halvik/contract/kinds";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link } from "react-router";
import { toast } from "sonner";
import { request } from "../../data/api";
import { applicationsQuery, domainsQuery, meaningsQuery, mibsQuery } from "../../data/intake-queries";
import { Trouble } from "../../ui/empty-state";
import { Page, Scroller } from "../../ui/page";
import { ApplicationNames } from "./application-names";
import { EventMeanings } from "./event-meanings";
import { OwnDomains } from "./own-domains";
import { SnmpModules } from "./snmp-modules";

/** What turns codes into words. Everything here applies to history at once, but for severity and category of new records. */
export function NamesPage() {
  const client = useQueryClient();
  const meanings = useQuery(meaningsQuery);
  const mibs = useQuery(mibsQuery);
  const applications = useQuery(applicationsQuery);
  const domains = useQuery(domainsQuery);
  const change = useMutation({
    mutationFn: async ({ key, method, path, body }: { key: string; method: string; path: string; body?: object }) => ({
      key,
      list: await request<MeaningList | MibList | ApplicationList | DomainList>(method, path, body),
    }),
    onSuccess: ({ key, list }) => client.setQueryData([key], list),
    onError: (e) => toast.error(e.message),
  });
  const act = (key: string) => (method: string, path: string, body?: object) =>
    change.mutateAsync({ key, method, path, ...(body ? { body } : {}) });
  const error = meanings.error ?? mibs.error ?? applications.error ?? domains.error;
  return (
    <Page title="Names">
      <div className="flex items-baseline gap-4">
        <h1 className="text-page leading-[1.625rem] font-semibold">Names</h1>
        <Link to="/intake" className="text-ui">
          back to Intake
        </Link>
      </div>
      <Scroller label="Names">
        {error && <Trouble error={error} what="The names cannot be shown" />}
        {domains.data && <OwnDomains list={domains.data} act={act("domains")} />}
        {applications.data && <ApplicationNames list={applications.data} act={act("applications")} />}
        {mibs.data && <SnmpModules list={mibs.data} act={act("mibs")} />}
        {meanings.data && <EventMeanings list={meanings.data} act={act("meanings")} />}
      </Scroller>
    </Page>
  );
}
