import { Dialog } from "radix-ui";
import { ALL_KEYS } from "../navigation/keys";
import { Kbd } from "../ui/button";

export const KeysHelp = ({ open, onOpenChange }: { open: boolean; onOpenChange: (open: boolean) => void }) => (
  <Dialog.Root open={open} onOpenChange={onOpenChange}>
    <Dialog.Portal>
      <Dialog.Overlay className="fixed inset-0 z-20 bg-ink/20" />
      <Dialog.Content
        aria-describedby={undefined}
        className="fixed top-24 left-1/2 z-30 w-[460px] -translate-x-1/2 rounded-[2px] border border-line-strong bg-sheet p-5 shadow-lg"
      >
        <Dialog.Title className="mb-3 text-[17px] font-semibold">All keys</Dialog.Title>
        <dl className="grid grid-cols-[160px_1fr] gap-y-1">
          {ALL_KEYS.map(([keys, what]) => (
            <div key={keys} className="contents">
              <dt>
                <Kbd>{keys}</Kbd>
              </dt>
              <dd>{what}</dd>
            </div>
          ))}
        </dl>
      </Dialog.Content>
    </Dialog.Portal>
  </Dialog.Root>
);
