/** The name that a distinguished one begins with, such as `CN=k.lind,CN=Users,DC=orvane,DC=example` (RFC 4514 section 3); null where it is none. */
export function commonNameOf(name: string): string | null {
  const found = /^CN=((?:[^,\\]|\\.){1,256})(?:,|$)/i.exec(name.trim());
  return found ? found[1]!.replace(/\\(.)/g, "$1") : null;
}
