import { OWN_FIGURES, type Part } from "@halvik/core/report";

const COUNT = {
  figure: { of: "records" as const },
  filter: "",
  by: [],
  order: "most" as const,
  top: 10,
  perSecond: false,
};

/** What can be added, as it begins. */
export const NEW_PARTS: readonly { readonly label: string; readonly part: Part }[] = [
  { label: "A figure", part: { is: "figure", title: "A figure", compare: true, measure: COUNT } },
  {
    label: "Bars",
    part: { is: "bars", title: "Bars", compare: true, measure: { ...COUNT, by: [{ field: "sender" }] } },
  },
  {
    label: "A table",
    part: {
      is: "table",
      title: "A table",
      compare: false,
      measure: { ...COUNT, by: [{ field: "sender" }, { field: "kind" }], top: 20 },
    },
  },
  {
    label: "A line over time",
    part: { is: "course", title: "Over time", compare: true, measure: COUNT, step: "fitting" },
  },
  {
    label: "A profile: bands over time",
    part: { is: "profile", title: "By sender", measure: { ...COUNT, by: [{ field: "sender" }] }, step: "fitting" },
  },
  {
    label: "Hours of the week",
    part: {
      is: "hours of the week",
      title: "Hours of the week",
      measure: { figure: COUNT.figure, filter: "", perSecond: false },
    },
  },
  { label: "Incidents", part: { is: "incidents", title: "Incidents", worst: 4, most: 20, stories: false } },
  { label: "Records", part: { is: "records", title: "Records", filter: "", most: 20 } },
  {
    label: "Figures of Halvik’s own",
    part: { is: "own figures", title: "Halvik", compare: false, figures: [...OWN_FIGURES] },
  },
  { label: "Text", part: { is: "text", markdown: "Text, in Markdown." } },
];

const KINDS: Readonly<Record<Part["is"], string>> = {
  text: "text",
  figure: "figure",
  bars: "bars",
  table: "table",
  course: "line",
  profile: "profile",
  "hours of the week": "hours",
  incidents: "incidents",
  records: "records",
  "own figures": "own figures",
};

/** A part in a list of them. */
export const partLabel = (part: Part): string =>
  part.is === "text" ? `text: ${part.markdown.slice(0, 60)}` : `${KINDS[part.is]}: ${part.title}`;
