import { screen, within } from "@testing-library/react";
import { recordJson } from "../../testing/answers";
import { draw } from "../../testing/draw";
import { freshPage } from "../../testing/fresh-page";
import { CompareMargin } from "./compare-margin";

freshPage();

const rows = () =>
  screen.getAllByRole("row").map((r) => [
    within(r).getByRole("rowheader").textContent,
    ...within(r)
      .getAllByRole("cell")
      .map((c) => c.textContent),
  ]);

test("what differs comes first, every field stands once, and what one has not is said", () => {
  draw(
    <CompareMargin
      onClose={() => undefined}
      records={[
        recordJson({ id: "1", users: ["k.lind", "root"], srcPort: 40_001 }),
        recordJson({ id: "2", users: ["k.lind"], severity: "warning" }),
      ]}
    />,
  );
  const all = rows();
  expect(all.slice(0, 3).sort()).toEqual([
    ["severity", "error", "warning"],
    ["src port", "40001", "none"],
    ["users", "k.lind, root", "k.lind"],
  ]);
  expect(all).toContainEqual(["sender", "vpn-1", "vpn-1"]);
  expect(new Set(all.map(([name]) => name)).size).toBe(all.length);
  expect(screen.getByText(/^3 of \d+ fields differ/)).toBeTruthy();
  // ids always differ and say nothing
  expect(all.some(([name]) => name === "id")).toBe(false);
});

test("three at a time; parts of parts have their path as a name", () => {
  draw(
    <CompareMargin
      onClose={() => undefined}
      records={["accept", "deny", "deny"].map((action, i) =>
        recordJson({ id: String(i), action, translated: { src: `198.51.100.${i}` } }),
      )}
    />,
  );
  expect(rows()).toContainEqual(["translated src", "198.51.100.0", "198.51.100.1", "198.51.100.2"]);
});

test("what was received is text: no markup, no control characters, nothing that turns the line around", () => {
  draw(
    <CompareMargin
      onClose={() => undefined}
      records={[recordJson({ text: "<img src=x onerror=alert(1)>\u0007\u202e" }), recordJson({ text: "plain" })]}
    />,
  );
  expect(rows()).toContainEqual(["text", "<img src=x onerror=alert(1)>␇⟨202E⟩", "plain"]);
  expect(document.querySelector("img")).toBeNull();
});
