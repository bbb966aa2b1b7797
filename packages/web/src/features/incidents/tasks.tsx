import type { IncidentDetail } from "@halvik/contract/incidents";
import { useViewStore, usOf } from "../../data/view-store";
import { useLineToSend } from "../../shared/use-line-to-send";
import { Checkbox } from "../../ui/checkbox";
import { Input } from "../../ui/field";
import { Heading } from "../../ui/page";
import { safeText } from "../../ui/safe-text";
import { dayClock } from "../../ui/time";

/** What is to be done about an incident. */
export function Tasks({
  tasks,
  onAdd,
  onDone,
}: {
  tasks: IncidentDetail["tasks"];
  /** @returns whether it was added */
  onAdd: (text: string) => Promise<boolean>;
  onDone: (task: number, done: boolean) => void;
}) {
  const zone = useViewStore((s) => s.zone);
  const { text, setText, submit } = useLineToSend(onAdd);
  const open = tasks.filter((t) => t.done === null).length;
  return (
    <>
      <Heading small={tasks.length === 0 ? "none" : open === 0 ? "all done" : `${open} to do`}>Tasks</Heading>
      <ul className="text-ui">
        {tasks.map((t) => (
          <li key={t.id}>
            <Checkbox checked={t.done !== null} onChange={(done) => onDone(t.id, done)}>
              <span className={t.done ? "text-quiet line-through" : ""}>{safeText(t.text)}</span>
            </Checkbox>
            {t.done && (
              <p className="ml-6 text-code text-quiet">
                {safeText(t.done.by)}, {dayClock(usOf(t.done.at), zone)}
              </p>
            )}
          </li>
        ))}
      </ul>
      <form
        onSubmit={(e) => {
          e.preventDefault();
          void submit();
        }}
        className="mt-1"
      >
        <Input
          aria-label="A new task"
          placeholder="what is to be done"
          value={text}
          maxLength={400}
          onChange={(e) => setText(e.target.value)}
        />
      </form>
    </>
  );
}
