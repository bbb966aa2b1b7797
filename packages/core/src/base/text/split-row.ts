/** Fields of a line; quotes as in RFC 4180 with any separator but the space. @returns null when a quote stays open */
export function splitRow(line: string, separator: string): string[] | null {
  if (separator === " ") return line.split(" ").filter((v) => v !== "");
  if (!line.includes('"')) return line.split(separator);
  const out: string[] = [];
  let at = 0;
  for (;;) {
    let value = "";
    if (line[at] === '"') {
      at++;
      for (;;) {
        const quote = line.indexOf('"', at);
        if (quote < 0) return null;
        value += line.slice(at, quote);
        at = quote + 1;
        if (line[at] !== '"') break;
        value += '"';
        at++;
      }
      if (at < line.length && line[at] !== separator) return null;
    } else {
      const end = line.indexOf(separator, at);
      value = line.slice(at, end < 0 ? line.length : end);
      at = end < 0 ? line.length : end;
    }
    out.push(value);
    if (at >= line.length) return out;
    at++;
  }
}
