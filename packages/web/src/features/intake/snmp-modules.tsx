import type { MibList } from "@halvik/contract/kinds";
import { useState } from "react";
import { Link } from "react-router";
import { TextButton } from "../../ui/button";
import { Heading } from "../../ui/page";
import { safeText } from "../../ui/safe-text";
import { DeleteButton } from "../../ui/twice-button";
import type { Act } from "./act";

/** Modules that name SNMP's object identifiers, what they lack, and identifiers nobody has named. */
export function SnmpModules({ list, act }: { list: MibList; act: Act }) {
  const [trouble, setTrouble] = useState<string | null>(null);
  const [all, setAll] = useState(false);
  const shown = all ? list.modules : list.modules.filter((m) => !m.shipped || m.problems.length > 0);
  const shipped = list.modules.filter((m) => m.shipped).length;
  const add = async (files: readonly File[]) => {
    const troubles: string[] = [];
    setTrouble(null);
    for (const file of files) {
      try {
        await act("POST", "/mibs", { source: await file.text() });
      } catch (e) {
        troubles.push(`${file.name}: ${(e as Error).message}`);
      }
    }
    if (troubles.length > 0) setTrouble(troubles.join("; "));
  };
  return (
    <>
      <Heading
        small={
          <>
            {shipped} standard ones come with Halvik{" "}
            <TextButton className="ml-1 underline" onClick={() => setAll(!all)}>
              {all ? "hide them" : "list them"}
            </TextButton>
          </>
        }
      >
        SNMP modules
      </Heading>
      {shown.map((m) => (
        <div
          key={m.name}
          className="grid grid-cols-[13.75rem_1fr_auto] max-slim:grid-cols-1 gap-3 border-t border-line py-[3px] text-ui"
        >
          <b className="font-mono text-code font-semibold">{safeText(m.name)}</b>
          <span className="text-quiet">
            {m.shipped ? "standard" : `added by ${m.addedBy}`}
            {m.problems.slice(0, 5).map((p) => (
              <span key={`${p.line} ${p.column}`} className="block text-ochre">
                line {p.line}, column {p.column}: {safeText(p.message)}
              </span>
            ))}
          </span>
          {!m.shipped && (
            <DeleteButton
              inText
              className="underline"
              about={`the module ${m.name}`}
              onDelete={() => void act("DELETE", `/mibs/${encodeURIComponent(m.name)}`)}
            />
          )}
        </div>
      ))}
      <div className="flex items-center gap-3 border-t border-line py-1.5 text-ui">
        <label className="cursor-pointer rounded-xs border border-line-strong bg-sheet px-2.5 py-0.5 focus-within:outline-2 hover:bg-wash">
          Add modules
          <input
            type="file"
            multiple
            className="sr-only"
            accept=".mib,.txt,.my"
            onChange={(e) => {
              // emptying the field empties its list as well, while the first is still read
              void add([...(e.target.files ?? [])]);
              e.target.value = "";
            }}
          />
        </label>
        {trouble && (
          <span role="alert" className="text-vermilion">
            {safeText(trouble)}
          </span>
        )}
      </div>
      <Heading small={list.unnamed.length === 0 ? "none" : "the maker’s module names them"}>
        Unnamed identifiers
      </Heading>
      {list.unnamed.map((u) => (
        <p
          key={u.oid}
          className="grid grid-cols-[18.75rem_5.625rem_1fr_auto] max-slim:grid-cols-1 gap-3 border-t border-line py-[3px] text-ui"
        >
          <span className="truncate font-mono text-code">{u.oid}</span>
          <span className="text-right text-quiet tabular-nums">{u.count.toLocaleString("en")} times</span>
          <span className="text-quiet">last from {safeText(u.sender)}</span>
          <Link
            to={`/records?${new URLSearchParams({ filter: `kind is snmp and (event is "${u.oid}" or text has "${u.oid}")` })}`}
          >
            its records
          </Link>
        </p>
      ))}
    </>
  );
}
