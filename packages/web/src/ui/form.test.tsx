import { screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { useForm } from "react-hook-form";
import { draw } from "../testing/draw";
import { freshPage } from "../testing/fresh-page";
import { CheckField, ChecksField, SelectField } from "./form";
import { Radio } from "./radio";

freshPage();

interface Values {
  severity: string;
  tells: string[];
  enabled: boolean;
}

function Form({ onSubmit }: { onSubmit: (values: Values) => void }) {
  const { control, handleSubmit } = useForm<Values>({
    defaultValues: { severity: "error", tells: ["raise"], enabled: true },
  });
  return (
    <form onSubmit={handleSubmit(onSubmit)}>
      <SelectField control={control} name="severity" label="Severity" options={["error", "warning"]} />
      <ChecksField
        control={control}
        name="tells"
        legend="When"
        options={[
          { value: "raise", label: "raised" },
          { value: "clear", label: "over" },
        ]}
      />
      <CheckField control={control} name="enabled">
        switched on
      </CheckField>
      <button type="submit">Save</button>
    </form>
  );
}

test("what is chosen is what is sent", async () => {
  const sent: Values[] = [];
  draw(<Form onSubmit={(v) => sent.push(v)} />);
  const user = userEvent.setup();
  await user.click(screen.getByRole("combobox", { name: "Severity" }));
  await user.click(screen.getByRole("option", { name: "warning" }));
  await user.click(screen.getByLabelText("over"));
  await user.click(screen.getByLabelText("raised"));
  await user.click(screen.getByRole("checkbox", { name: "switched on" }));
  await user.click(screen.getByRole("button", { name: "Save" }));
  expect(sent).toEqual([{ severity: "warning", tells: ["clear"], enabled: false }]);
});

test("a few that are all in sight: arrow keys go through them", async () => {
  const chosen: string[] = [];
  draw(
    <Radio
      label="Reason"
      value="fixed"
      onChange={(v) => chosen.push(v)}
      options={["fixed", "expected"].map((value) => ({ value, label: value }))}
    />,
  );
  const user = userEvent.setup();
  await user.click(screen.getByLabelText("expected"));
  expect(chosen).toEqual(["expected"]);
  expect(screen.getByRole("radio", { name: "fixed" }).getAttribute("aria-checked")).toBe("true");
});
