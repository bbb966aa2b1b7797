/** The sections, in order, with the key that follows `g`. */
export const SECTIONS = [
  { name: "Now", path: "/now", key: "n" },
  { name: "Records", path: "/records", key: "r" },
  { name: "Incidents", path: "/incidents", key: "i" },
  { name: "Rules", path: "/rules", key: "u" },
  { name: "Intake", path: "/intake", key: "k" },
] as const;
