import { bytesText } from "@halvik/core/meaning/sentence";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { exportStateQuery, exportUrl, type WindowParts } from "../../data/api";
import { Button, TextButton } from "../../ui/button";
import { Checkbox } from "../../ui/checkbox";
import { Popover } from "../../ui/popover";
import { Radio } from "../../ui/radio";

const FORMATS = [
  { value: "csv", label: "CSV, one row a record" },
  { value: "jsonl", label: "JSON lines, every field" },
  { value: "raw", label: "raw lines, as they came" },
  { value: "pcap", label: "packet capture of the datagrams" },
] as const;

interface ExportMenuProps {
  readonly window: WindowParts;
  readonly filter: string;
  readonly zone: string;
  /** Records that match, where that is known. */
  readonly total: number | null;
}

/** The whole answer as a file; with a manifest that proves it, inside an archive or beside it. */
export function ExportMenu({ window, filter, zone, total }: ExportMenuProps) {
  const [format, setFormat] = useState<string>("csv");
  const [archive, setArchive] = useState(false);
  const [id, setId] = useState<string | null>(null);
  const begin = () => {
    const next = newId();
    const link = document.createElement("a");
    link.href = exportUrl(window, filter, zone, { format, as: archive ? "archive" : "file", id: next });
    link.download = "";
    link.click();
    setId(next);
  };
  return (
    <Popover label="Export" trigger={<TextButton>export</TextButton>}>
      <p className="mb-1.5 text-quiet">
        Everything that matches{total === null ? "" : `: ${total.toLocaleString("en")} records`}
      </p>
      <Radio label="Format" value={format} onChange={setFormat} options={FORMATS} />
      <Checkbox checked={archive} onChange={setArchive} className="mt-1.5">
        in a ZIP archive, with the manifest
      </Checkbox>
      <div className="mt-2">
        <Button main onClick={begin}>
          Export
        </Button>
      </div>
      {id !== null && <Progress id={id} total={total} />}
    </Popover>
  );
}

function Progress({ id, total }: { id: string; total: number | null }) {
  const { data, error } = useQuery(exportStateQuery(id));
  if (error)
    return (
      <p role="alert" className="mt-2 text-ui text-vermilion">
        {error.message}
      </p>
    );
  if (!data) return <p className="mt-2 text-ui text-quiet">beginning …</p>;
  const { state, records, bytes, manifest } = data;
  const count = `${records.toLocaleString("en")}${state === "running" && total !== null ? ` of ${total.toLocaleString("en")}` : ""} records, ${bytesText(bytes)}`;
  return (
    <div className="mt-2 border-t border-line pt-1.5 text-ui" aria-live="polite" data-testid="export-progress">
      {state === "running" && <p className="text-quiet">exporting: {count}</p>}
      {state === "broken" && (
        <p role="alert" className="text-vermilion">
          The export broke off after {count}. Export again.
        </p>
      )}
      {manifest !== null && (
        <>
          <p>
            done: {count}
            {manifest.leftOut !== undefined && (
              <span className="block text-ochre">
                {manifest.leftOut.toLocaleString("en")} left out: {manifest.whyLeftOut}
              </span>
            )}
          </p>
          <p className="font-mono text-small break-all text-quiet">SHA-256 {manifest.files[0]!.sha256}</p>
          <TextButton
            onClick={() => save(`${manifest.files[0]!.name}.manifest.json`, `${JSON.stringify(manifest, null, 2)}\n`)}
          >
            save the manifest
          </TextButton>
        </>
      )}
    </div>
  );
}

const newId = (): string =>
  [...crypto.getRandomValues(new Uint8Array(8))].map((b) => b.toString(16).padStart(2, "0")).join("");

function save(name: string, text: string): void {
  const url = URL.createObjectURL(new Blob([text], { type: "application/json" }));
  const link = document.createElement("a");
  link.href = url;
  link.download = name;
  link.click();
  URL.revokeObjectURL(url);
}
