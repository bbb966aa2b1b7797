import type { SenderJson, SenderList } from "@halvik/contract/senders";
import { formatNetwork, parseNetwork } from "@halvik/core/base/net";
import { Fragment, type ReactNode, useState } from "react";
import { useForm } from "react-hook-form";
import { usOf } from "../../data/view-store";
import { Ago } from "../../shared/ago";
import { Button } from "../../ui/button";
import { Field, Input } from "../../ui/field";
import { CheckField } from "../../ui/form";
import { Heading } from "../../ui/page";
import { AdmissionRules } from "./admission-rules";
import { type Admission, AdmitForm } from "./admit-form";
import { HeldPanel } from "./held-panel";

interface WaitingProps {
  readonly senders: readonly SenderJson[];
  readonly unlisted: number;
  /** Where other senders stand. */
  readonly sites: readonly string[];
  readonly onAdmit: (sender: SenderJson, facts: Admission) => void;
  readonly onRefuse: (sender: SenderJson) => void;
  readonly onAdmitNetwork: (network: string, fromNowOn: boolean) => Promise<unknown>;
  readonly onRefuseNetwork: (network: string) => void;
  readonly rules: SenderList["networks"];
  readonly onTakeBack: (rule: SenderList["networks"][number]) => void;
}

/** From so many on, the senders of a block are one line: a thousand invented ones must not hide a real one. */
const MANY = 8;

interface Block {
  readonly network: string;
  readonly senders: readonly SenderJson[];
}

/** Waiting senders by the block of their address: /24 and /64. */
function blocksOf(senders: readonly SenderJson[]): Block[] {
  const blocks = new Map<string, SenderJson[]>();
  for (const s of senders) {
    const address = s.addresses[0] ?? s.name;
    const parsed = parseNetwork(`${address}/${address.includes(":") ? 64 : 24}`);
    const network = parsed === null ? address : formatNetwork(parsed);
    blocks.set(network, [...(blocks.get(network) ?? []), s]);
  }
  return [...blocks]
    .map(([network, own]) => ({ network, senders: own }))
    .sort((a, b) => a.senders.length - b.senders.length);
}

interface BlockProps {
  readonly block: Block;
  readonly sites: readonly string[];
  readonly onAdmit: WaitingProps["onAdmit"];
  readonly onRefuse: (sender: SenderJson) => void;
  readonly onAdmitAll: () => void;
  readonly onRefuseAll: () => void;
}

function WaitingBlock({ block: { network, senders }, sites, onAdmit, onRefuse, onAdmitAll, onRefuseAll }: BlockProps) {
  const [isOpen, setOpen] = useState(senders.length < MANY);
  const [admitting, setAdmitting] = useState<number | null>(null);
  const [shown, setShown] = useState<number | null>(null);
  if (isOpen)
    return senders.map((s) => (
      <Fragment key={s.id}>
        <Line
          name={s.name}
          testId="waiting-sender"
          text={
            <>
              {s.held.toLocaleString("en")} {s.held === 1 ? "record" : "records"} held
              {s.heldRefused > 0 && `, ${s.heldRefused.toLocaleString("en")} more refused: too many`}
              {s.firstSeen && (
                <>
                  , first heard <Ago us={usOf(s.firstSeen)} /> ago
                </>
              )}
              {s.lastHeard && (
                <>
                  , last <Ago us={usOf(s.lastHeard)} /> ago
                </>
              )}
            </>
          }
          isShown={shown === s.id}
          onShow={() => setShown(shown === s.id ? null : s.id)}
          onAdmit={() => setAdmitting(s.id)}
          onRefuse={() => onRefuse(s)}
        />
        {shown === s.id && <HeldPanel sender={s.id} />}
        {admitting === s.id && (
          <AdmitForm
            sender={s}
            sites={sites}
            onCancel={() => setAdmitting(null)}
            onAdmit={(facts) => onAdmit(s, facts)}
          />
        )}
      </Fragment>
    ));
  const held = senders.reduce((sum, s) => sum + s.held, 0);
  return (
    <Line
      name={network}
      testId="waiting-block"
      text={`${senders.length.toLocaleString("en")} senders, ${held.toLocaleString("en")} records held`}
      onShow={() => setOpen(true)}
      onAdmit={onAdmitAll}
      onRefuse={onRefuseAll}
    />
  );
}

interface LineProps {
  readonly name: string;
  readonly text: ReactNode;
  readonly testId: string;
  /** What it sent is shown; undefined: it is a block. */
  readonly isShown?: boolean;
  readonly onShow: () => void;
  readonly onAdmit: () => void;
  readonly onRefuse: () => void;
}

const Line = ({ name, text, testId, isShown, onShow, onAdmit, onRefuse }: LineProps) => (
  <div
    data-testid={testId}
    className="grid grid-cols-[11.875rem_1fr_auto] max-slim:grid-cols-1 items-center gap-3 border-t border-line py-1 text-ui"
  >
    <span className="font-mono">{name}</span>
    <span className="text-quiet">{text}</span>
    <span className="flex gap-1.5">
      <Button onClick={onShow} {...(isShown === undefined ? {} : { "aria-expanded": isShown })}>
        {isShown === undefined ? "Show each" : "What it sent"}
      </Button>
      <Button main onClick={onAdmit}>
        {isShown === undefined ? "Admit all" : "Admit …"}
      </Button>
      <Button onClick={onRefuse}>{isShown === undefined ? "Refuse all" : "Refuse"}</Button>
    </span>
  </div>
);

/** Senders nobody has admitted yet; what they send is held, bounded, for a day. */
export function WaitingSenders({
  senders,
  unlisted,
  sites,
  onAdmit,
  onRefuse,
  onAdmitNetwork,
  onRefuseNetwork,
  rules,
  onTakeBack,
}: WaitingProps) {
  const blocks = blocksOf(senders);
  const { control, register, handleSubmit, formState, reset } = useForm({
    defaultValues: { network: "", fromNowOn: true },
  });
  return (
    <>
      <Heading small={senders.length === 0 ? "none" : "what they send is held for 24 h, at most 10,000 records each"}>
        Waiting for admission
      </Heading>
      {blocks.map((b) => (
        <WaitingBlock
          key={b.network}
          block={b}
          sites={sites}
          onAdmit={onAdmit}
          onRefuse={onRefuse}
          onAdmitAll={() => void onAdmitNetwork(b.network, false)}
          onRefuseAll={() => onRefuseNetwork(b.network)}
        />
      ))}
      {unlisted > 0 && (
        <p className="text-ui text-ochre">
          {unlisted.toLocaleString("en")} more records came from senders beyond the list of 1,000 waiting ones; they
          were counted, not kept.
        </p>
      )}
      <AdmissionRules rules={rules} onTakeBack={onTakeBack} />
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
        <div className="mb-1.5">
          <CheckField control={control} name="fromNowOn">
            also senders that appear later
          </CheckField>
        </div>
        <Button type="submit" className="mb-3">
          Admit
        </Button>
      </form>
    </>
  );
}
