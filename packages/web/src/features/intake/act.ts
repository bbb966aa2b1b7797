/** Asks for a change and takes the new list. */
export type Act = (method: string, path: string, body?: object) => Promise<unknown>;
