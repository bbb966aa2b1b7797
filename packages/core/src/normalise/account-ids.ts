/** An account of a computer or domain ([MS-DTYP] 2.4.2.4, S-1-5-21-…); those that are the same everywhere have names of their own. */
const ACCOUNT = /^S-1-5-21(?:-\d{1,10}){4}$/;
/** Events name an account by one of these, and its security identifier by the other. */
const PAIRS = [
  ["TargetUserName", ["TargetUserSid", "TargetSid"]],
  ["SubjectUserName", ["SubjectUserSid"]],
] as const;
const MOST_ACCOUNTS = 20_000;
const MOST_NAME = 256;

type Data = readonly (readonly [name: string, value: string])[];

/**
 * What accounts are called whose security identifier alone an event says: who was put into a local group is told so. Learnt from the events before,
 * of each sender by itself, since nobody may name the accounts of others; the oldest are forgotten.
 */
export class AccountIds {
  private readonly names = new Map<string, string>();

  /** @param isGroup the target of this event is a group */
  learn(sender: number, data: Data, isGroup: boolean): void {
    for (const [called, identified] of isGroup ? PAIRS.slice(1) : PAIRS) {
      const name = datum(data, [called]);
      const id = datum(data, identified);
      if (name === undefined || id === undefined || name === "-" || name.length > MOST_NAME || !ACCOUNT.test(id))
        continue;
      const key = `${sender} ${id}`;
      if (this.names.get(key) === name) continue;
      this.names.delete(key);
      this.names.set(copied(key), copied(name));
      if (this.names.size > MOST_ACCOUNTS) this.names.delete(this.names.keys().next().value!);
    }
  }

  /** What the member of a group is called, by its identifier. */
  member(sender: number, data: Data): string | undefined {
    return this.names.get(`${sender} ${datum(data, ["MemberSid"])}`);
  }
}

/** A text of its own: what is cut from an event, or made with what is, keeps the whole text of the event in memory. */
const copied = (text: string): string => [...text].join("");

const datum = (data: Data, names: readonly string[]): string | undefined =>
  data.find(([name, value]) => names.includes(name) && value !== "")?.[1].trim();
