import type { RecordJson } from "@halvik/contract/records";
import { conditionsFrom } from "@halvik/core/detect/form";
import { useNavigate } from "react-router";
import { TextButton } from "../../ui/button";
import { Menu, MenuItem, MenuLabel } from "../../ui/menu";
import { safeText } from "../../ui/safe-text";

/** Begins a rule that raises on records like one, by what it shares with them. */
export function RaiseOnThis({ record }: { record: RecordJson }) {
  const navigate = useNavigate();
  const suggested = conditionsFrom({ ...record, policy: record.data?.find(([name]) => name === "policy")?.[1] });
  if (suggested.length === 0) return null;
  return (
    <Menu align="start" trigger={<TextButton>raise on this</TextButton>} className="w-96">
      <MenuLabel>A new rule that raises on</MenuLabel>
      {suggested.map((s) => (
        <MenuItem
          key={s.filter}
          onSelect={() =>
            navigate(`/rules/new?${new URLSearchParams({ filter: s.filter, name: nameFor(record) }).toString()}`)
          }
        >
          <span>
            <span className="font-mono text-code break-words">{safeText(s.filter)}</span>
            <span className="block text-small text-quiet">{s.about}</span>
          </span>
        </MenuItem>
      ))}
    </Menu>
  );
}

/** What it is about in a few words; the person has the last. */
const nameFor = (r: RecordJson): string =>
  r.eventName ??
  (r.category === "other"
    ? `Like ${r.app ?? r.kind}`
    : r.outcome === "unknown"
      ? r.category
      : `${r.category}: ${r.outcome}`);
