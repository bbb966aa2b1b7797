import { useViewStore } from "../data/view-store";
import { ago } from "../ui/time";

/** How long ago something was: it goes on with the clock by itself, and what it stands in is drawn anew for that no more. */
export const Ago = ({ us }: { readonly us: number }) => useViewStore((s) => ago(us, s.nowUs));
