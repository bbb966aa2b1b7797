import { cleanup, configure, getConfig } from "@testing-library/react";
import { unstable_IdlePriority as IDLE, unstable_scheduleCallback as schedule } from "scheduler";

/**
 * What a person did is over when React has drawn all that follows from it. The testing library waits for one turn of the clock, which need
 * not come after on a busy machine; React's own scheduler says when nothing is left to do.
 */
const drawn = () => new Promise<void>((resolve) => schedule(IDLE, () => resolve()));
const { asyncWrapper } = getConfig();
configure({
  asyncWrapper: (act) =>
    asyncWrapper(async () => {
      const result = await act();
      await drawn();
      return result;
    }),
});

/** Called by a test file of the interface: after each of its tests the page is as one that was opened just now. */
export function freshPage(): void {
  const asked = globalThis.fetch;
  afterEach(() => {
    globalThis.fetch = asked;
    cleanup();
    localStorage.clear();
    sessionStorage.clear();
    history.replaceState(null, "", "/");
  });
}
