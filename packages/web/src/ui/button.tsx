import type { ButtonHTMLAttributes } from "react";

interface ButtonProps extends ButtonHTMLAttributes<HTMLButtonElement> {
  readonly main?: boolean;
  readonly shortcut?: string;
}

export function Button({ main = false, shortcut, children, className = "", ...rest }: ButtonProps) {
  const look = main ? "border-ink bg-ink text-paper" : "border-line-strong bg-sheet text-ink hover:bg-wash";
  return (
    <button
      type="button"
      className={`inline-flex items-center gap-1.5 rounded-[2px] border px-2.5 py-0.5 text-[13px] disabled:cursor-default disabled:opacity-50 ${look} ${className}`}
      {...rest}
    >
      {children}
      {shortcut && <kbd className="font-mono text-[11px] opacity-80">{shortcut}</kbd>}
    </button>
  );
}

export const Kbd = ({ children }: { children: string }) => (
  <kbd className="rounded-[2px] border border-line-strong bg-sheet px-1 font-mono text-[11px] leading-4 text-quiet">
    {children}
  </kbd>
);
