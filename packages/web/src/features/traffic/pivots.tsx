import type { TrafficLists } from "@halvik/contract/traffic";
import { useNavigate } from "react-router";
import { windowParams } from "../../data/window-url";
import { Menu, MenuItem } from "../../ui/menu";
import { safeText } from "../../ui/safe-text";

type Dimension = TrafficLists["lists"][number]["dimension"];

interface PivotsProps {
  readonly label: string;
  /** What tells its flows from others; null: no filter can. */
  readonly filter: string | null;
  readonly dimension: Dimension;
  /** Where a rule begins that tells when there is more of it; null: none can. */
  readonly limit: string | null;
  readonly onNarrow: (filter: string) => void;
  /** Shows everything there is about an address. */
  readonly onPortrait: (address: string) => void;
}

/** Where one can go from a value: only this, without it, its portrait, what firewalls decided about it. */
export function Pivots({ label, filter, dimension, limit, onNarrow, onPortrait }: PivotsProps) {
  const navigate = useNavigate();
  const ends = endsOf(dimension, label);
  if (filter === null && ends === null) return null;
  const go = (pathname: string, parts: Readonly<Record<string, string | undefined>> = {}) => {
    const params = new URLSearchParams(windowParams());
    for (const [name, value] of Object.entries(parts)) if (value !== undefined) params.set(name, value);
    void navigate({ pathname, search: params.toString() });
  };
  return (
    <Menu
      align="start"
      trigger={
        <button
          type="button"
          aria-label={`More about ${safeText(label)}`}
          className="shrink-0 px-1 text-small text-quiet opacity-0 group-focus-within:opacity-100 group-hover:opacity-100 focus:opacity-100 data-[state=open]:opacity-100"
        >
          ⋯
        </button>
      }
    >
      {filter !== null && <MenuItem onSelect={() => onNarrow(filter)}>only this</MenuItem>}
      {filter !== null && <MenuItem onSelect={() => onNarrow(`not (${filter})`)}>without this</MenuItem>}
      {[ends?.src, ends?.dst]
        .filter((end) => end !== undefined)
        .map((end) => (
          <MenuItem key={end} onSelect={() => onPortrait(end)}>
            portrait of {end}
          </MenuItem>
        ))}
      {limit !== null && <MenuItem onSelect={() => void navigate(limit)}>notify me when there is more</MenuItem>}
      {ends !== null && (
        <MenuItem onSelect={() => go("/traffic/policy", ends)}>was it allowed? what firewalls decided</MenuItem>
      )}
    </Menu>
  );
}

/** The ends a value speaks of, as the policy check asks for them; null: it speaks of none. */
function endsOf(dimension: Dimension, label: string): { src?: string; dst?: string; port?: string } | null {
  const words = label.split(" ");
  const isAddress = (text: string | undefined): text is string => text !== undefined && /^[\da-f:.]+$/i.test(text);
  switch (dimension) {
    case "source":
      return isAddress(words[0]) ? { src: words[0] } : null;
    case "destination":
      return isAddress(words[0]) ? { dst: words[0] } : null;
    case "pair":
      return isAddress(words[0]) && isAddress(words[2]) ? { src: words[0], dst: words[2] } : null;
    case "service": {
      const port = /^:(\d+)$/.exec(words[1] ?? "")?.[1];
      return isAddress(words[0]) ? { dst: words[0], ...(port === undefined ? {} : { port }) } : null;
    }
    default:
      return null;
  }
}
