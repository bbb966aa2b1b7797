import { Tooltip as Radix } from "radix-ui";
import type { ReactElement, ReactNode } from "react";
import { TIP } from "./look";

/** Around all that has tooltips. */
export const TooltipProvider = ({ children }: { children: ReactNode }) => (
  <Radix.Provider delayDuration={400} skipDelayDuration={150}>
    {children}
  </Radix.Provider>
);

/**
 * What a mark or a shortened text means, for whoever points at it or comes to it by keyboard. Nothing that is needed stands only here.
 * @param text empty: no tooltip for now; what it is around stays what it was, so that a field keeps its focus
 */
export const Tooltip = ({ text, children }: { text: string; children: ReactElement }) => (
  <Radix.Root {...(text === "" ? { open: false } : {})}>
    <Radix.Trigger asChild>{children}</Radix.Trigger>
    {text !== "" && (
      <Radix.Portal>
        <Radix.Content sideOffset={4} collisionPadding={8} className={`${TIP} max-w-96`}>
          {text}
        </Radix.Content>
      </Radix.Portal>
    )}
  </Radix.Root>
);
