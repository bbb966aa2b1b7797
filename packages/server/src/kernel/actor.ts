/** Who acts: a person in a session, a token, or a screen on the wall in the name of whoever put it there. */
export interface Actor {
  readonly name: string;
  readonly may: "read" | "act";
  /** A screen on the wall: it may ask for these boards and nothing else. */
  readonly wall?: WallScreen;
}

export interface WallScreen {
  readonly id: number;
  readonly name: string;
  readonly boards: readonly number[];
  readonly turnSeconds: number;
  readonly theme: "light" | "night";
  readonly zone: string;
}

/** Who it was where no person did it: in histories, and of rules as they ship. Nobody's account is called so, in any spelling. */
export const ITSELF = "Halvik";
