import { act, renderHook } from "@testing-library/react";
import { freshPage } from "../testing/fresh-page";
import { useCurrent } from "./use-current";

freshPage();

const rows = (...ids: number[]) => ids.map((id) => ({ id }));
const list = (ids: number[]) =>
  renderHook(({ of }: { of: number[] }) => useCurrent(rows(...of)), { initialProps: { of: ids } });

test("it stays with what was looked at when the list comes in another order", () => {
  const { result, rerender } = list([1, 2, 3]);
  expect(result.current.current).toBeUndefined();
  act(() => result.current.move(1));
  act(() => result.current.move(1));
  expect(result.current.current?.id).toBe(2);
  rerender({ of: [9, 3, 1, 2] });
  expect(result.current.current?.id).toBe(2);
  act(() => result.current.move(-1));
  expect(result.current.current?.id).toBe(1);
});

test("what has left is none any more; the next key goes on from where it stood; the ends hold", () => {
  const { result, rerender } = list([1, 2, 3]);
  act(() => result.current.move(1));
  act(() => result.current.move(1));
  rerender({ of: [1, 3] });
  expect(result.current.current).toBeUndefined();
  act(() => result.current.move(1));
  expect(result.current.current?.id).toBe(3);
  act(() => result.current.move(1));
  expect(result.current.current?.id).toBe(3);
  act(() => result.current.leave());
  expect(result.current.current).toBeUndefined();
  rerender({ of: [] });
  act(() => result.current.move(1));
  expect(result.current.current).toBeUndefined();
});
