import { Command } from "commander";
import { loadSenders } from "../domains/intake/senders/repository.js";
import { knownInterfaces, sayInterface } from "../domains/traffic/interfaces-repository.js";
import { capacityOf } from "../domains/traffic/places.js";
import { withAct, withDb } from "./context.js";

/** `200 M`, `1G`, `9600`: bits a second; null where it is none. */
function readBits(text: string): number | null {
  const found = /^(\d{1,15}(?:\.\d{1,6})?)\s*([kMGT]?)$/.exec(text.trim());
  if (found === null) return null;
  const bits = Math.round(Number(found[1]) * 1_000 ** ["", "k", "M", "G", "T"].indexOf(found[2]!));
  return bits >= 1 && bits <= 1e15 ? bits : null;
}

export const interfacesCommand = (): Command =>
  new Command("interfaces")
    .addCommand(
      new Command("set")
        .description("say what an interface is called and how much it carries")
        .argument("<sender>", "the exporter, by name")
        .argument("<index>", "its number there")
        .option("--name <name>", "what it is called", "")
        .option("--carries <bits>", "bits a second, such as 100M or 1G; left out: as its counters say")
        .action((sender: string, index: string, { name, carries }: { name: string; carries?: string }) =>
          withAct(async (act, config) => {
            const known = (await loadSenders(act.db, config.HALVIK_ZONE)).find(
              (s) => s.name.toLowerCase() === sender.toLowerCase(),
            );
            if (known === undefined)
              throw new Error(`there is no sender called "${sender}"; “halvik senders list” shows which there are`);
            if (!/^\d{1,10}$/.test(index) || Number(index) > 4_294_967_295)
              throw new Error(`index: expected the number of an interface, got "${index}"`);
            const capacity = carries === undefined ? null : readBits(carries);
            if (carries !== undefined && capacity === null)
              throw new Error(`--carries: expected bits a second such as 100M or 1G, got "${carries}"`);
            if (name.length > 120) throw new Error("--name: expected 120 characters at most");
            const of = { sender: known.id, interface: Number(index) };
            await sayInterface(act.db, of, { name, capacity }, act.who, act.atUs);
            await act.audit("interface described", { ...of, name, capacity });
          }),
        ),
    )
    .addCommand(
      new Command("list").description("list interfaces that something is known of").action(() =>
        withDb(async (db, config) => {
          const names = new Map((await loadSenders(db, config.HALVIK_ZONE)).map((s) => [s.id, s.name]));
          for (const i of await knownInterfaces(db)) {
            const { bits, from } = capacityOf(i);
            console.log([names.get(i.sender) ?? i.sender, i.interface, i.name, bits ?? "", from ?? ""].join("\t"));
          }
        }),
      ),
    );
