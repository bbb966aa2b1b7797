import type { SenderJson } from "@halvik/core/contract";
import { parseNetwork } from "@halvik/core/net";
import { useForm } from "react-hook-form";
import { useViewStore, usOf } from "../../app/view-store";
import { Button } from "../../ui/button";
import { Field, Input } from "../../ui/field";
import { Heading } from "../../ui/page";
import { ago } from "../../ui/time";

interface WaitingProps {
  readonly senders: readonly SenderJson[];
  readonly unlisted: number;
  readonly onAdmit: (sender: SenderJson) => void;
  readonly onRefuse: (sender: SenderJson) => void;
  readonly onAdmitNetwork: (network: string, fromNowOn: boolean) => Promise<unknown>;
}

/** Senders nobody has admitted yet; what they send is held, bounded, for a day. */
export function WaitingSenders({ senders, unlisted, onAdmit, onRefuse, onAdmitNetwork }: WaitingProps) {
  const { nowUs } = useViewStore();
  const { register, handleSubmit, formState, reset } = useForm({ defaultValues: { network: "", fromNowOn: true } });
  return (
    <>
      <Heading
        small={senders.length === 0 ? "nobody waits" : "what they send is held for 24 h, at most 10,000 records each"}
      >
        Waiting for admission
      </Heading>
      {senders.map((s) => (
        <div
          key={s.id}
          data-testid="waiting-sender"
          className="grid grid-cols-[190px_1fr_auto] items-center gap-3 border-t border-line py-1 text-[13px]"
        >
          <span className="font-mono">{s.name}</span>
          <span className="text-quiet">
            {s.held.toLocaleString("en")} {s.held === 1 ? "record" : "records"} held
            {s.heldRefused > 0 ? `, ${s.heldRefused.toLocaleString("en")} more refused: too many` : ""}
            {s.firstSeen ? `, first heard ${ago(usOf(s.firstSeen), nowUs)} ago` : ""}
          </span>
          <span className="flex gap-1.5">
            <Button main onClick={() => onAdmit(s)}>
              Admit
            </Button>
            <Button onClick={() => onRefuse(s)}>Refuse</Button>
          </span>
        </div>
      ))}
      {unlisted > 0 && (
        <p className="text-[13px] text-ochre">
          {unlisted.toLocaleString("en")} more records came from senders beyond the list of 1,000 waiting ones; they
          were counted, not kept.
        </p>
      )}
      <form
        className="flex items-end gap-3 border-t border-line pt-1.5"
        onSubmit={handleSubmit(async ({ network, fromNowOn }) => {
          await onAdmitNetwork(network, fromNowOn);
          reset();
        })}
      >
        <div className="w-56">
          <Field label="Admit a whole block" error={formState.errors.network?.message}>
            {(id) => (
              <Input
                id={id}
                placeholder="10.20.0.0/16"
                className="font-mono"
                {...register("network", {
                  validate: (v) => parseNetwork(v) !== null || "A block such as 10.20.0.0/16.",
                })}
              />
            )}
          </Field>
        </div>
        <label className="mb-3.5 flex items-center gap-1.5 text-[13px]">
          <input type="checkbox" {...register("fromNowOn")} /> also those heard of from now on
        </label>
        <Button type="submit" className="mb-3">
          Admit
        </Button>
      </form>
    </>
  );
}
