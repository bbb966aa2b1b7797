import { copyText } from "./copy-text";

/** What a browser has for the clipboard, as the way the page is served decides (W3C Secure Contexts). */
const clipboard = (write: ((text: string) => Promise<void>) | null) =>
  Object.defineProperty(navigator, "clipboard", {
    value: write === null ? undefined : { writeText: write },
    configurable: true,
  });
const byHand = (answer: boolean) => {
  const copied: string[] = [];
  document.execCommand = (what) => {
    const field = document.activeElement as HTMLTextAreaElement;
    copied.push(`${what} ${field.value.slice(field.selectionStart, field.selectionEnd)}`);
    return answer;
  };
  return copied;
};
const command = document.execCommand;
afterEach(() => {
  clipboard(null);
  document.execCommand = command;
  document.body.replaceChildren();
});

test("over HTTPS, or on this machine, the clipboard takes it", async () => {
  const written: string[] = [];
  const copied = byHand(true);
  clipboard(async (text) => void written.push(text));
  expect(await copyText("a\nb", null)).toBe(true);
  expect([written, copied]).toEqual([["a\nb"], []]);
});

test.each([
  ["there is none", null],
  ["it may not be written", () => Promise.reject(new Error("NotAllowedError"))],
])("where %s, the text is copied as by hand, and the focus stays where it was", async (_what, write) => {
  const copied = byHand(true);
  clipboard(write);
  const button = document.createElement("button");
  document.body.append(button);
  button.focus();
  expect(await copyText("*.*  @halvik:514", null)).toBe(true);
  expect(copied).toEqual(["copy *.*  @halvik:514"]);
  expect(document.activeElement).toBe(button);
  expect(document.querySelector("textarea")).toBeNull();
});

test("where neither works that is told to whoever asked", async () => {
  byHand(false);
  clipboard(null);
  expect(await copyText("x")).toBe(false);
  document.execCommand = () => {
    throw new Error("not here");
  };
  expect(await copyText("x")).toBe(false);
});
