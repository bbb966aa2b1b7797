import { newSender, SenderDirectory } from "../../model/senders/index.js";
import { completeRuleFile } from "./complete-file.js";

const directory = new SenderDirectory([newSender(1, "vpn-1")]);
const at = (text: string) => {
  const cursor = text.indexOf("|");
  const source = text.replace("|", "");
  const { from, options } = completeRuleFile(source, cursor, directory, [{ name: "quiet", text: "x" }]);
  return { replaced: source.slice(from, cursor), texts: options.map((o) => o.text) };
};

test.each([
  ["sev|", "sev", ["severity: "]],
  ["kind: distinct\nwindow|", "window", ["windowSeconds: "]],
  ["kind: sequence\nste|", "ste", ["steps: "]],
  ["severity: error\nsev|", "sev", []],
  ["kind: si|", "si", ["silence"]],
  ["severity: wa|", "wa", ["warning"]],
  ["clear:\n  by: qu|", "qu", ["quiet"]],
  ["key:\n  - src|", "src", ["src", "src port", "src zone", "src as"]],
  ["entities:\n  - user\n  - ho|", "ho", ["host"]],
  ["references:\n  - ho|", "ho", []],
  ["kind: distinct\nof: us|", "us", ["user"]],
  ["filter: app is x and out|", "out", ["outcome"]],
  ["filter: outcome is fai|", "fai", ["failure"]],
  ["steps:\n  - filter: sender is vp|", "vp", ["vpn-1"]],
  ["filter: filter |", "", ['"quiet"']],
  ["name: any|", "any", []],
  ["", "", expect.arrayContaining(["id: ", "name: ", "kind: "])],
] as const)("%j goes on", (text, replaced, texts) =>
  expect(at(text.includes("|") ? text : "|")).toEqual({ replaced, texts }),
);
