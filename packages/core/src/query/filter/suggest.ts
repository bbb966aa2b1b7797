/** The candidate nearest to what was written (optimal string alignment), or null when none is near enough. */
export function nearest(written: string, candidates: Iterable<string>): string | null {
  const w = written.toLowerCase();
  let best: string | null = null;
  let bestDistance = Math.max(1, Math.floor(w.length / 3)) + 1;
  for (const candidate of candidates) {
    const c = candidate.toLowerCase();
    if (w.length >= 3 && c.startsWith(w) && bestDistance > 1) {
      best = candidate;
      bestDistance = 1;
      continue;
    }
    if (Math.abs(c.length - w.length) >= bestDistance) continue;
    const d = distance(w, c);
    if (d < bestDistance) {
      best = candidate;
      bestDistance = d;
    }
  }
  return best;
}

function distance(a: string, b: string): number {
  let before: number[] = [];
  let last = Array.from({ length: b.length + 1 }, (_, j) => j);
  for (let i = 1; i <= a.length; i++) {
    const row = [i];
    for (let j = 1; j <= b.length; j++) {
      const cost = a[i - 1] === b[j - 1] ? 0 : 1;
      let d = Math.min(last[j]! + 1, row[j - 1]! + 1, last[j - 1]! + cost);
      if (i > 1 && j > 1 && a[i - 1] === b[j - 2] && a[i - 2] === b[j - 1]) d = Math.min(d, before[j - 2]! + 1);
      row.push(d);
    }
    before = last;
    last = row;
  }
  return last[b.length]!;
}
