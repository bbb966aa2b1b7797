import type { MeasureList } from "@halvik/contract/reports";
import type { AnyMeasure } from "@halvik/core/query/measure";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { request } from "../../data/api";
import { measuresQuery } from "../../data/report-queries";
import { Button, TextButton } from "../../ui/button";
import { Dialog } from "../../ui/dialog";
import { Field, Input } from "../../ui/field";
import { Menu, MenuItem, MenuSeparator } from "../../ui/menu";
import { safeText } from "../../ui/safe-text";

interface KeptMeasuresProps {
  readonly measure: AnyMeasure;
  readonly onPick: (measure: AnyMeasure) => void;
}

/** Measures that are kept by name: to begin with one, to keep this one, to forget one. */
export function KeptMeasures({ measure, onPick }: KeptMeasuresProps) {
  const client = useQueryClient();
  const kept = useQuery(measuresQuery).data?.measures ?? [];
  const [keeping, setKeeping] = useState(false);
  const [name, setName] = useState("");
  const take = (list: MeasureList) => client.setQueryData(measuresQuery.queryKey, list);
  const keep = useMutation({
    mutationFn: () => request<MeasureList>("POST", "/measures", { name, measure }),
    onSuccess: (list) => {
      take(list);
      setKeeping(false);
    },
  });
  const forget = useMutation({
    mutationFn: (id: number) => request<MeasureList>("DELETE", `/measures/${id}`),
    onSuccess: take,
  });
  return (
    <p className="mb-2 text-small">
      <Menu align="start" keepsFocus trigger={<TextButton>kept measures</TextButton>}>
        {kept.map((m) => (
          <MenuItem key={m.id} onSelect={() => onPick(m.measure)}>
            {safeText(m.name)} <span className="text-small text-quiet">{safeText(m.says)}</span>
          </MenuItem>
        ))}
        {kept.length > 0 && <MenuSeparator />}
        <MenuItem onSelect={() => setKeeping(true)}>Keep this one …</MenuItem>
        {kept.map((m) => (
          <MenuItem key={m.id} onSelect={() => forget.mutate(m.id)}>
            <span className="text-quiet">Forget {safeText(m.name)}</span>
          </MenuItem>
        ))}
      </Menu>
      {keeping && (
        <Dialog
          open
          onOpenChange={setKeeping}
          title="Keep this measure"
          about="A copy of it begins other parts of reports, and tiles."
        >
          <Field label="Name" error={keep.error?.message}>
            {(id) => <Input id={id} maxLength={80} value={name} onChange={(e) => setName(e.target.value)} />}
          </Field>
          <Button main disabled={name.trim() === "" || keep.isPending} onClick={() => keep.mutate()}>
            Keep it
          </Button>
        </Dialog>
      )}
    </p>
  );
}
