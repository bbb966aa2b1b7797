import { ArrivalRule } from "@halvik/core/arrive";
import { OwnFormat } from "@halvik/core/formats";

/** What a busy intake decides: fifty rules of arrival, 30 on sender, severity, kind and program, 15 on addresses or ports, 5 with words. */
export const fiftyFilters = (senders: readonly string[]): string[] => [
  ...Array.from({ length: 10 }, (_, i) => `sender is ${senders[i * 5]} and severity is debug`),
  ...Array.from({ length: 10 }, (_, i) => `app is daemon-${i} and severity at least notice`),
  ...Array.from({ length: 10 }, (_, i) => `kind is syslog and app is job-${i}`),
  ...Array.from({ length: 8 }, (_, i) => `src within 10.99.${i}.0/24`),
  ...Array.from({ length: 7 }, (_, i) => `dst port is ${9_000 + i} and action is deny`),
  ...Array.from({ length: 5 }, (_, i) => `text has "nothing says this ${i}"`),
];

export const dropping = (filter: string, i: number): ArrivalRule =>
  ArrivalRule.parse({ name: `rule ${i}`, filter, does: "drop" });

/** Ten formats of people's own: eight that are meant for a program each, two that are tried on every line. */
export const TEN_FORMATS: readonly OwnFormat[] = Array.from({ length: 10 }, (_, i) =>
  OwnFormat.parse({
    name: `format ${i}`,
    filter: i < 8 ? `app is job-${i}` : "",
    form: { is: "line", template: `crane ${i} {crane:number} lifted {load:number} t by {user}` },
  }),
);
