import type { ReactNode } from "react";
import { safeText } from "./safe-text";

/** What is missing, why, and the one thing to do next. */
export const EmptyState = ({ title, text, children }: { title: string; text: string; children?: ReactNode }) => (
  <div className="max-w-[62ch] py-6">
    <h2 className="text-lead font-semibold">{title}</h2>
    <p className="mt-1 text-quiet">{text}</p>
    {children && <div className="mt-3">{children}</div>}
  </div>
);

/** What went wrong; it may name what was received, such as values that there are instead of one that was asked for. */
export const Trouble = ({ error, what }: { error: Error; what: string }) => (
  <div role="alert" className="border-l-2 border-vermilion bg-vermilion-wash px-3 py-2 wrap-anywhere">
    {what}: {safeText(error.message)}
  </div>
);
