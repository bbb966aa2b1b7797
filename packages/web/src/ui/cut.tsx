import { Tooltip as Radix } from "radix-ui";
import { type ReactNode, useRef, useState } from "react";
import { TIP } from "./look";

/** Text on one line that may have to be cut off: then, and only then, all of it is in a tooltip. */
export function Cut({ text, children, className = "" }: { text: string; children: ReactNode; className?: string }) {
  const line = useRef<HTMLSpanElement>(null);
  const [open, setOpen] = useState(false);
  const isCut = () => line.current !== null && line.current.scrollWidth > line.current.clientWidth;
  return (
    <Radix.Root open={open} onOpenChange={(wanted) => setOpen(wanted && isCut())}>
      <Radix.Trigger asChild>
        <span ref={line} className={`block truncate ${className}`}>
          {children}
        </span>
      </Radix.Trigger>
      <Radix.Portal>
        <Radix.Content sideOffset={4} collisionPadding={8} className={`${TIP} max-w-96`}>
          {text}
        </Radix.Content>
      </Radix.Portal>
    </Radix.Root>
  );
}
