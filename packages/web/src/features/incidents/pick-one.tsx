import type { IncidentDetail } from "@halvik/contract/incidents";
import { useQuery } from "@tanstack/react-query";
import type { ReactNode } from "react";
import { incidentsQuery } from "../../data/api";
import { useViewStore, usOf } from "../../data/view-store";
import { safeText } from "../../ui/safe-text";
import { dayClock } from "../../ui/time";

const ENTITIES_MOST = 20;

/** Another incident, to merge into or link to. */
export function Another({ id, about, onPick }: { id: number; about: string; onPick: (other: number) => void }) {
  const others = useQuery(incidentsQuery("all", {}));
  const shown = others.data?.incidents.filter((i) => i.id !== id && i.state !== "closed") ?? [];
  return (
    <Choices about={about}>
      {shown.map((i) => (
        <Choice key={i.id} onPick={() => onPick(i.id)} small={i.id}>
          {safeText(i.title)}
        </Choice>
      ))}
      {others.data && shown.length === 0 && (
        <li className="text-quiet">There is no other incident that is not closed.</li>
      )}
    </Choices>
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
    <Choices about="It becomes an incident of its own, linked to this one.">
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

const Choices = ({ about, children }: { about: string; children: ReactNode }) => (
  <>
    <p className="mb-2 text-quiet">{about}</p>
    <ul className="max-h-80 overflow-y-auto">{children}</ul>
  </>
);

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
