import { type PointerEvent, type ReactNode, useState } from "react";
import { createPortal } from "react-dom";
import { TIP } from "./look";

interface Tip {
  readonly text: string;
  readonly left: number;
  readonly top: number;
}

const GAP_PX = 4;

/**
 * For lists of hundreds of lines: one tooltip for whatever of them is cut off where the pointer is, instead of one each (`Cut`). By keyboard
 * a line is opened to be read whole.
 * @returns what the list's box listens with, and the tooltip to draw
 */
export function useCutTip(): {
  readonly onPointerOver: (e: PointerEvent) => void;
  readonly onPointerLeave: () => void;
  readonly tip: ReactNode;
} {
  const [tip, setTip] = useState<Tip | null>(null);
  const onPointerOver = (e: PointerEvent) => {
    const cut = (e.target as Element).closest<HTMLElement>(".truncate");
    if (cut === null || cut.scrollWidth <= cut.clientWidth) return setTip(null);
    const { left, bottom } = cut.getBoundingClientRect();
    setTip({ text: cut.textContent ?? "", left, top: bottom + GAP_PX });
  };
  return {
    onPointerOver,
    onPointerLeave: () => setTip(null),
    tip:
      tip === null
        ? null
        : createPortal(
            <div
              role="tooltip"
              className={`${TIP} pointer-events-none fixed max-w-[40rem]`}
              style={{
                left: Math.max(4, Math.min(tip.left, innerWidth - 660)),
                top: Math.min(tip.top, innerHeight - 80),
              }}
            >
              {tip.text}
            </div>,
            document.body,
          ),
  };
}
