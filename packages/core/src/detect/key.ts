const SEPARATOR = "\u0001";

/** A value as part of a key of several: what would look like the end of it, which only a hostile sender writes, becomes another sign. */
export const keyPart = (value: string): string =>
  value.includes(SEPARATOR) ? value.replaceAll(SEPARATOR, "\ufffd") : value;

/** One more value for a key: those of a rule's key fields stand in one text, in their order. Both sides are made of parts. */
export const addToKey = (key: string, part: string): string => `${key}${SEPARATOR}${part}`;

/** The values of a key, in the order of the rule's key fields. @param fields how many of those there are */
export const splitKey = (key: string, fields: number): string[] => (fields > 1 ? key.split(SEPARATOR) : [key]);
