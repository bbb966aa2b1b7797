/**
 * What a decoder takes for the user of a name with a domain: `DOMAIN\user`, `user@domain` and `user` are the same name. Case is kept: comparing folds.
 * A machine account's `$` stays, since a machine is not a person.
 */
export function canonicalUser(text: string): string {
  const slash = text.lastIndexOf("\\");
  const name = slash >= 0 && slash < text.length - 1 ? text.slice(slash + 1) : text;
  const at = name.indexOf("@");
  return at > 0 ? name.slice(0, at) : name;
}
