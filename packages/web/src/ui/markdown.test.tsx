import { screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { draw } from "../testing/draw";
import { freshPage } from "../testing/fresh-page";
import { Notes } from "./markdown";
import { safeText } from "./safe-text";

freshPage();

/** What people write is shown to others: nothing in it runs, is fetched, or leads where it does not say (OWASP, cross-site scripting prevention). */
const shown = (text: string, onInner?: (place: string) => void) =>
  draw(<Notes text={text} {...(onInner === undefined ? {} : { onInner })} />).container;

test.each([
  ["a script", "<script>alert(1)</script>"],
  ["a picture that runs", "<img src=x onerror=alert(1)>"],
  ["a frame", '<iframe src="https://evil.example"></iframe>'],
  ["a form", '<form action="https://evil.example"><input name=a></form>'],
  ["a style", "<style>body{display:none}</style>"],
])("%s is text", (_what, text) => {
  const box = shown(text);
  expect(box.querySelector("script, img, iframe, form, input, style")).toBeNull();
});

test.each([
  "[x](javascript:alert(1))",
  "[x](JaVaScRiPt:alert(1))",
  "[x](data:text/html;base64,PHNjcmlwdD4=)",
  "[x](vbscript:x)",
  "[x](file:///etc/passwd)",
  "[x](//evil.example)",
  "[x](/api/v1/session)",
  "[x](mailto:a@b.example)",
  "<javascript:alert(1)>",
])("%s leads nowhere", (text) => {
  const box = shown(text);
  expect(box.querySelector("a")).toBeNull();
});

test("a web address leads there, and tells nobody from where", () => {
  shown("[the plan](https://plans.example/a?b=1)");
  const link = screen.getByRole("link", { name: "the plan" });
  expect(link.getAttribute("href")).toBe("https://plans.example/a?b=1");
  expect(link.getAttribute("rel")).toBe("noopener noreferrer nofollow");
  expect(link.getAttribute("target")).toBe("_blank");
});

test("a picture is its words: it would tell somebody that the note was read", () => {
  const box = shown("![the quay](https://evil.example/pixel.png)");
  expect(box.querySelector("img")).toBeNull();
  expect(box.textContent).toContain("the quay");
});

test("a place of the page is led to where the page has such; elsewhere it is text", async () => {
  const places: string[] = [];
  shown("see [#12](#pin-12)", (place) => places.push(place));
  await userEvent.setup().click(screen.getByRole("button", { name: "#12" }));
  expect(places).toEqual(["pin-12"]);
  const plain = shown("see [#13](#pin-13)");
  expect(plain.querySelector("a, button")).toBeNull();
});

test("what CommonMark has is there: emphasis, lists, code", () => {
  const box = shown("**so**\n\n1. one\n2. two\n\n`a <b>`");
  expect(box.querySelector("strong")!.textContent).toBe("so");
  expect(box.querySelectorAll("ol > li")).toHaveLength(2);
  expect(box.querySelector("code")!.textContent).toBe("a <b>");
});

test.each([
  ["a line end and a bell", "a\nb\u0007", "a␊b␇"],
  ["what turns the direction (Unicode TR36)", "user\u202etxt.exe", "user⟨202E⟩txt.exe"],
  ["isolates", "\u2066x\u2069", "⟨2066⟩x⟨2069⟩"],
  ["what has no width", "pay\u200bpal\ufeff", "pay⟨200B⟩pal⟨FEFF⟩"],
  ["a delete, and controls of the upper half", "\u007f\u009b", "␡⟨009B⟩"],
  ["letters of any script stay", "Åse 日本 שלום 👍", "Åse 日本 שלום 👍"],
])("what was received is shown as it is: %s", (_what, text, said) => {
  expect(safeText(text)).toBe(said);
});
