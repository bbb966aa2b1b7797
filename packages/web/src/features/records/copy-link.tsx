import { addressOf } from "../../data/window-url";
import { TextButton } from "../../ui/button";
import { copyText } from "../../ui/copy-text";
import { dayMinute } from "../../ui/time";

/** Puts a link to just this into the clipboard: with this time as it is now, also where the window follows the clock. */
export function CopyLink({ fromUs, toUs, zone }: { fromUs: number; toUs: number; zone: string }) {
  const copy = async () => {
    const params = new URLSearchParams(location.search);
    for (const [name, value] of Object.entries(addressOf({ spanUs: toUs - fromUs, endUs: toUs })))
      if (value === null) params.delete(name);
      else params.set(name, value);
    await copyText(
      `${location.origin}${location.pathname}?${params}`,
      `Link copied. It shows ${dayMinute(fromUs, zone)} – ${dayMinute(toUs, zone)}.`,
    );
  };
  return <TextButton onClick={() => void copy()}>copy link</TextButton>;
}
