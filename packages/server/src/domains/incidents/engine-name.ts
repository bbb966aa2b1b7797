/** Who it was, in the history of an incident, where no person did it. */
export const ENGINE = "Halvik";
