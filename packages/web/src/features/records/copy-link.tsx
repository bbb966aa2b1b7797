import { toast } from "sonner";
import { addressOf } from "../../data/window-url";
import { TextButton } from "../../ui/button";
import { dayMinute } from "../../ui/time";

/** Puts a link to just this into the clipboard: with this time as it is now, also where the window follows the clock. */
export function CopyLink({ fromUs, toUs, zone }: { fromUs: number; toUs: number; zone: string }) {
  const copy = async () => {
    const params = new URLSearchParams(location.search);
    for (const [name, value] of Object.entries(addressOf({ spanUs: toUs - fromUs, endUs: toUs })))
      if (value === null) params.delete(name);
      else params.set(name, value);
    try {
      await navigator.clipboard.writeText(`${location.origin}${location.pathname}?${params}`);
      toast(`Link copied. It shows ${dayMinute(fromUs, zone)} – ${dayMinute(toUs, zone)}.`);
    } catch {
      toast.error("The browser does not let the clipboard be written here; copy the address instead.");
    }
  };
  return <TextButton onClick={() => void copy()}>copy link</TextButton>;
}
