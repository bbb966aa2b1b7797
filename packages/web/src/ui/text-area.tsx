import type { TextareaHTMLAttributes } from "react";
import { CONTROL } from "./look";

/** Several lines of text; `onSend` by Enter, which with Shift begins a new line. */
export const TextArea = ({
  onSend,
  ...props
}: TextareaHTMLAttributes<HTMLTextAreaElement> & { readonly onSend?: () => void }) => (
  <textarea
    rows={2}
    {...props}
    onKeyDown={(e) => {
      props.onKeyDown?.(e);
      if (onSend === undefined || e.key !== "Enter" || e.shiftKey || e.nativeEvent.isComposing) return;
      e.preventDefault();
      onSend();
    }}
    className={`w-full ${CONTROL} ${props.className ?? ""}`}
  />
);
