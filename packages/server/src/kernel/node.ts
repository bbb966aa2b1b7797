/** The node of an installation that has but one. */
export const ONLY_NODE = "main";

/** What a process of a role is called where people read it, and where it claims something for itself. */
export const processName = (role: string, node: string): string => (node === ONLY_NODE ? role : `${role} on ${node}`);
