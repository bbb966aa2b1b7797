import { Dialog as Radix } from "radix-ui";
import type { ReactNode } from "react";

interface DialogProps {
  readonly open: boolean;
  readonly onOpenChange: (open: boolean) => void;
  readonly title: string;
  /** What it is for, where the title does not say it. */
  readonly about?: string;
  readonly wide?: boolean;
  readonly children: ReactNode;
}

/** A question or a list over the page: escape and a click beside it close it, and the focus goes back to where it was. */
export const Dialog = ({ open, onOpenChange, title, about, wide = false, children }: DialogProps) => (
  <Radix.Root open={open} onOpenChange={onOpenChange}>
    <Radix.Portal>
      <Radix.Overlay className="fixed inset-0 z-20 bg-ink/20" />
      <Radix.Content
        {...(about ? {} : { "aria-describedby": undefined })}
        className={`fixed top-24 left-1/2 z-20 max-h-[calc(100vh-8rem)] max-w-[calc(100vw-2rem)] -translate-x-1/2 overflow-y-auto rounded-xs border border-line-strong bg-sheet p-5 shadow-lg ${wide ? "w-[35rem]" : "w-[27.5rem]"}`}
      >
        <Radix.Title className="mb-2 text-title font-semibold">{title}</Radix.Title>
        {about && <Radix.Description className="mb-2 text-ui text-quiet">{about}</Radix.Description>}
        {children}
      </Radix.Content>
    </Radix.Portal>
  </Radix.Root>
);
