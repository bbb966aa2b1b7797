import { render, screen } from "@testing-library/react";
import { Trouble } from "./empty-state";

test("what an error names as it was received turns no text around", () => {
  render(<Trouble error={new Error("there are: a\u202eb")} what="It cannot be shown" />);
  const { textContent } = screen.getByRole("alert");
  expect(textContent).toContain("It cannot be shown: there are: a");
  expect(textContent).not.toContain("\u202e");
});
