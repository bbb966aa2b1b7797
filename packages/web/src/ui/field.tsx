import { type InputHTMLAttributes, type ReactNode, useId } from "react";
import { CONTROL } from "./look";

/** A control with its label, and what is wrong with it or helps to fill it. */
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
      <label htmlFor={id} className="block text-ui text-quiet">
        {label}
      </label>
      {children(id)}
      {error ? (
        <p role="alert" className="text-code text-vermilion">
          {error}
        </p>
      ) : (
        hint && <p className="text-code text-quiet">{hint}</p>
      )}
    </div>
  );
}

export const Input = (props: InputHTMLAttributes<HTMLInputElement>) => (
  <input {...props} className={`w-full ${CONTROL} ${props.className ?? ""}`} />
);
