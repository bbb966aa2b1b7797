import type { IncidentDetail } from "@halvik/contract/incidents";
import { useQuery } from "@tanstack/react-query";
import { type ReactNode, useState } from "react";
import { incidentsQuery } from "../../data/api";
import { useViewStore, usOf } from "../../data/view-store";
import { Input } from "../../ui/field";
import { safeText } from "../../ui/safe-text";
import { dayClock } from "../../ui/time";

const ENTITIES_MOST = 20;

/** Another incident, to merge into or link to: found among those that are not closed by words of its title, or by its number. */
export function Another({ id, about, onPick }: { id: number; about: string; onPick: (other: number) => void }) {
  const [wanted, setWanted] = useState("");
  const { data } = useQuery(incidentsQuery("all", {}));
  const others = data?.incidents.filter((i) => i.id !== id && i.state !== "closed") ?? [];
  const words = wanted.toLowerCase().split(/\s+/).filter(Boolean);
  const shown = others.filter((i) => words.every((w) => `${i.id} ${i.title}`.toLowerCase().includes(w)));
  const number = /^\s*#?(\d{1,9})\s*$/.exec(wanted)?.[1];
  return (
    <>
      <p className="mb-2 text-quiet">{about}</p>
      <Input
        aria-label="Which incident"
        placeholder="words of its title, or its number"
        value={wanted}
        onChange={(e) => setWanted(e.target.value)}
      />
      <Choices>
        {shown.map((i) => (
          <Choice key={i.id} onPick={() => onPick(i.id)} small={i.id}>
            {safeText(i.title)}
          </Choice>
        ))}
        {/* older than what is listed */}
        {number !== undefined && Number(number) !== id && !shown.some((i) => i.id === Number(number)) && (
          <Choice onPick={() => onPick(Number(number))} small={Number(number)}>
            the one of this number
          </Choice>
        )}
        {data && others.length === 0 && <li className="text-quiet">There is no other incident that is not closed.</li>}
        {others.length > 0 && shown.length === 0 && number === undefined && (
          <li className="text-quiet">None of those that are not closed is called so.</li>
        )}
      </Choices>
    </>
  );
}

/** What is taken out of an incident: a finding, or all findings that name something. */
export function Split({
  detail: { findings, rules },
  onPick,
}: {
  detail: IncidentDetail;
  onPick: (what: object) => void;
}) {
  const zone = useViewStore((s) => s.zone);
  const key = (e: { field: string; value: string }) => `${e.field} ${e.value}`;
  const named = new Map(findings.flatMap((f) => f.entities).map((e) => [key(e), e]));
  const shared = [...named.values()]
    .map((entity) => ({ entity, n: findings.filter((f) => f.entities.some((e) => key(e) === key(entity))).length }))
    // what all of them name would take everything out
    .filter(({ n }) => n > 1 && n < findings.length)
    .slice(0, ENTITIES_MOST);
  return (
    <Choices>
      <li className="mb-2 text-quiet">It becomes an incident of its own, linked to this one.</li>
      {findings.map((f) => (
        <Choice key={f.id} onPick={() => onPick({ finding: f.id })} small={dayClock(usOf(f.first), zone)}>
          {safeText(rules.find((r) => r.id === f.rule)?.name ?? f.rule)} ({f.count.toLocaleString("en")})
        </Choice>
      ))}
      {shared.map(({ entity, n }) => (
        <Choice key={key(entity)} onPick={() => onPick({ entity })} small={`${n} findings`}>
          all that name {entity.field} <code className="font-mono">{safeText(entity.value)}</code>
        </Choice>
      ))}
    </Choices>
  );
}

const Choices = ({ children }: { children: ReactNode }) => <ul className="max-h-80 overflow-y-auto">{children}</ul>;

const Choice = ({ onPick, small, children }: { onPick: () => void; small: ReactNode; children: ReactNode }) => (
  <li>
    <button
      type="button"
      className="flex w-full justify-between gap-4 border-b border-line py-1 text-left hover:bg-wash"
      onClick={onPick}
    >
      <span>{children}</span>
      <span className="font-mono text-small whitespace-nowrap text-quiet">{small}</span>
    </button>
  </li>
);
