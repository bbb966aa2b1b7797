import { formatUs } from "@halvik/core/base/time";
import { Command } from "commander";
import { listDomains } from "../domains/names/domains-repository.js";
import { nameOurDomain, takeBackDomain } from "../domains/names/own-domains.js";
import { withAct, withDb } from "./context.js";

export const domainsCommand = (): Command =>
  new Command("domains")
    .addCommand(
      new Command("add")
        .description("say that domains are ours: in them a name is the same with and without it")
        .argument("<domains...>", "such as orvane.example, or ORVANE")
        .action((domains: string[]) =>
          withAct(async (act) => {
            for (const domain of domains) await nameOurDomain(act, domain);
          }),
        ),
    )
    .addCommand(
      new Command("list").description("list the domains that are ours").action(() =>
        withDb(async (db) => {
          for (const d of await listDomains(db)) console.log([d.domain, d.author, formatUs(d.atUs)].join("\t"));
        }),
      ),
    )
    .addCommand(
      new Command("remove")
        .description("take back that a domain is ours")
        .argument("<domain>")
        .action((domain: string) => withAct((act) => takeBackDomain(act, domain))),
    );
