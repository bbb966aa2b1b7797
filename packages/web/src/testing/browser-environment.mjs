import { TestEnvironment } from "jest-environment-jsdom";

/** A browser's page without a browser (jsdom), with what every browser has and jsdom leaves to others. */
export default class BrowserEnvironment extends TestEnvironment {
  async setup() {
    await super.setup();
    const own = { TextEncoder, TextDecoder, Request, Response, Headers, structuredClone };
    for (const [name, value] of Object.entries(own)) this.global[name] ??= value;
    // what is laid out and drawn nowhere has no size, no colours and no pointer
    const nothing = () => undefined;
    this.global.matchMedia = () => ({ matches: false, addListener: nothing, removeListener: nothing });
    this.global.ResizeObserver = NothingToObserve;
    Object.assign(this.global.Element.prototype, {
      hasPointerCapture: () => false,
      setPointerCapture: nothing,
      releasePointerCapture: nothing,
      scrollIntoView: nothing,
    });
  }
}

class NothingToObserve {
  observe() {}
  unobserve() {}
  disconnect() {}
}
