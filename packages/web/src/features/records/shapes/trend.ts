/** How a count stands to the one of the window before, in a few characters. @param before undefined: not known */
export function trendText(count: number, before: number | undefined): string {
  if (before === undefined) return "";
  if (before === 0) return "none before";
  const ratio = count / before;
  if (ratio >= 2) return `× ${ratio >= 10 ? Math.round(ratio).toLocaleString("en") : ratio.toFixed(1)}`;
  const percent = Math.round(100 * (ratio - 1));
  return percent === 0 ? "as before" : `${percent < 0 ? "−" : "+"}${Math.abs(percent)} %`;
}
