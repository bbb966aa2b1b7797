import { cleanup } from "@testing-library/react";

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
