import { Popover as Radix } from "radix-ui";
import type { ReactElement, ReactNode } from "react";
import { FLOATING } from "./look";

interface PopoverProps {
  readonly trigger: ReactElement;
  readonly label: string;
  readonly children: ReactNode;
  readonly align?: "start" | "end";
  readonly className?: string;
  readonly open?: boolean;
  readonly onOpenChange?: (open: boolean) => void;
}

/** More of something, beside what opens it. */
export const Popover = ({
  trigger,
  label,
  children,
  align = "end",
  className = "w-80 p-3",
  ...state
}: PopoverProps) => (
  <Radix.Root {...state}>
    <Radix.Trigger asChild>{trigger}</Radix.Trigger>
    <Radix.Portal>
      <Radix.Content
        align={align}
        sideOffset={2}
        collisionPadding={8}
        aria-label={label}
        className={`${FLOATING} max-h-(--radix-popover-content-available-height) overflow-y-auto ${className}`}
      >
        {children}
      </Radix.Content>
    </Radix.Portal>
  </Radix.Root>
);

/** What closes the popover it stands in when it is chosen. */
export const PopoverClose = ({ children }: { children: ReactElement }) => <Radix.Close asChild>{children}</Radix.Close>;
