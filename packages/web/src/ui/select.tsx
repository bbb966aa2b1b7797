import { Check, ChevronDown } from "lucide-react";
import { Select as Radix } from "radix-ui";
import { CHOICE, CONTROL, FLOATING, IN_A_SENTENCE } from "./look";

export interface SelectOption {
  readonly value: string;
  readonly label: string;
  /** What it means, beside it. */
  readonly about?: string | undefined;
}

interface SelectProps {
  readonly value: string;
  readonly onChange: (value: string) => void;
  /** Texts stand for themselves. */
  readonly options: readonly (SelectOption | string)[];
  readonly id?: string | undefined;
  /** Where no label names it. */
  readonly label?: string | undefined;
  /** Shown while the value is none of the options. */
  readonly placeholder?: string | undefined;
  readonly disabled?: boolean | undefined;
  /** It is a part of a sentence: underlined, without a box. */
  readonly plain?: boolean | undefined;
  readonly className?: string;
}

/** Radix keeps the empty text for “nothing chosen”; an option may have it as its value. */
const EMPTY = "\u0000";
const inside = (value: string) => (value === "" ? EMPTY : value);

/** One of several. Opens by click, space, enter or arrow; letters lead to what begins with them. */
export function Select({
  value,
  onChange,
  options,
  id,
  label,
  placeholder,
  disabled,
  plain = false,
  className = "",
}: SelectProps) {
  const all = options.map((o) => (typeof o === "string" ? { value: o, label: o } : o));
  const known = all.some((o) => o.value === value);
  return (
    <Radix.Root
      value={known ? inside(value) : ""}
      onValueChange={(v) => onChange(v === EMPTY ? "" : v)}
      disabled={disabled ?? false}
    >
      <Radix.Trigger
        id={id}
        aria-label={label}
        className={`${plain ? IN_A_SENTENCE : CONTROL} inline-flex min-w-0 items-center justify-between gap-1.5 text-left ${className}`}
      >
        <span className="truncate">
          <Radix.Value placeholder={placeholder ?? value} />
        </span>
        {!plain && (
          <Radix.Icon>
            <ChevronDown size={14} aria-hidden className="text-quiet" />
          </Radix.Icon>
        )}
      </Radix.Trigger>
      <Radix.Portal>
        <Radix.Content
          position="popper"
          sideOffset={2}
          collisionPadding={8}
          className={`${FLOATING} max-h-(--radix-select-content-available-height) min-w-(--radix-select-trigger-width) overflow-hidden`}
        >
          <Radix.Viewport className="max-h-96 overflow-y-auto py-1">
            {all.map((o) => (
              <Radix.Item key={o.value} value={inside(o.value)} textValue={o.label} className={CHOICE}>
                <span className="w-3.5 shrink-0 self-center">
                  <Radix.ItemIndicator>
                    <Check size={13} aria-hidden />
                  </Radix.ItemIndicator>
                </span>
                <Radix.ItemText>{o.label}</Radix.ItemText>
                {"about" in o && o.about && <span className="max-w-80 truncate text-small text-quiet">{o.about}</span>}
              </Radix.Item>
            ))}
          </Radix.Viewport>
        </Radix.Content>
      </Radix.Portal>
    </Radix.Root>
  );
}
