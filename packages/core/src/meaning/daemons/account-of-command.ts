/** Programs that make, change and delete accounts, with the account as their last word (shadow-utils; from memory). */
const LAST_WORD = /^(?:\/usr)?(?:\/local)?(?:\/s?bin\/)?(?:useradd|usermod|userdel|passwd|chage)$/;
/** Those that have it as their first word that is no option, with no more than a group behind it (adduser(8), gpasswd(1) has it behind an option). */
const FIRST_WORD = /^(?:\/usr)?(?:\/local)?(?:\/s?bin\/)?(?:adduser|deluser)$/;
/** A name of an account as such programs take it (useradd(8)). */
const NAME = /^[a-z_][a-z0-9_.-]{0,31}$/;
const MOST_WORDS = 40;

/** The account that a command makes, changes or deletes: whom it is done to, beside who does it. Null: none that is plain to see. */
export function accountOfCommand(command: string): string | null {
  const [program = "", ...words] = command.split(" ", MOST_WORDS);
  if (words.length === MOST_WORDS - 1) return null;
  const plain = words.filter((word) => !word.startsWith("-"));
  const name = LAST_WORD.test(program)
    ? words[words.length - 1]
    : FIRST_WORD.test(program) && plain.length <= 2 && plain[0] === words[words.length - plain.length]
      ? plain[0]
      : undefined;
  return name !== undefined && NAME.test(name) ? name : null;
}
