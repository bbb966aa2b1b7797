import { RadioGroup } from "radix-ui";
import type { ReactNode } from "react";

interface SegmentsProps<V extends string> {
  readonly label: string;
  readonly value: V;
  readonly onChange: (value: V) => void;
  readonly options: readonly { readonly value: V; readonly label: ReactNode }[];
}

/** One of a few views of the same thing, side by side; arrow keys go through them. */
export const Segments = <V extends string>({ label, value, onChange, options }: SegmentsProps<V>) => (
  <RadioGroup.Root
    aria-label={label}
    orientation="horizontal"
    value={value}
    onValueChange={(v) => onChange(v as V)}
    className="flex gap-4"
  >
    {options.map((o) => (
      <RadioGroup.Item
        key={o.value}
        value={o.value}
        className={o.value === value ? "font-semibold text-ink" : "text-fjord"}
      >
        {o.label}
      </RadioGroup.Item>
    ))}
  </RadioGroup.Root>
);
