import { ToggleGroup } from "radix-ui";

interface TogglesProps {
  readonly label: string;
  readonly chosen: readonly string[];
  readonly onChange: (chosen: readonly string[]) => void;
  /** `short` stands on the button, `name` is said. */
  readonly options: readonly { readonly name: string; readonly short: string }[];
}

/** Any of a few, each a button that stays down. */
export const Toggles = ({ label, chosen, onChange, options }: TogglesProps) => (
  <ToggleGroup.Root
    type="multiple"
    aria-label={label}
    className="mx-0.5 inline-flex align-middle"
    value={[...chosen]}
    onValueChange={onChange}
  >
    {options.map((o) => (
      <ToggleGroup.Item
        key={o.name}
        value={o.name}
        aria-label={o.name}
        className="-ml-px border border-line-strong bg-sheet px-1.5 text-small leading-5 first:ml-0 data-[state=on]:border-ink data-[state=on]:bg-ink data-[state=on]:text-paper"
      >
        {o.short}
      </ToggleGroup.Item>
    ))}
  </ToggleGroup.Root>
);
