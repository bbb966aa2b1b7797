/**
 * Fills `{name}` from a look-up. A part in square brackets is left out when one of its values is missing; a missing value
 * outside of brackets becomes an ellipsis, so that the sentence still stands.
 */
export function fillSentence(template: string, value: (name: string) => string | null): string {
  let out = "";
  let part = "";
  let inside = false;
  let missing = false;
  for (let at = 0; at < template.length; at++) {
    const c = template[at]!;
    if (c === "[") {
      inside = true;
      missing = false;
      part = "";
    } else if (c === "]") {
      if (!missing) out += part;
      inside = false;
    } else if (c === "{") {
      const end = template.indexOf("}", at);
      if (end < 0) return out + template.slice(at);
      const found = value(template.slice(at + 1, end));
      if (inside) {
        if (found === null) missing = true;
        else part += found;
      } else out += found ?? "…";
      at = end;
    } else if (inside) part += c;
    else out += c;
  }
  return out;
}

/** The names a sentence uses: for checking one that a person wrote. */
export const sentenceNames = (template: string): string[] => [...template.matchAll(/\{([^{}]*)\}/g)].map((m) => m[1]!);
