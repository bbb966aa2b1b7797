import type { IncidentDetail } from "@halvik/contract/incidents";
import { ordinal } from "@halvik/core/base/text";
import { Link } from "react-router";
import { useViewStore, usOf } from "../../data/view-store";
import { NamedText } from "../../shared/address-names";
import { HOW_ENDED } from "../../shared/how-ended";
import { TechniquesField } from "../../shared/techniques-field";
import { Notes } from "../../ui/markdown";
import { Facts, Heading } from "../../ui/page";
import { safeText } from "../../ui/safe-text";
import { day, dayClock } from "../../ui/time";
import { Acts } from "./acts";
import { Deliveries } from "./deliveries";
import { MoreActs } from "./more-acts";
import { Similar } from "./similar";
import { Tasks } from "./tasks";

interface IncidentMarginProps {
  readonly detail: IncidentDetail;
  /** @returns whether it was done; what was refused is said */
  readonly act: (what: string, body: object, method?: "POST" | "PATCH") => Promise<boolean>;
}

/** Facts, what to do, notes and history. */
export function IncidentMargin({ detail, act }: IncidentMarginProps) {
  const zone = useViewStore((s) => s.zone);
  const { incident: i, history } = detail;
  return (
    <>
      <Acts
        // what was begun for one incident is not done to another
        key={i.id}
        ids={[i.id]}
        main={i.acknowledged === null && i.needsAttention ? "acknowledge" : null}
        without={i.state === "closed" ? ["close"] : []}
      >
        <MoreActs detail={detail} act={act} />
      </Acts>
      <div className="mt-3">
        <TechniquesField
          techniques={i.addedTechniques}
          fixed={i.techniques.filter((t) => !i.addedTechniques.includes(t))}
          mayWrite
          onChange={(techniques) => void act("techniques", { techniques })}
        />
        <Facts
          facts={[
            [
              "state",
              i.state === "closed"
                ? `closed as ${i.closeReason}`
                : `${i.stopped ? "stopped, not judged" : i.state}, ${i.acknowledged ? "acknowledged" : "not acknowledged"}`,
            ],
            ["severity", i.severity],
            [
              "urgency",
              i.urgency.parts.length < 2
                ? i.urgency.score
                : `${i.urgency.score}: ${i.urgency.parts.map(([why, points]) => `${why} ${points}`).join(", ")}`,
            ],
            ["quiet since", i.ended === null ? dayClock(usOf(i.last), zone) : null],
            ["site", i.sites.join(", ")],
            ["tags", i.tags.join(", ")],
            ["assigned to", i.assignedTo],
            [
              "shelved",
              i.shelved &&
                `until ${dayClock(usOf(i.shelved.until), zone)} by ${i.shelved.by}${i.shelved.why && `: ${i.shelved.why}`}`,
            ],
            [
              "merged into",
              i.mergedInto === null ? null : <Link to={`/incidents/${i.mergedInto}`}>incident {i.mergedInto}</Link>,
            ],
            [
              "acknowledged by",
              i.acknowledged ? `${i.acknowledged.by}, ${dayClock(usOf(i.acknowledged.at), zone)}` : null,
            ],
            ["clears", detail.rules[0]?.clears ?? ""],
            ["returned", i.returned > 0 ? (i.returned === 1 ? "once" : `${i.returned} times`) : null],
            ["again", detail.again && <Again key="again" again={detail.again} />],
            [
              "explained by",
              i.explainedBy && (
                <>
                  <Link to={`/incidents/${i.explainedBy.id}`}>incident {i.explainedBy.id}</Link>:{" "}
                  {safeText(i.explainedBy.why)}
                  {i.folded ? "; that one stands for it" : "; it outlasts that one"}
                </>
              ),
            ],
            [
              "linked to",
              i.linkedTo === null ? null : <Link to={`/incidents/${i.linkedTo}`}>incident {i.linkedTo}</Link>,
            ],
            ["number", i.id],
          ]}
        />
      </div>
      <Heading>What it is about</Heading>
      <Facts
        facts={[...new Set(i.entities.map((e) => e.field))].map((field) => [
          field,
          <NamedText key={field}>
            {i.entities
              .filter((e) => e.field === field)
              .map((e) => e.value)
              .join(", ")}
          </NamedText>,
        ])}
      />
      <Consequences of={detail.consequences} />
      <Tasks
        tasks={detail.tasks}
        onAdd={(text) => act("tasks", { text })}
        onDone={(task, done) => void act(`tasks/${task}`, { done }, "PATCH")}
      />
      <Similar similar={detail.similar} />
      <Deliveries incident={detail.incident.id} />
      <Heading>History</Heading>
      <ol className="text-ui leading-5">
        {history.map((h, n) => (
          <li key={n} className="mb-1 text-quiet">
            <time className="font-mono text-small">{dayClock(usOf(h.at), zone)}</time>{" "}
            <span className="text-ink">{h.what}</span> · {h.who}
            {h.detail && (
              <div className="border-l-2 border-line-strong pl-2 text-ink">
                {h.code === "note" ? <Notes text={h.detail} /> : safeText(h.detail)}
              </div>
            )}
          </li>
        ))}
      </ol>
      {detail.moreHistory > 0 && (
        <p className="text-ui text-quiet">
          {detail.moreHistory.toLocaleString("en")} older {detail.moreHistory === 1 ? "line is" : "lines are"} not shown
          here; an export has them.
        </p>
      )}
    </>
  );
}

/** The how manieth time this is, and how the earlier ones ended. */
function Again({ again }: { again: NonNullable<IncidentDetail["again"]> }) {
  const zone = useViewStore((s) => s.zone);
  return (
    <>
      the {ordinal(again.nth)} since {day(usOf(again.since), zone)}; before:{" "}
      {again.ended.map(({ how, times }) => `${times} ${HOW_ENDED[how]}`).join(", ")}
    </>
  );
}

/** What it explains: folded under it, each with how it stands. */
function Consequences({ of }: { of: IncidentDetail["consequences"] }) {
  const zone = useViewStore((s) => s.zone);
  if (of.length === 0) return null;
  const lasting = of.filter((c) => c.state === "open").length;
  return (
    <>
      <Heading
        small={`${of.length}, ${lasting === 0 ? "none lasts" : `${lasting} ${lasting === 1 ? "lasts" : "last"}`}`}
      >
        What it explains
      </Heading>
      <ul className="text-ui leading-5">
        {of.map((c) => (
          <li key={c.id} className="mb-1">
            <time className="font-mono text-small text-quiet">{dayClock(usOf(c.first), zone)}</time>{" "}
            <Link to={`/incidents/${c.id}`}>
              <NamedText>{c.title}</NamedText>
            </Link>{" "}
            <span className="text-quiet">{c.state === "open" ? "lasts" : c.state}</span>
          </li>
        ))}
      </ul>
    </>
  );
}
