import { useQuery } from "@tanstack/react-query";
import { seenQuery } from "../../data/api";
import { usOf } from "../../data/view-store";
import { safeText } from "../../ui/safe-text";
import { dayClock } from "../../ui/time";

interface SeenLineProps {
  /** A filter: what is asked for. */
  readonly what: string;
  readonly zone: string;
  readonly onGo: (us: number, id: string) => void;
  readonly onClose: () => void;
}

/** When something was first and last seen in all that is kept, whatever the window. */
export function SeenLine({ what, zone, onGo, onClose }: SeenLineProps) {
  const seen = useQuery(seenQuery(what, zone));
  const end = (name: string, record: { id: string; time: string } | null, partial: boolean) =>
    record === null ? (
      <span>{partial ? `${name}: not found within the time a search has` : `never ${name}`}</span>
    ) : (
      <button
        type="button"
        className="text-fjord underline decoration-dotted underline-offset-[3px]"
        onClick={() => onGo(usOf(record.time), record.id)}
      >
        {name} {dayClock(usOf(record.time), zone)}
      </button>
    );
  return (
    <div role="status" className="flex gap-3 overflow-hidden pt-1 text-code whitespace-nowrap text-quiet">
      <span className="truncate font-mono">{safeText(what)}</span>
      {seen.isPending && <span>searching everything stored …</span>}
      {seen.error && <span className="text-vermilion">{safeText(seen.error.message)}</span>}
      {seen.data && (
        <>
          {end("first seen", seen.data.first, seen.data.firstPartial)}
          {end("last seen", seen.data.last, seen.data.lastPartial)}
        </>
      )}
      <button type="button" className="text-fjord" onClick={onClose}>
        close
      </button>
    </div>
  );
}
