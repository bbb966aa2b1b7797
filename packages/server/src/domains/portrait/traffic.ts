import type { PortraitTraffic } from "@halvik/contract/portrait";
import { formatUs, US_PER_MINUTE, US_PER_SECOND } from "@halvik/core/base/time";
import { type BothWays, filterOf, sayValue } from "@halvik/core/traffic";
import { onSteps } from "../../store/traffic/read-sums.js";
import { ownFilter } from "../records/own-filter.js";
import { widthOf } from "../traffic/course.js";
import type { PortraitNeeds, Window } from "./portrait.js";

const SHOWN = 60;

/** What flows tell of some addresses that are one thing's own. */
export async function trafficOf(
  { ask, directory, nowUs }: PortraitNeeds,
  addresses: readonly string[],
  window: Window,
  patienceMs: number,
): Promise<PortraitTraffic> {
  const stepUs = widthOf(window.toUs - window.fromUs, US_PER_MINUTE);
  const stretch = onSteps(window.fromUs, window.toUs, stepUs);
  const own = `kind is flow and address is ${addresses.join(", ")}`;
  const filter = ownFilter(own, directory);
  const { traffic, flows, reachedUs } = await ask(filter).host({
    ...stretch,
    filter,
    nowUs,
    budgetMs: patienceMs,
    addresses,
    stepUs,
  });
  const { applications } = directory;
  const amount = ({ sent, received, flows: n }: BothWays) => ({ sent, received, flows: n });
  return {
    from: formatUs(stretch.fromUs),
    to: formatUs(stretch.toUs),
    reached: reachedUs === null ? null : formatUs(reachedUs),
    flows,
    step: Math.round(stepUs / US_PER_SECOND),
    sent: [...traffic.sent],
    received: [...traffic.received],
    total: { sent: traffic.total.sent, received: traffic.total.received },
    estimatedRate: traffic.estimatedRate,
    peers: traffic.peers.slice(0, SHOWN).map(([address, sums]) => ({
      label: address === "?" ? "no address" : address,
      address,
      filter: address === "?" ? null : `${own} and address is ${address}`,
      ...amount(sums),
    })),
    peersInAll: traffic.peersInAll,
    uses: traffic.uses.slice(0, SHOWN).map(([value, sums]) => {
      const said = sayValue("application", value, applications);
      const finds = filterOf("application", value, said);
      return {
        label: said.label,
        filter: finds === null ? null : `${own} and ${finds}`,
        ...amount(sums),
        accepted: sums.accepted,
        refused: sums.refused,
        unanswered: sums.unanswered,
      };
    }),
    offers: traffic.offers.slice(0, SHOWN).map(([value, sums]) => {
      const said = sayValue("application", value, applications);
      const [protocol, port] = value.split(" ");
      const name = said.isUnnamed || said.label === port ? "" : ` ${said.label}`;
      return {
        label: Number(port) < 0 ? said.label : `${port}${name}`,
        filter: Number(port) < 0 ? null : `${own} and protocol is ${protocol} and port is ${port}`,
        ...amount(sums),
        accepted: sums.accepted,
        refused: sums.refused,
        unanswered: sums.unanswered,
        clients: sums.clients,
      };
    }),
    sizes: traffic.sizes.map(([value, { bytes, packets }]) => ({
      label: sayValue("packet size", value, applications).label,
      bytes,
      packets,
    })),
    markings: traffic.markings.map(([value, { bytes, packets }]) => ({
      label: sayValue("dscp", value, applications).label,
      bytes,
      packets,
    })),
  };
}
