import { render, screen } from "@testing-library/react";
import { createMemoryRouter, RouterProvider } from "react-router";
import { freshPage } from "../testing/fresh-page";
import { Crashed } from "./crashed";

freshPage();

const crash = async (error: unknown) => {
  // React and the router write what was thrown to the console, too
  jest.spyOn(console, "error").mockImplementation(() => undefined);
  jest.spyOn(console, "warn").mockImplementation(() => undefined);
  const Broken = () => {
    throw error;
  };
  render(
    <RouterProvider router={createMemoryRouter([{ path: "/", element: <Broken />, errorElement: <Crashed /> }])} />,
  );
  await screen.findByRole("alert");
};
afterEach(() => jest.restoreAllMocks());

test("a page that fails says what failed, that nothing is lost, and how to go on", async () => {
  await crash(new Error("x is not a function \u202e"));
  expect(screen.getByRole("heading").textContent).toBe("This page could not be shown");
  expect(screen.getByText("x is not a function ⟨202E⟩")).toBeTruthy();
  expect(screen.getByRole("button", { name: "Reload" })).toBeTruthy();
  expect(screen.getByRole("link", { name: "Go to Now" })).toBeTruthy();
});

test.each([
  "Failed to fetch dynamically imported module: http://x/assets/rules-page-1.js",
  "error loading dynamically imported module",
  "Importing a module script failed.",
])("%s: the program was updated meanwhile", async (message) => {
  await crash(new TypeError(message));
  expect(screen.getByRole("heading").textContent).toBe("Halvik was updated");
  expect(screen.queryByText(message)).toBeNull();
});
