import { Rule, shippedRules } from "@halvik/core/detect";
import { type Act, behaviour, type Draft, type Piece, RULE_KINDS, sentence } from "@halvik/core/detect/form";
import fc from "fast-check";
import { parse, parseDocument, stringify } from "yaml";
import { doAct, setValue, switched, withoutTests } from "./edit-rule";
import { newRule } from "./new-rule";

const NEW_RULE = newRule(null, null, []);

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

describe("form and file say the same", () => {
  const pieces = (document: ReturnType<typeof draft>) =>
    [...sentence(document.toJS() as Draft), ...behaviour(document.toJS() as Draft)].filter(
      (p): p is Exclude<Piece, string | Act> => typeof p !== "string" && !("do" in p),
    );
  const valueAt = (document: ReturnType<typeof draft>, at: readonly (string | number)[]) =>
    at.reduce<unknown>((of, part) => (of as Record<string, unknown> | undefined)?.[part], document.toJS());
  // their tests are most of their files, and no part of the sentence
  const files = shippedRules().map(({ tests: _, ...rule }) => [rule.id, stringify(rule)] as const);

  test.each(files)("%s: each value of the sentence put back where it stands leaves the rule as it was", (_id, text) => {
    const before = Rule.parse(parse(text));
    const file = parseDocument(text);
    for (const piece of pieces(file)) {
      const document = file.clone() as typeof file;
      const value = valueAt(document, piece.at);
      // what decides which other parts there are begins them anew
      if (["kind", "clear.by", "judgement.by", "measure.of"].includes(piece.at.join("."))) continue;
      setValue(document, piece.at, value);
      expect([piece.at, Rule.parse(document.toJS())]).toEqual([piece.at, before]);
    }
  });

  test("a value changed in the sentence is that value in the file, and nothing else changes", () => {
    const numbers = files.flatMap(([, text]) =>
      pieces(parseDocument(text))
        .filter((p) => p.as === "number" || p.as === "span")
        .map((p) => [text, p.at] as const),
    );
    fc.assert(
      fc.property(fc.constantFrom(...numbers), fc.integer({ min: 1, max: 5_000 }), ([text, at], n) => {
        const document = parseDocument(text);
        const before = document.toJS();
        setValue(document, at, n);
        const again = parseDocument(document.toString());
        expect(valueAt(again, at)).toBe(n);
        setValue(
          again,
          at,
          at.reduce<unknown>((of, part) => (of as Record<string, unknown> | undefined)?.[part], before),
        );
        expect(again.toJS()).toEqual(before);
      }),
      { seed: 51, numRuns: 300 },
    );
  });

  test("whatever is typed into a text of the sentence, the file reads back as that text", () => {
    fc.assert(
      fc.property(fc.string({ unit: "binary", maxLength: 40 }), (words) => {
        const document = draft();
        setValue(document, ["filter"], words);
        setValue(document, ["title"], words);
        const again = parseDocument(document.toString({ lineWidth: 100 }));
        expect([again.errors.length, again.getIn(["filter"]), again.getIn(["title"])]).toEqual([0, words, words]);
      }),
      { seed: 52, numRuns: 300 },
    );
  });
});

test("a rule from a record raises on each such record, and is a rule", () => {
  const rule = parse(newRule('app is sshd and text has "Failed password"', "logon: failure", [])) as Record<
    string,
    unknown
  >;
  expect(rule).toMatchObject({ id: "logon-failure", count: 1, title: "logon: failure on {sender}" });
  expect(Rule.safeParse(rule).success).toBe(true);
});

test("tests that fail are taken out, the others and all comments stay", () => {
  const text = `${NEW_RULE}# ours\ntests:\n  - name: a\n    raises: 0\n    records: []\n  - name: b # kept\n    raises: 1\n    records: []\n`;
  const without = withoutTests(text, ["a"]);
  expect(without).toContain("name: b # kept");
  expect((parse(without) as { tests: unknown[] }).tests).toHaveLength(1);
  expect(parse(withoutTests(NEW_RULE, ["a"]))).toEqual(parse(NEW_RULE));
});

test("switching keeps what is being written, and says only what does not go without saying", () => {
  const text = `# ours\n${NEW_RULE}`;
  const observing = switched(text, { enabled: true, listenOnly: true });
  expect(observing).toContain("# ours");
  expect(parse(observing)).toEqual({ ...(parse(text) as object), listenOnly: true });
  expect(parse(switched(observing, { enabled: false }))).toMatchObject({ enabled: false, listenOnly: true });
  expect(parse(switched(observing, { enabled: true, listenOnly: false }))).toEqual(parse(text));
  // what cannot be read yet is left as it is
  expect(switched("name: [", { enabled: false })).toBe("name: [");
});
