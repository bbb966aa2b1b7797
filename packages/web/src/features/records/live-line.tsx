import { TextButton } from "../../ui/button";
import type { useLive } from "./use-records";

/** How following stands: whether it does, what waits above the line that is read, what was too much to list. */
export function LiveLine({ lines, onTop }: { readonly lines: ReturnType<typeof useLive>; readonly onTop: () => void }) {
  return (
    <>
      <span>{lines.connected ? "live: records as they are stored" : "live: connecting …"}</span>
      {lines.waiting > 0 && (
        <TextButton
          className="underline"
          onClick={() => {
            document.querySelector('[aria-label="Records"][role="list"]')?.scrollTo({ top: 0 });
            lines.catchUp();
            onTop();
          }}
        >
          {lines.waiting.toLocaleString("en")} newer
        </TextButton>
      )}
      {lines.notShown > 0 && (
        <b className="font-semibold text-ochre">{lines.notShown.toLocaleString("en")} more came than are listed</b>
      )}
    </>
  );
}
