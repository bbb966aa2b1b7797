import type { Pinnable } from "@halvik/core/papers";
import { pageChoices } from "./page-choices";

/** What can be pinned to an investigation, and what it is called where there are several. */
export interface PinChoice {
  readonly label: string;
  readonly pin: Pinnable;
}

/** From any page to an investigation. */
export const { useStore: usePinning, useChoices: usePinChoices, useDoing: useBeingPinned } = pageChoices<PinChoice>();
