/** Something that cannot be said on the other side without saying less or more: the whole is refused with this. */
export class SigmaRefusal extends Error {
  constructor(
    message: string,
    /** Where in the rule, as `detection.selection.Field|re`. */
    readonly at = "",
  ) {
    super(message);
  }
}
