/** The node of an installation that has but one. */
export const ONLY_NODE = "main";

/** Roles of which one process works at a time, whatever the number of nodes; others wait for its place. */
export const RUNS_ONCE = ["engine", "keeper", "notifier"] as const;

/** What a process of a role is called where people read it, and where it claims something for itself. */
export const processName = (role: string, node: string): string => (node === ONLY_NODE ? role : `${role} on ${node}`);
