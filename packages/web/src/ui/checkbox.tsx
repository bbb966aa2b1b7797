import { Check } from "lucide-react";
import { Checkbox as Radix } from "radix-ui";
import { type ReactNode, useId } from "react";

interface CheckboxProps {
  readonly checked: boolean;
  readonly onChange: (checked: boolean) => void;
  /** What it says, beside it. */
  readonly children?: ReactNode;
  /** Where nothing stands beside it. */
  readonly label?: string;
  readonly disabled?: boolean;
  readonly className?: string;
}

/** Yes or no. */
export function Checkbox({ checked, onChange, children, label, disabled = false, className = "" }: CheckboxProps) {
  const id = useId();
  const box = (
    <Radix.Root
      id={id}
      checked={checked}
      onCheckedChange={(c) => onChange(c === true)}
      disabled={disabled}
      aria-label={label}
      className="inline-flex size-3.5 shrink-0 items-center justify-center rounded-xs border border-quiet bg-sheet data-[state=checked]:border-ink data-[state=checked]:bg-ink"
    >
      <Radix.Indicator>
        <Check size={12} strokeWidth={3} aria-hidden className="text-paper" />
      </Radix.Indicator>
    </Radix.Root>
  );
  if (children === undefined) return box;
  return (
    <div className={`flex items-baseline gap-2 ${className}`}>
      <span className="relative top-0.5">{box}</span>
      <label htmlFor={id} className="cursor-pointer">
        {children}
      </label>
    </div>
  );
}
