import type { TileShows } from "@halvik/core/board";
import { NEW_PARTS } from "../../shared/parts/part-words";

/** What can be put on a board, as it begins. */
export const NEW_TILES: readonly { readonly label: string; readonly shows: TileShows }[] = [
  ...NEW_PARTS.map(({ label, part }) => ({ label, shows: part as TileShows })),
  { label: "What needs somebody", shows: { is: "needs somebody", title: "Needs somebody", most: 8 } },
  { label: "Silent senders", shows: { is: "silent senders", title: "Silent", most: 8 } },
  { label: "Limits by nearness", shows: { is: "limits", title: "Nearest their limit", most: 8 } },
  { label: "Fullest links", shows: { is: "fullest links", title: "Fullest links", most: 8 } },
  { label: "Last night against usual", shows: { is: "last night", title: "Last night" } },
  { label: "Sites", shows: { is: "sites", title: "Sites" } },
  { label: "Incidents a day", shows: { is: "incidents a day", title: "Incidents a day" } },
  { label: "Alarm load", shows: { is: "alarm load", title: "Alarm load" } },
  { label: "Lost, refused, late", shows: { is: "intake", title: "Lost, refused, late" } },
  { label: "A clock", shows: { is: "clock", title: "Now", zone: "" } },
];
