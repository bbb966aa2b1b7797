import { Switch as Radix } from "radix-ui";
import { type ReactNode, useId } from "react";

interface SwitchProps {
  readonly checked: boolean;
  readonly onChange: (checked: boolean) => void;
  readonly children: ReactNode;
  readonly disabled?: boolean;
}

/** On or off, with effect at once. */
export function Switch({ checked, onChange, children, disabled = false }: SwitchProps) {
  const id = useId();
  return (
    <div className="inline-flex items-center gap-2">
      <Radix.Root
        id={id}
        checked={checked}
        onCheckedChange={onChange}
        disabled={disabled}
        className="h-4 w-7 shrink-0 rounded-full border border-quiet bg-wash disabled:opacity-60 data-[state=checked]:border-ink data-[state=checked]:bg-ink"
      >
        <Radix.Thumb className="block size-2.5 translate-x-0.5 rounded-full bg-quiet data-[state=checked]:translate-x-3.5 data-[state=checked]:bg-paper" />
      </Radix.Root>
      <label htmlFor={id} className="cursor-pointer">
        {children}
      </label>
    </div>
  );
}
