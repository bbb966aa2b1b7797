import { RadioGroup } from "radix-ui";
import { type ReactNode, useId } from "react";

interface RadioProps {
  readonly value: string;
  readonly onChange: (value: string) => void;
  readonly options: readonly { readonly value: string; readonly label: ReactNode }[];
  readonly label: string;
  readonly className?: string;
}

/** One of a few that are all in sight; arrow keys go through them. */
export function Radio({ value, onChange, options, label, className = "grid gap-1" }: RadioProps) {
  const id = useId();
  return (
    <RadioGroup.Root value={value} onValueChange={onChange} aria-label={label} className={className}>
      {options.map((o) => (
        <div key={o.value} className="flex items-baseline gap-2">
          <RadioGroup.Item
            id={`${id}-${o.value}`}
            value={o.value}
            className="relative inline-flex size-3.5 translate-y-0.5 shrink-0 items-center justify-center rounded-full border border-quiet bg-sheet"
          >
            <RadioGroup.Indicator className="size-2 rounded-full bg-ink" />
          </RadioGroup.Item>
          <label htmlFor={`${id}-${o.value}`} className="cursor-pointer">
            {o.label}
          </label>
        </div>
      ))}
    </RadioGroup.Root>
  );
}
