import type { BlindMap } from "@halvik/contract/rules";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { blindMapQuery } from "../../data/api";
import { Trouble } from "../../ui/empty-state";
import { Page, Scroller } from "../../ui/page";
import { safeText } from "../../ui/safe-text";
import { Segments } from "../../ui/segments";

type Technique = BlindMap["techniques"][number];
type RuleOf = Technique["rules"][number];

const STATES: Readonly<
  Record<RuleOf["state"], { readonly mark: string; readonly says: string; readonly look: string }>
> = {
  hears: { mark: "●", says: "what it looks for has come", look: "text-ink" },
  quiet: { mark: "◐", says: "it is heard, and nothing such has come", look: "text-quiet" },
  blind: { mark: "○", says: "nobody sends what it is about", look: "text-vermilion" },
  off: { mark: "–", says: "switched off", look: "text-quiet" },
};
const VIEWS = [
  { value: "blind", label: "what is not seen" },
  { value: "all", label: "everything" },
] as const;

/** Techniques, the rules that would show them, and what nobody sends that those would need. */
export function BlindMapPage() {
  const { data, error, isPending } = useQuery(blindMapQuery);
  const [view, setView] = useState<(typeof VIEWS)[number]["value"]>("all");
  const techniques = data?.techniques ?? [];
  const isSeen = (t: Technique) => t.rules.some((r) => r.state === "hears" || r.state === "quiet");
  const unseen = techniques.filter((t) => !isSeen(t));
  const shown =
    view === "all"
      ? techniques
      : techniques.filter((t) => t.rules.some((r) => r.state === "blind" || r.state === "off"));
  return (
    <Page title="What cannot be seen">
      <div className="flex flex-wrap items-end justify-between gap-4 border-b border-line-strong pb-1.5">
        <div>
          <h1 className="text-page leading-[1.625rem] font-semibold">What cannot be seen</h1>
          <p className="text-quiet">
            {isPending && "The rules are held against what has come: this takes some seconds."}
            {data &&
              `Of ${techniques.length - 1} techniques that rules are for, ${unseen.filter((t) => t.technique !== "").length} would not be seen: nobody has sent what they would show in, these ${data.days} days.`}
          </p>
        </div>
        <Segments label="Shown" value={view} onChange={setView} options={VIEWS} />
      </div>
      <Scroller label="Techniques and the rules that show them">
        {error && <Trouble error={error} what="The map cannot be made" />}
        <p className="py-1.5 text-code text-quiet">
          {Object.values(STATES).map((s) => (
            <span key={s.mark} className="mr-4">
              <span className={s.look}>{s.mark}</span> {s.says}
            </span>
          ))}
        </p>
        {shown.map((t) => (
          <section
            key={t.technique}
            aria-label={t.technique || "Rules of no technique"}
            className="grid grid-cols-[16rem_1fr] gap-4 border-t border-line py-1.5 text-ui max-slim:grid-cols-1"
          >
            <div>
              <h2 className={`font-semibold ${isSeen(t) ? "" : "text-vermilion"}`}>
                {t.technique === "" ? "Rules of no technique" : safeText(`${t.technique} ${t.name}`)}
              </h2>
              <p className="text-code text-quiet">
                {isSeen(t)
                  ? `seen by ${t.rules.filter((r) => r.state === "hears" || r.state === "quiet").length} of ${t.rules.length}`
                  : "not seen"}
              </p>
            </div>
            <ul>
              {t.rules
                .filter((r) => view === "all" || r.state === "blind" || r.state === "off" || !isSeen(t))
                .map((r) => (
                  <li key={r.id}>
                    <span className={`mr-1.5 ${STATES[r.state].look}`} aria-hidden="true">
                      {STATES[r.state].mark}
                    </span>
                    <Link to={`/rules/${r.id}`}>{safeText(r.name)}</Link>
                    <span className="sr-only">: {STATES[r.state].says}</span>
                    {r.state === "blind" &&
                      r.blind.map((b) => (
                        <p key={b.condition} className="pl-5 text-code text-quiet">
                          {safeText(b.needs.join("; "))}
                        </p>
                      ))}
                  </li>
                ))}
            </ul>
          </section>
        ))}
        {data && shown.length === 0 && (
          <p className="text-ui text-quiet">Nothing: every rule hears what it is about.</p>
        )}
      </Scroller>
    </Page>
  );
}
