/** Who acts: a person in a session or a token. */
export interface Actor {
  readonly name: string;
  readonly may: "read" | "act";
}
