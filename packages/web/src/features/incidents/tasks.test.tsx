import type { IncidentDetail } from "@halvik/contract/incidents";
import { screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { useViewStore } from "../../data/view-store";
import { draw } from "../../testing/draw";
import { freshPage } from "../../testing/fresh-page";
import { Tasks } from "./tasks";

freshPage();
beforeEach(() => useViewStore.setState({ zone: "UTC" }));

type Task = IncidentDetail["tasks"][number];
const task = (id: number, done: Task["done"] = null) => ({ id, text: `look at ${id}`, done }) as Task;
const DONE = { by: "k.lind", at: "2026-11-28T02:14:07.000000Z" };

const shown = (tasks: Task[], taken: Promise<boolean> = Promise.resolve(true)) => {
  const acts: unknown[] = [];
  const onAdd = (text: string) => {
    acts.push(text);
    return taken;
  };
  draw(<Tasks tasks={tasks} onAdd={onAdd} onDone={(id, done) => acts.push([id, done])} />);
  return { acts, user: userEvent.setup() };
};

test.each([
  [[], "none"],
  [[task(1), task(2, DONE)], "1 to do"],
  [[task(2, DONE)], "all done"],
])("how many there are to do: %#", (tasks, said) => {
  shown(tasks);
  expect(screen.getByText(said)).toBeTruthy();
});

test("one that is done says by whom and when; it is undone by the same box", async () => {
  const { acts, user } = shown([task(1), task(2, DONE)]);
  expect(screen.getByText("k.lind, 28 Nov 02:14:07")).toBeTruthy();
  await user.click(screen.getByRole("checkbox", { name: "look at 1" }));
  await user.click(screen.getByRole("checkbox", { name: "look at 2" }));
  expect(acts).toEqual([
    [1, true],
    [2, false],
  ]);
});

test("one is added by the return key, without blanks around; an empty one is none", async () => {
  const { acts, user } = shown([]);
  const field = screen.getByLabelText("A new task") as HTMLInputElement;
  await user.type(field, "   {Enter}");
  await user.type(field, "ask the berth  {Enter}");
  expect(acts).toEqual(["ask the berth"]);
  expect(field.value).toBe("");
});

test("what the server refuses stays to be sent again", async () => {
  const { user } = shown([], Promise.resolve(false));
  const field = screen.getByLabelText("A new task") as HTMLInputElement;
  await user.type(field, "ask the berth{Enter}");
  expect(field.value).toBe("ask the berth");
});

test("what is typed while one is sent is not lost with it", async () => {
  let taken: (was: boolean) => void = () => undefined;
  const sent = new Promise<boolean>((done) => {
    taken = done;
  });
  const { user } = shown([], sent);
  const field = screen.getByLabelText("A new task") as HTMLInputElement;
  await user.type(field, "ask the berth{Enter}, twice");
  taken(true);
  await sent;
  expect(field.value).toBe("ask the berth, twice");
});
