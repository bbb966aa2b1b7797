import { register } from "node:module";
import { runInNewContext } from "node:vm";
import { JSDOM } from "jsdom";

/**
 * A browser's page without a browser (jsdom), with what every browser has and jsdom leaves to others. Jest reads this once before the tests of
 * this package: they share the page, and `freshPage` empties it after each.
 */
const { window } = new JSDOM("<!doctype html>", { url: "http://localhost/", pretendToBeVisual: true });

/**
 * What styles say of an element here, where no style sheet is read: its own and its ancestors', and that "hidden" hides. jsdom looks through
 * all rules of its default sheet, for every element that is asked about: a fifth of what these tests took.
 */
function getComputedStyle(element) {
  const inherited = (property) => {
    for (let at = element; at; at = at.parentElement) if (at.style?.[property]) return at.style[property];
    return "";
  };
  const said = {
    display: () => (element.hidden ? "none" : element.style.display || "block"),
    visibility: () => inherited("visibility") || "visible",
    pointerEvents: () => inherited("pointerEvents") || "auto",
    getPropertyValue: () => (name) => style[name] ?? element.style.getPropertyValue(name),
  };
  const style = new Proxy(element.style, {
    get: (own, name) => (Object.hasOwn(said, name) ? said[name]() : own[name]),
  });
  return style;
}
window.getComputedStyle = getComputedStyle;
// tracks of a recording that nobody makes: React measures every component it draws for them
delete console.timeStamp;
delete console.createTask;

/** What Node has as a browser has it; jsdom's own are poorer, or would stop the rest of the program. */
const NODES_OWN = new Set([
  ...["globalThis", "console", "performance", "crypto", "queueMicrotask", "structuredClone", "Headers", "atob", "btoa"],
  ...["setTimeout", "clearTimeout", "setInterval", "clearInterval", "setImmediate", "clearImmediate"],
]);
const OF_THE_LANGUAGE = new Set(runInNewContext("Object.getOwnPropertyNames(globalThis)"));
const isOfBrowsers = (name) => !name.startsWith("_") && !NODES_OWN.has(name) && !OF_THE_LANGUAGE.has(name);
for (const name of Object.getOwnPropertyNames(window).filter(isOfBrowsers)) {
  // constructors keep their name; what is called by itself is called on the window
  const isCalled = typeof window[name] === "function" && /^[a-z]/.test(name);
  Object.defineProperty(globalThis, name, {
    configurable: true,
    enumerable: true,
    ...(isCalled
      ? { value: window[name].bind(window), writable: true }
      : {
          get: () => window[name],
          set: (value) => Object.defineProperty(window, name, { value, configurable: true }),
        }),
  });
}
for (const name of ["addEventListener", "removeEventListener", "dispatchEvent"])
  globalThis[name] = window[name].bind(window);

// a package's styles are read by what builds the interface; here they are nothing. And elements are made as in what ships: while it is being
// developed, React takes a stack for each of them, a sixth of what these tests took
const JSX = new URL("cjs/react-jsx-runtime.production.js", import.meta.resolve("react"));
const HOOKS = `export const load = (url, context, next) =>
  url.endsWith(".css") ? { format: "module", source: "", shortCircuit: true } : next(url, context);
export const resolve = (specifier, context, next) =>
  specifier === "react/jsx-runtime" ? { url: ${JSON.stringify(JSX.href)}, format: "commonjs", shortCircuit: true } : next(specifier, context);`;
register(`data:text/javascript,${encodeURIComponent(HOOKS)}`);

// what is laid out and drawn nowhere has no size, no colours and no pointer
const nothing = () => undefined;
class NothingToObserve {
  observe() {}
  unobserve() {}
  disconnect() {}
}
// what is not awaited by a test is drawn when it is, as React Testing Library has it for the first file that reads it
globalThis.IS_REACT_ACT_ENVIRONMENT = true;
const unseen = {
  matchMedia: () => ({ matches: false, addListener: nothing, removeListener: nothing }),
  ResizeObserver: NothingToObserve,
};
Object.assign(globalThis, unseen);
Object.assign(window, unseen);
Object.assign(window.Element.prototype, {
  hasPointerCapture: () => false,
  setPointerCapture: nothing,
  releasePointerCapture: nothing,
  scrollIntoView: nothing,
});
// a pointer moves as a mouse does, and jsdom has no other
class PointerEvent extends window.MouseEvent {
  constructor(type, { pointerId = 0, ...rest } = {}) {
    super(type, rest);
    this.pointerId = pointerId;
  }
}
if (window.PointerEvent === undefined) for (const where of [globalThis, window]) where.PointerEvent = PointerEvent;
// browsers read a file this way since 2020, and jsdom does not yet
window.Blob.prototype.text ??= function () {
  return new Promise((resolve, reject) => {
    const reader = new window.FileReader();
    reader.onload = () => resolve(reader.result);
    reader.onerror = () => reject(reader.error);
    reader.readAsText(this);
  });
};
