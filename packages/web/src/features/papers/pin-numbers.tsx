import type { PaperDetail } from "@halvik/contract/papers";
import { TextButton } from "../../ui/button";
import { Select } from "../../ui/select";
import { Tooltip } from "../../ui/tooltip";
import { said } from "./pin-words";

/** Pins by their numbers, to be added to and taken from. */
export function PinNumbers({
  label,
  paper,
  numbers,
  mayWrite,
  onPin,
  onChange,
}: {
  readonly label: string;
  readonly paper: PaperDetail;
  readonly numbers: readonly number[];
  readonly mayWrite: boolean;
  readonly onPin: (number: number) => void;
  readonly onChange: (numbers: number[]) => void;
}) {
  const others = paper.pins.filter((p) => !numbers.includes(p.number));
  if (!mayWrite && numbers.length === 0) return null;
  return (
    <div className="flex flex-wrap items-baseline gap-x-1.5">
      <span className="w-14 text-quiet">{label}</span>
      {numbers.map((n) => {
        const pin = paper.pins.find((p) => p.number === n);
        return (
          <span key={n} className="whitespace-nowrap">
            <Tooltip text={pin === undefined ? "no longer pinned" : said(pin)}>
              <TextButton onClick={() => onPin(n)}>#{n}</TextButton>
            </Tooltip>
            {mayWrite && (
              <TextButton
                aria-label={`#${n} no longer ${label}`}
                className="ml-0.5 text-small"
                onClick={() => onChange(numbers.filter((other) => other !== n))}
              >
                ×
              </TextButton>
            )}
          </span>
        );
      })}
      {mayWrite && others.length > 0 && (
        <Select
          plain
          label={`A pin ${label} it`}
          value=""
          placeholder="+"
          options={others.map((p) => ({ value: String(p.number), label: `#${p.number} ${said(p).slice(0, 70)}` }))}
          onChange={(n) => onChange([...numbers, Number(n)])}
        />
      )}
    </div>
  );
}
