import { DropdownMenu } from "radix-ui";
import type { ReactElement, ReactNode } from "react";
import { CHOICE, FLOATING } from "./look";

interface MenuProps {
  /** The button that opens it. */
  readonly trigger: ReactElement;
  readonly children: ReactNode;
  readonly align?: "start" | "end";
  readonly className?: string;
  /** Set where a dialog opens from it and takes the focus. */
  readonly keepsFocus?: boolean;
}

/** Things to do, under the button that opens them. */
export const Menu = ({ trigger, children, align = "end", className = "", keepsFocus = true }: MenuProps) => (
  // the page stays there for assistive programs: a menu is beside it, not instead of it
  <DropdownMenu.Root modal={false}>
    <DropdownMenu.Trigger asChild>{trigger}</DropdownMenu.Trigger>
    <DropdownMenu.Portal>
      <DropdownMenu.Content
        align={align}
        sideOffset={2}
        collisionPadding={8}
        onCloseAutoFocus={(e) => !keepsFocus && e.preventDefault()}
        className={`${FLOATING} max-h-(--radix-dropdown-menu-content-available-height) max-w-96 overflow-y-auto py-1 ${className}`}
      >
        {children}
      </DropdownMenu.Content>
    </DropdownMenu.Portal>
  </DropdownMenu.Root>
);

export const MenuItem = ({
  onSelect,
  disabled = false,
  children,
}: {
  onSelect: () => void;
  disabled?: boolean;
  children: ReactNode;
}) => (
  <DropdownMenu.Item className={CHOICE} onSelect={onSelect} disabled={disabled}>
    {children}
  </DropdownMenu.Item>
);

/** An item that is a link: a file to take away, a page. */
export const MenuLink = ({
  href,
  download = false,
  children,
}: {
  href: string;
  download?: boolean;
  children: ReactNode;
}) => (
  <DropdownMenu.Item asChild>
    <a href={href} className={CHOICE} {...(download ? { download: true } : { target: "_blank", rel: "noopener" })}>
      {children}
    </a>
  </DropdownMenu.Item>
);

export const MenuLabel = ({ children }: { children: ReactNode }) => (
  <DropdownMenu.Label className="px-3 py-1 text-small text-quiet">{children}</DropdownMenu.Label>
);

export const MenuSeparator = () => <DropdownMenu.Separator className="my-1 border-t border-line" />;

/** An item that opens a further menu beside it. */
export const MenuSub = ({ name, children }: { name: ReactNode; children: ReactNode }) => (
  <DropdownMenu.Sub>
    <DropdownMenu.SubTrigger className={`${CHOICE} justify-between data-[state=open]:bg-wash`}>
      {name}
    </DropdownMenu.SubTrigger>
    <DropdownMenu.Portal>
      <DropdownMenu.SubContent collisionPadding={8} className={`${FLOATING} max-w-96 py-1`}>
        {children}
      </DropdownMenu.SubContent>
    </DropdownMenu.Portal>
  </DropdownMenu.Sub>
);
