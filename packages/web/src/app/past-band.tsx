import { useLocation } from "react-router";
import { useView } from "../data/view-store";
import { Kbd, TextButton } from "../ui/button";
import { day, dayMinute, minute } from "../ui/time";

/** Says on every page that the window stands in the past, and leads back to now. */
export function PastBand() {
  const { window, zone, setWindow } = useView("window", "zone", "setWindow");
  const { pathname } = useLocation();
  if (window.endUs === null) return null;
  const fromUs = window.endUs - window.spanUs;
  const to = day(fromUs, zone) === day(window.endUs, zone) ? minute(window.endUs, zone) : dayMinute(window.endUs, zone);
  return (
    <p role="status" className="flex shrink-0 items-baseline gap-2 border-b border-line bg-wash px-4 py-0.5 text-ui">
      <span>
        {dayMinute(fromUs, zone)} – {to}
      </span>
      {pathname === "/now" && (
        <span className="text-quiet">Now always shows the present; other pages show that time.</span>
      )}
      <TextButton className="underline" onClick={() => setWindow({ spanUs: window.spanUs, endUs: null })}>
        back to now
      </TextButton>
      <Kbd>.</Kbd>
    </p>
  );
}
