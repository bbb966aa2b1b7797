import { DropdownMenu } from "radix-ui";
import { exportUrl, type WindowParts } from "../../data/api";

const FORMATS = [
  ["csv", "CSV, one row a record"],
  ["jsonl", "JSON lines, every field"],
  ["raw", "Raw lines, as they came"],
  ["pcap", "Packet capture of the datagrams"],
] as const;

/** The whole answer as a file: an archive with the records and a manifest that proves them. */
export function ExportMenu({ window, filter, zone }: { window: WindowParts; filter: string; zone: string }) {
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger className="text-fjord">export</DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content
          align="end"
          className="z-20 w-72 rounded-[2px] border border-line-strong bg-sheet py-1 text-[13px] shadow-lg"
        >
          <DropdownMenu.Label className="px-3 py-1 text-[12px] text-quiet">
            Everything that matches, with a manifest: filter, window, counts, SHA-256
          </DropdownMenu.Label>
          {FORMATS.map(([format, about]) => (
            <DropdownMenu.Item key={format} asChild className="block cursor-pointer px-3 py-1 data-highlighted:bg-wash">
              <a href={exportUrl({ from: window.from, to: window.to }, filter, zone, format)} download>
                {about}
              </a>
            </DropdownMenu.Item>
          ))}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}
