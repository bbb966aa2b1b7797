import { exportUrl, type WindowParts } from "../../data/api";
import { TextButton } from "../../ui/button";
import { Menu, MenuLabel, MenuLink } from "../../ui/menu";

const FORMATS = [
  ["csv", "CSV, one row a record"],
  ["jsonl", "JSON lines, every field"],
  ["raw", "Raw lines, as they came"],
  ["pcap", "Packet capture of the datagrams"],
] as const;

/** The whole answer as a file: an archive with the records and a manifest that proves them. */
export function ExportMenu({ window, filter, zone }: { window: WindowParts; filter: string; zone: string }) {
  return (
    <Menu className="w-72" trigger={<TextButton>export</TextButton>}>
      <MenuLabel>Everything that matches, with a manifest: filter, window, counts, SHA-256</MenuLabel>
      {FORMATS.map(([format, about]) => (
        <MenuLink key={format} href={exportUrl({ from: window.from, to: window.to }, filter, zone, format)} download>
          {about}
        </MenuLink>
      ))}
    </Menu>
  );
}
