import { type InputHTMLAttributes, type ReactNode, useId } from "react";

export function Field({
  label,
  hint,
  error,
  children,
}: {
  label: string;
  hint?: string | undefined;
  error?: string | undefined;
  children: (id: string) => ReactNode;
}) {
  const id = useId();
  return (
    <div className="mb-2.5">
      <label htmlFor={id} className="block text-[13px] text-quiet">
        {label}
      </label>
      {children(id)}
      {error ? (
        <p role="alert" className="text-[12.5px] text-vermilion">
          {error}
        </p>
      ) : (
        hint && <p className="text-[12.5px] text-quiet">{hint}</p>
      )}
    </div>
  );
}

export const Input = (props: InputHTMLAttributes<HTMLInputElement>) => (
  <input
    {...props}
    className={`w-full rounded-[2px] border border-line-strong bg-sheet px-2 py-1 ${props.className ?? ""}`}
  />
);
