import { Rule } from "@halvik/core/detect";
import { type Act, behaviour, type Draft, type Piece, RULE_KINDS, sentence } from "@halvik/core/detect/form";
import { parseDocument } from "yaml";
import { doAct, setValue } from "./edit-rule";
import { NEW_RULE } from "./new-rule";

/** What the sentence does to a rule's file leaves a rule that Halvik takes. */
const draft = () => parseDocument(NEW_RULE);
const faultsOf = (document: ReturnType<typeof draft>) =>
  Rule.safeParse(document.toJS()).error?.issues.map((i) => `${i.path.join(".")}: ${i.message}`) ?? [];
const pairs = RULE_KINDS.flatMap((from) => RULE_KINDS.map((to) => [from, to] as const));
const acts = (pieces: readonly Piece[]): Act[] => pieces.filter((p): p is Act => typeof p !== "string" && "do" in p);

test.each(pairs)("%s becomes %s", (from, to) => {
  const document = draft();
  setValue(document, ["kind"], from);
  setValue(document, ["kind"], to);
  expect(faultsOf(document)).toEqual([]);
  const text = document.toString();
  // what it looked for is still what it looks for
  expect(text).toContain("severity at least error");
  // what all rules have stands around it as before
  expect(text.indexOf("id:")).toBe(0);
  expect(text.indexOf("title:")).toBeLessThan(text.indexOf("clear:"));
});

test.each(RULE_KINDS)("%s: everything the sentence offers can be done and taken back", (kind) => {
  const document = draft();
  setValue(document, ["kind"], kind);
  const before = document.toJS();
  const pieces = () => [...sentence(document.toJS() as Draft), ...behaviour(document.toJS() as Draft)];
  for (const offer of acts(pieces()).filter((a) => a.do === "append")) {
    doAct(document, offer);
    expect([offer.label, faultsOf(document)]).toEqual([offer.label, []]);
    const list = document.getIn([offer.at[0]]) as { items: unknown[] };
    const last = acts(pieces()).find(
      (a) => a.do === "remove" && a.at[0] === offer.at[0] && a.at[1] === list.items.length - 1,
    );
    doAct(document, last!);
    expect(document.toJS()).toEqual(before);
  }
});

test.each([
  ["line", "baseline"],
  ["baseline", "ewma"],
  ["ewma", "cusum"],
  ["cusum", "line"],
])("a judgement by %s becomes one by %s", (from, to) => {
  const document = draft();
  setValue(document, ["kind"], "departure");
  setValue(document, ["judgement", "by"], from);
  setValue(document, ["judgement", "by"], to);
  for (const measure of ["sum", "spacing", "value", "records"]) {
    setValue(document, ["measure", "of"], measure);
    expect(faultsOf(document)).toEqual([]);
  }
});

test("clearing by a record starts as a copy of what raises; a kind that cannot end by itself does not", () => {
  const document = draft();
  setValue(document, ["clear", "by"], "record");
  expect(document.toJS().clear).toEqual({ by: "record", filter: "severity at least error" });
  setValue(document, ["kind"], "silence");
  setValue(document, ["clear", "by"], "condition");
  setValue(document, ["kind"], "count");
  expect(document.toJS().clear).toEqual({ by: "quiet", seconds: 900 });
});

test("an emptied number is left out; comments of the file stay", () => {
  const document = parseDocument(`# ours\n${NEW_RULE.replace("count: 10", "count: 10 # as agreed")}`);
  setValue(document, ["holdSeconds"], 30);
  setValue(document, ["holdSeconds"], undefined);
  setValue(document, ["severity"], "critical");
  const text = document.toString();
  expect(text).toContain("# ours");
  expect(text).toContain("count: 10 # as agreed");
  expect(text).not.toContain("holdSeconds");
});
