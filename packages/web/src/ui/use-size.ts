import { type RefObject, useEffect, useRef, useState } from "react";

/** The room an element has, in pixels, as it changes. @param before until it is known, and where nothing is laid out */
export function useSize<E extends HTMLElement>(before: {
  readonly width: number;
  readonly height: number;
}): [RefObject<E | null>, { readonly width: number; readonly height: number }] {
  const element = useRef<E>(null);
  const [size, setSize] = useState(before);
  useEffect(() => {
    const { current } = element;
    if (current === null || typeof ResizeObserver === "undefined") return;
    const observer = new ResizeObserver(([entry]) => {
      const { width, height } = entry!.contentRect;
      if (width > 0 && height > 0) setSize({ width, height });
    });
    observer.observe(current);
    return () => observer.disconnect();
  }, []);
  return [element, size];
}
