/**
 * One person written in several ways: `DOMAIN\user`, `user@domain` and `user` are the same name. Case is kept: comparing folds.
 * A machine account's `$` stays, since a machine is not a person.
 */
export function canonicalUser(text: string): string {
  const slash = text.lastIndexOf("\\");
  const name = slash >= 0 && slash < text.length - 1 ? text.slice(slash + 1) : text;
  const at = name.indexOf("@");
  return at > 0 ? name.slice(0, at) : name;
}

/** One machine written short and in full: `dc-1.orvane.example.` and `DC-1` are the same host. Addresses stay whole. */
export function canonicalHost(text: string): string {
  const folded = text.toLowerCase();
  if (folded.includes(":") || isDotted(folded)) return folded;
  const dot = folded.indexOf(".");
  return dot > 0 ? folded.slice(0, dot) : folded;
}

function isDotted(text: string): boolean {
  for (let i = 0; i < text.length; i++) {
    const c = text.charCodeAt(i);
    if (c !== 46 && (c < 48 || c > 57)) return false;
  }
  return true;
}
