import { Toaster } from "sonner";

/**
 * Where short words appear: what was done, what was raised. Whoever goes through the page by Tab comes to their buttons and goes on: the library
 * would send the focus back to where it came from, for as long as one is there (WCAG 2.2, 2.1.2: no keyboard trap).
 */
export const Toasts = ({ theme }: { theme: "light" | "dark" }) => (
  <div onBlurCapture={(e) => e.stopPropagation()}>
    <Toaster position="bottom-right" theme={theme} />
  </div>
);
