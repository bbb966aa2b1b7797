import type { ButtonHTMLAttributes, ComponentProps, ReactNode } from "react";
import { Link } from "react-router";
import { LINK } from "./look";

interface ButtonProps extends ButtonHTMLAttributes<HTMLButtonElement> {
  readonly main?: boolean;
  readonly shortcut?: string;
}

export function Button({ main = false, shortcut, children, className = "", ...rest }: ButtonProps) {
  const look = main ? "border-ink bg-ink text-paper" : "border-line-strong bg-sheet text-ink hover:bg-wash";
  return (
    <button
      type="button"
      className={`inline-flex shrink-0 items-center gap-1.5 rounded-xs whitespace-nowrap border px-2.5 py-0.5 text-ui disabled:cursor-default disabled:opacity-50 ${look} ${className}`}
      aria-keyshortcuts={shortcut}
      {...rest}
    >
      {children}
      {shortcut && (
        <kbd aria-hidden className="font-mono text-micro opacity-80">
          {shortcut}
        </kbd>
      )}
    </button>
  );
}

/** A link that looks like a button: it leads somewhere. */
export const ButtonLink = ({ to, children }: { to: string; children: ReactNode }) => (
  <Link
    to={to}
    className="inline-flex shrink-0 items-center rounded-xs border border-line-strong bg-sheet px-2.5 py-0.5 text-ui whitespace-nowrap text-ink no-underline hover:bg-wash"
  >
    {children}
  </Link>
);

/** A button that reads as a link. */
export const TextButton = (props: ComponentProps<"button">) => (
  <button type="button" {...props} className={`${LINK} ${props.className ?? ""}`} />
);

export const Kbd = ({ children }: { children: string }) => (
  <kbd className="rounded-xs border border-line-strong bg-sheet px-1 font-mono text-micro leading-4 text-quiet">
    {children}
  </kbd>
);
