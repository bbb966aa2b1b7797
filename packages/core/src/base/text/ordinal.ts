const RULES = new Intl.PluralRules("en", { type: "ordinal" });
const ENDINGS: Readonly<Partial<Record<Intl.LDMLPluralRule, string>>> = { one: "st", two: "nd", few: "rd" };

/** 1st, 2nd, 3rd, 4th … 11th, 12th, 13th. */
export const ordinal = (n: number): string => `${n}${ENDINGS[RULES.select(n)] ?? "th"}`;
