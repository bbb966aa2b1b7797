import { OwnFormat } from "@halvik/core/formats";
import { draftOf, formatOf, NEW_DRAFT, readWords } from "./draft";

const FORMAT = OwnFormat.parse({
  name: "cranes",
  filter: "app is cranes",
  form: { is: "line", template: "{severity} crane {unit} at {load:number}" },
  names: {},
  sets: { category: "service", outcome: "failure", severity: 4, app: "cranes", event: "LOAD" },
  words: { severity: { WRN: "warning", ERR: "error" } },
  examples: ["WRN crane 3 at 21"],
});

test("a format opened and saved as it stands is the same format", () => {
  expect(formatOf(draftOf(FORMAT), FORMAT.examples)).toEqual(FORMAT);
});

test.each([
  ["", {}],
  ["severity: WRN = warning", { severity: { WRN: "warning" } }],
  ["  severity :  W  =  warning  \n\nseverity: E=error", { severity: { W: "warning", E: "error" } }],
  ["severity: a = b = c", { severity: { a: "b = c" } }],
])("words a line each: %j", (text, words) => {
  expect(readWords(text)).toEqual({ words });
});

test.each([
  ["severity WRN = warning", "severity WRN = warning"],
  ["severity: WRN", "severity: WRN"],
  ["colour: red = error", "colour: red = error"],
  ["severity: W = warning\nnonsense", "nonsense"],
])("of words that are none the line is told: %j", (text, wrong) => {
  expect(readWords(text)).toEqual({ wrong });
});

test.each<[string, object, RegExp]>([
  ["without a name", { form: FORMAT.form }, /./],
  ["with words that are none", { name: "x", form: FORMAT.form, words: "oops" }, /“oops”: expected one of .*severity/],
])("what is wrong is said, in words: %s", (_what, parts, said) => {
  expect(formatOf({ ...NEW_DRAFT, ...parts }, [])).toMatch(said);
});

test("what is left empty sets nothing, and blanks around are dropped", () => {
  const made = formatOf({ ...NEW_DRAFT, name: "  tills ", filter: " app is till ", form: FORMAT.form, app: "  " }, []);
  expect(made).toMatchObject({ name: "tills", filter: "app is till", sets: {}, words: {} });
});
