/** So many rem in pixels, as things stand: what is drawn is as large as the type beside it. */
export const rem = (n: number): number =>
  n * Number.parseFloat(getComputedStyle(document.documentElement).fontSize || "16");
