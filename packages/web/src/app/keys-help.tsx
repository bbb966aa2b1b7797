import { ALL_KEYS } from "../navigation/keys";
import { Kbd } from "../ui/button";
import { Dialog } from "../ui/dialog";

export const KeysHelp = ({ open, onOpenChange }: { open: boolean; onOpenChange: (open: boolean) => void }) => (
  <Dialog open={open} onOpenChange={onOpenChange} title="All keys">
    <dl className="grid grid-cols-[10rem_1fr] gap-y-1">
      {ALL_KEYS.map(([keys, what]) => (
        <div key={keys} className="contents">
          <dt>
            <Kbd>{keys}</Kbd>
          </dt>
          <dd>{what}</dd>
        </div>
      ))}
    </dl>
  </Dialog>
);
