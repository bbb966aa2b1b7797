import type { PaperDetail, PinMade } from "@halvik/contract/papers";
import type { PaperFacts } from "@halvik/core/papers";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useEffect, useState } from "react";
import { Link } from "react-router";
import { toast } from "sonner";
import { request } from "../data/api";
import { lastPaper, rememberPaper } from "../data/last-paper";
import { papersQuery } from "../data/paper-queries";
import { type PinChoice, useBeingPinned, usePinning } from "../shared/pinning";
import { Button } from "../ui/button";
import { Dialog } from "../ui/dialog";
import { Field } from "../ui/field";
import { TextArea } from "../ui/text-area";
import { NEW_PLACE, PlaceFields } from "./place-fields";

/** Pins what a page shows to an investigation, with a reason. */
export function PinDialog() {
  const doing = useBeingPinned();
  const { begin } = usePinning();
  return doing === null ? null : <Pinning choices={doing} onClose={() => begin(null)} />;
}

function Pinning({ choices, onClose }: { choices: readonly PinChoice[]; onClose: () => void }) {
  const client = useQueryClient();
  const { data, isFetching } = useQuery(papersQuery());
  const [which, setWhich] = useState("0");
  const [paper, setPaper] = useState<string | null>(null);
  const [name, setName] = useState("");
  const [reason, setReason] = useState("");
  const open = (data?.papers ?? []).filter((p) => p.mayWrite && p.state !== "closed");
  const last = lastPaper();
  // the list may be of before the last one was begun: another one is not taken for it
  const isListed =
    data !== undefined &&
    (!isFetching || paper !== null || name !== "" || last === null || open.some((p) => p.id === last));
  const chosen = paper ?? String(open.find((p) => p.id === last)?.id ?? open[0]?.id ?? NEW_PLACE);
  const keep = useMutation({
    mutationFn: async () => {
      const facts: Partial<PaperFacts> = { name };
      const id = chosen === NEW_PLACE ? (await request<PaperDetail>("POST", "/papers", facts)).id : Number(chosen);
      // begun once, also where what is to be pinned cannot be
      setPaper(String(id));
      const { pin } = (choices[Number(which)] ?? choices[0])!;
      return { id, made: await request<PinMade>("POST", `/papers/${id}/pins`, { pin, reason }) };
    },
    onSuccess: ({ id, made: { number, isNew } }) => {
      rememberPaper(id);
      void client.invalidateQueries({ queryKey: ["papers"] });
      toast.success(
        <span>
          {isNew ? "Pinned as" : "It is pinned already, as"}{" "}
          <Link to={`/investigations/${id}?pin=${number}`}>
            #{number} of {open.find((p) => p.id === id)?.name ?? name}
          </Link>
          .
        </span>,
      );
      onClose();
    },
  });
  const isReady = isListed && !keep.isPending && (chosen !== NEW_PLACE || name.trim() !== "");
  const { mutate } = keep;
  const [isSent, setSent] = useState(false);
  const send = () => {
    // who is quicker than the list need not press it again
    if (!isListed) setSent(true);
    else if (isReady) mutate();
  };
  useEffect(() => {
    if (!isSent || !isListed) return;
    setSent(false);
    if (isReady) mutate();
  }, [isSent, isListed, isReady, mutate]);
  const submit = (e: FormEvent) => {
    e.preventDefault();
    send();
  };
  return (
    <Dialog open onOpenChange={(isOpen) => !isOpen && onClose()} title="Pin to an investigation">
      <form onSubmit={submit}>
        {choices.length === 1 && <p className="mb-2 text-ui text-quiet">{choices[0]!.label}</p>}
        {isListed && (
          <PlaceFields
            choices={choices}
            which={which}
            onWhich={setWhich}
            label="Investigation"
            places={[
              ...open.map((p) => ({ value: String(p.id), label: p.name })),
              // begun just now, and not listed yet
              ...(chosen !== NEW_PLACE && !open.some((p) => String(p.id) === chosen)
                ? [{ value: chosen, label: name }]
                : []),
            ]}
            place={chosen}
            onPlace={setPaper}
            name={name}
            onName={setName}
            longestName={120}
          />
        )}
        <Field label="Why" hint="What it shows; Enter pins">
          {(id) => (
            <TextArea
              id={id}
              maxLength={2_000}
              autoFocus
              value={reason}
              onChange={(e) => setReason(e.target.value)}
              onSend={send}
            />
          )}
        </Field>
        {keep.error && (
          <p role="alert" className="mb-2 text-vermilion">
            {keep.error.message}
          </p>
        )}
        <div className="flex gap-2">
          <Button main type="submit" disabled={!isReady}>
            Pin it
          </Button>
          <Button onClick={onClose}>Cancel</Button>
        </div>
      </form>
    </Dialog>
  );
}
