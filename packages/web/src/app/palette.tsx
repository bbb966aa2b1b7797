import { canonicalAddress, parseNetwork } from "@halvik/core/base/net";
import { quoteIfNeeded } from "@halvik/core/query/filter";
import { useQuery } from "@tanstack/react-query";
import { Command } from "cmdk";
import { useState } from "react";
import { useNavigate } from "react-router";
import { incidentsQuery } from "../data/api";
import { sendersQuery } from "../data/intake-queries";
import { presentUs, useView } from "../data/view-store";
import { SECTIONS } from "../navigation/sections";
import { OF_PAGE } from "../shared/page-choices";
import { usePinning } from "../shared/pinning";
import { usePutOnBoard } from "../shared/put-on-board";
import { PRESETS } from "../shared/time-presets";

/** Go to, open by id, pivot on a pasted address, theme. */
export function Palette({ open, onOpenChange }: { open: boolean; onOpenChange: (open: boolean) => void }) {
  const navigate = useNavigate();
  const [text, setText] = useState("");
  const { theme, setTheme, setWindow, setChoosingTime, zone } = useView(
    "theme",
    "setTheme",
    "setWindow",
    "setChoosingTime",
    "zone",
  );
  const { ofPage, begin } = usePutOnBoard();
  const pins = usePinning();
  const senders = useQuery({ ...sendersQuery, enabled: open });
  const incidents = useQuery({ ...incidentsQuery("open", {}), enabled: open });
  const pasted = text.trim();
  const address = canonicalAddress(pasted) ?? (pasted.includes("/") && parseNetwork(pasted) ? pasted : null);
  const act = (work: () => void) => () => {
    onOpenChange(false);
    setText("");
    work();
  };
  const records = (filter: string) => navigate({ pathname: "/records", search: `?${new URLSearchParams({ filter })}` });
  const item = "flex cursor-pointer gap-3 px-4 py-1.5 data-[selected=true]:bg-fjord-wash";
  return (
    <Command.Dialog
      open={open}
      onOpenChange={onOpenChange}
      label="Command palette"
      overlayClassName="fixed inset-0 z-20 bg-ink/20"
      contentClassName="fixed top-24 left-1/2 z-30 w-[35rem] -translate-x-1/2 rounded-xs border border-line-strong bg-sheet shadow-lg"
    >
      <Command.Input
        value={text}
        onValueChange={setText}
        placeholder="Go to, or paste an address or a record id"
        className="w-full border-b border-line-strong bg-transparent px-4 py-2.5 outline-none"
      />
      <Command.List className="max-h-[380px] overflow-y-auto py-1">
        <Command.Empty className="px-4 py-3 text-quiet">No match.</Command.Empty>
        {address !== null && (
          <Command.Item
            className={item}
            value={`${pasted} address`}
            onSelect={act(() => records(`address ${address.includes("/") ? "within" : "is"} ${address}`))}
          >
            Records that name {address}
          </Command.Item>
        )}
        {/^\d{16,19}$/.test(pasted) && (
          <Command.Item
            className={item}
            value={`${pasted} record`}
            onSelect={act(() => navigate(`/records?record=${pasted}`))}
          >
            Open record {pasted}
          </Command.Item>
        )}
        {SECTIONS.map((s) => (
          <Command.Item key={s.path} className={item} value={`go to ${s.name}`} onSelect={act(() => navigate(s.path))}>
            Go to {s.name} <span className="ml-auto font-mono text-small text-quiet">g {s.key}</span>
          </Command.Item>
        ))}
        <Command.Item className={item} value="go to notifications mail" onSelect={act(() => navigate("/notify"))}>
          Go to Notifications
        </Command.Item>
        <Command.Item className={item} value="go to boards wall" onSelect={act(() => navigate("/reports/boards"))}>
          Go to Boards
        </Command.Item>
        <Command.Item className={item} value="go to limits" onSelect={act(() => navigate("/reports/limits"))}>
          Go to Limits
        </Command.Item>
        {ofPage.length > 0 && (
          <Command.Item className={item} value="put on a board tile" onSelect={act(() => begin(OF_PAGE))}>
            Put on a board …
          </Command.Item>
        )}
        {pins.ofPage.length > 0 && (
          <Command.Item className={item} value="pin investigation" onSelect={act(() => pins.begin(OF_PAGE))}>
            Pin to an investigation … <span className="ml-auto font-mono text-small text-quiet">p</span>
          </Command.Item>
        )}
        <Command.Item className={item} value="go to lists" onSelect={act(() => navigate("/lists"))}>
          Go to Lists
        </Command.Item>
        <Command.Item className={item} value="go to alarm load" onSelect={act(() => navigate("/load"))}>
          Go to Alarm load
        </Command.Item>
        <Command.Item className={item} value="time window choose" onSelect={act(() => setChoosingTime(true))}>
          Choose the time … <span className="ml-auto font-mono text-small text-quiet">t</span>
        </Command.Item>
        {PRESETS.map((p) => (
          <Command.Item
            key={p.name}
            className={item}
            value={`time window last ${p.name}`}
            onSelect={act(() => setWindow(p.window(presentUs(), zone)))}
          >
            Time: {p.name}
          </Command.Item>
        ))}
        {(incidents.data?.incidents ?? []).map((i) => (
          <Command.Item
            key={i.id}
            className={item}
            value={`incident ${i.title} ${i.id}`}
            onSelect={act(() => navigate(`/incidents/${i.id}`))}
          >
            {i.title} <span className="ml-auto text-quiet">incident</span>
          </Command.Item>
        ))}
        {(senders.data?.senders ?? []).map((s) => (
          <Command.Item
            key={s.id}
            className={item}
            value={`sender ${s.name} ${s.addresses.join(" ")}`}
            onSelect={act(() => records(`sender is ${quoteIfNeeded(s.name)}`))}
          >
            Records of {s.name} <span className="ml-auto text-quiet">{s.site}</span>
          </Command.Item>
        ))}
        <Command.Item
          className={item}
          value="theme light night"
          onSelect={act(() => setTheme(theme === "night" ? "light" : "night"))}
        >
          {theme === "night" ? "Light theme" : "Night theme"}
        </Command.Item>
      </Command.List>
    </Command.Dialog>
  );
}
